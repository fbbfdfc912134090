# SPDX-License-Identifier: GPL-3.0-or-later
"""The Connect panel: MIDI, OSC and sync with other programs."""
