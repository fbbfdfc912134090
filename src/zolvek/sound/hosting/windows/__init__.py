# SPDX-License-Identifier: GPL-3.0-or-later
"""Plugins' own windows, each in a process of its own."""
