"""Standard MIDI Files and messages: chunks, encoding, files in and out, the report, and live ports."""
