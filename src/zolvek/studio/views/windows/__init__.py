"""Windows of their own: guide, MIDI monitor, command finder."""
