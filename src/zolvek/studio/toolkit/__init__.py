# SPDX-License-Identifier: GPL-3.0-or-later
"""Widgets, fields, colours and drawing that know nothing of the rest of the studio."""
