"""The Help menu."""

from __future__ import annotations

from zolvek.studio.actions.action import Action

ACTIONS: tuple[Action, ...] = (
    Action("find-action", "Find a command…", "Ctrl+K", "Search all commands by name", lambda s: s.show.finder()),
    Action("guide", "User guide", "Shift+F1", "How to do what, from the first curve to the delivered file", lambda s: s.show.guide()),
    Action("first-curve", "The first curve, step by step", "", "Led through one curve in this window; it can be left at any time", lambda s: s.show.first_curve()),
    Action("shortcuts", "Keyboard shortcuts", "F1", "All keys at a glance", lambda s: s.show.shortcuts()),
)  # fmt: skip
