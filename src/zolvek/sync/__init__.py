# SPDX-License-Identifier: GPL-3.0-or-later
"""Other programs and machines in time with this one: ports, clocks, MIDI and OSC over one timeline of messages. No
interface code."""
