# SPDX-License-Identifier: GPL-3.0-or-later
"""Playback: where the song is, and the sound that is heard."""
