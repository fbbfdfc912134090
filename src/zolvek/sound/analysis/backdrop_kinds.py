# SPDX-License-Identifier: GPL-3.0-or-later
"""What may lie behind a lane."""

BACKDROP_KINDS = {"off": "No backdrop", "waveform": "Waveform", "spectrogram": "Spectrogram"}
