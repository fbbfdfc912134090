# SPDX-License-Identifier: GPL-3.0-or-later
"""Standard MIDI Files and messages: chunks, encoding, files in and out, the report, and live ports."""
