# SPDX-License-Identifier: GPL-3.0-or-later
"""Records: what a project holds, and nothing that works on it."""
