"""Edits of a project, a module a matter, and its history."""
