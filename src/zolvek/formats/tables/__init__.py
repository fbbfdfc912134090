"""Curves and lanes as tables."""
