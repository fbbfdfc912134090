# SPDX-License-Identifier: GPL-3.0-or-later
"""The start screen, and the guided first curve."""
