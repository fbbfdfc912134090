# SPDX-License-Identifier: GPL-3.0-or-later
"""The window's player, its sound output, and equal loudness."""
