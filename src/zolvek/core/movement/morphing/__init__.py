# SPDX-License-Identifier: GPL-3.0-or-later
"""Morphs between states of a device, over a span or across a pad."""
