"""The panels, in the order people work."""
