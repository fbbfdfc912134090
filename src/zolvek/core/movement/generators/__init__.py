# SPDX-License-Identifier: GPL-3.0-or-later
"""What makes movement: LFOs and random movement."""
