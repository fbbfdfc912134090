"""Widgets that several views use."""
