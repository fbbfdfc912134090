# SPDX-License-Identifier: GPL-3.0-or-later
"""What every device works with: stretches of sound, controls, notes, gains, filters."""
