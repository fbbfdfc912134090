# SPDX-License-Identifier: GPL-3.0-or-later
"""The Help menu."""

from __future__ import annotations

from zolvek.studio.actions.action import Action

ACTIONS: tuple[Action, ...] = (
    Action("find-action", "Find a command…", "Ctrl+K", "Searches all commands by name", lambda s: s.show.finder()),
    Action("guide", "User guide", "Shift+F1", "Explains everything, from the first curve to the exported file",
        lambda s: s.show.guide()),
    Action("first-curve", "First curve, step by step", "", "Guides you through one curve in this window; leave at any "
                                                           "time", lambda s: s.show.first_curve()),
    Action("about", "About Zolvek…", "", "The version, and the licences of its parts",
        lambda s: s.show.about()),
    Action("shortcuts", "Keyboard shortcuts", "F1", "Lists all keys", lambda s: s.show.shortcuts()),
)  # fmt: skip
