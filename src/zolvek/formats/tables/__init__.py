# SPDX-License-Identifier: GPL-3.0-or-later
"""Curves and lanes as tables."""
