# SPDX-License-Identifier: GPL-3.0-or-later
"""Curves: points and shapes, and everything that turns one curve into another."""
