# SPDX-License-Identifier: GPL-3.0-or-later
"""JACK, or PipeWire in its place: ports, transport, sound and messages at their frame. Modules ending in _rt are
compiled."""
