"""What works for a window: playback, recording, other programs, files, plugins."""
