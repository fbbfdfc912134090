# SPDX-License-Identifier: GPL-3.0-or-later
"""What comes in from other programs and machines, and goes to them."""
