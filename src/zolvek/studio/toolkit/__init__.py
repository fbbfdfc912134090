"""Widgets, fields, colours and drawing that know nothing of the rest of the studio."""
