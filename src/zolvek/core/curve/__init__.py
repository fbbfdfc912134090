"""Curves: points and shapes, and everything that turns one curve into another."""
