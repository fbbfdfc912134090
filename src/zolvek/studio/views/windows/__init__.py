# SPDX-License-Identifier: GPL-3.0-or-later
"""Windows of their own: guide, MIDI monitor, command finder."""
