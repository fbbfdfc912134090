# SPDX-License-Identifier: GPL-3.0-or-later
"""The panels, in the order people work."""
