"""Morphs between states of a device, over a span or across a pad."""
