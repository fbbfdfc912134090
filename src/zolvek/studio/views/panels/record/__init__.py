# SPDX-License-Identifier: GPL-3.0-or-later
"""The Record panel: passes, takes, and the controller."""
