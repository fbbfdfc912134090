"""Installed plugins and their own windows."""
