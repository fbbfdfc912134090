# SPDX-License-Identifier: GPL-3.0-or-later
"""What a lane plays: cycle, slots and layers applied, as a curve or as steps."""
