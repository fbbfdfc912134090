"""Plugins' own windows, each in a process of its own."""
