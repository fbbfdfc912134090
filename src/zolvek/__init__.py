"""Zolvek: a desktop workshop for automation curves."""

__version__ = "0.1.0"
