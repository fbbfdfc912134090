"""Edits of a project, one noun a module: plain functions from a project to a changed project."""
