# SPDX-License-Identifier: GPL-3.0-or-later
"""What hosting a plugin takes, whatever its standard."""
