# SPDX-License-Identifier: GPL-3.0-or-later
"""Jobs that a process of its own does: exports, and what concerns plugins."""
