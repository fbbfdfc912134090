# SPDX-License-Identifier: GPL-3.0-or-later
"""LV2 plugins: found, described and run (lilv, the reference library of the LV2 standard)."""
