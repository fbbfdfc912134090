# SPDX-License-Identifier: GPL-3.0-or-later
"""Widgets that several views use."""
