"""The start screen, and the guided first curve."""
