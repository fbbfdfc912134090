# SPDX-License-Identifier: GPL-3.0-or-later
"""The index: tracks, devices and parameters, and what is automated."""
