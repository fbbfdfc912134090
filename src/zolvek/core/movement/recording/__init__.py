# SPDX-License-Identifier: GPL-3.0-or-later
"""Passes and notes that are played by hand."""
