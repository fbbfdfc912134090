"""Playback: where the song is, and the sound that is heard."""
