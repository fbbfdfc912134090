"""The Connect panel: MIDI, OSC and sync with other programs."""
