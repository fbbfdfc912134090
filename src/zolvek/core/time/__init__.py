# SPDX-License-Identifier: GPL-3.0-or-later
"""Time: tempo, meter, the grid, and rates of movement."""
