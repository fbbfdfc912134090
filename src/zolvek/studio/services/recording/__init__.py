"""Passes and notes recorded from a controller, a dial or keys."""
