# SPDX-License-Identifier: GPL-3.0-or-later
"""Instruments, effects, plugins, the renderer, playback and the analysis of sound. No interface code."""
