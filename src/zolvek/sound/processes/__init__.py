# SPDX-License-Identifier: GPL-3.0-or-later
"""Work in processes of its own: rendering ahead, and long jobs."""
