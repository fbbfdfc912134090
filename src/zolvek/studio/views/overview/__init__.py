# SPDX-License-Identifier: GPL-3.0-or-later
"""The overview: the whole project in miniature."""
