"""Beside other programs through JACK, or PipeWire in its place: ports, transport, sound and messages at their
frame."""
