"""Stand-in instruments and effects, the renderer and the playback clock. No interface code."""
