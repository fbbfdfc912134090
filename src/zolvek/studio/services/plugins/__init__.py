# SPDX-License-Identifier: GPL-3.0-or-later
"""Installed plugins and their own windows."""
