"""The overview: the whole project in miniature."""
