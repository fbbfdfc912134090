"""Instruments, effects, plugins, the renderer, playback and the analysis of sound. No interface code."""
