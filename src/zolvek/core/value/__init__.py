# SPDX-License-Identifier: GPL-3.0-or-later
"""Values of parameters: units, tapers, ranges, texts."""
