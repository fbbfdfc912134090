# SPDX-License-Identifier: GPL-3.0-or-later
"""The window, in PyQt6: thin over core. Arrows: app, views, actions, commands, services, session; the toolkit is below
all."""
