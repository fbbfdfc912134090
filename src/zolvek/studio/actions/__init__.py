# SPDX-License-Identifier: GPL-3.0-or-later
"""Every action of the window, declared once, a module a menu."""
