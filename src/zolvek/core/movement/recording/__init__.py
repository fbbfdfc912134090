"""Passes and notes that are played by hand."""
