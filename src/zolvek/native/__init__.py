# SPDX-License-Identifier: GPL-3.0-or-later
"""Loops in C: what no interpreter may be in, or would take too long. Built once by the system's compiler."""
