# SPDX-License-Identifier: GPL-3.0-or-later
"""The stand-in instruments."""
