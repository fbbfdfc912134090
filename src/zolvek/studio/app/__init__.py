# SPDX-License-Identifier: GPL-3.0-or-later
"""The application: its start, its window, its menus, and what becomes of faults."""
