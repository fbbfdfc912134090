"""The stand-in instruments."""
