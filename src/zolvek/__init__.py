# SPDX-License-Identifier: GPL-3.0-or-later
"""Zolvek: a desktop workshop for automation curves."""

__version__ = "0.1.0"
