# SPDX-License-Identifier: GPL-3.0-or-later
"""The demo piece, "Night Regatta": made-up, for a boat parade after dark."""
