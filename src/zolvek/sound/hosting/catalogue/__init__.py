# SPDX-License-Identifier: GPL-3.0-or-later
"""Which plugins are installed, and the one way to load them."""
