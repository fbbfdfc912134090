# SPDX-License-Identifier: GPL-3.0-or-later
"""Passes and notes recorded from a controller, a dial or keys."""
