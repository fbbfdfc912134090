# SPDX-License-Identifier: GPL-3.0-or-later
"""The renderer: a project as sound, from any position, the same every time."""
