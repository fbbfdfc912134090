"""The stand-in effects."""
