# SPDX-License-Identifier: GPL-3.0-or-later
"""What an action is."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import NamedTuple

from zolvek.studio.services.context import Studio

Test = Callable[[Studio], bool]
Reason = Callable[[Studio], str]


def never(studio: Studio) -> str:
    """An action that is always available."""
    return ""


class Action(NamedTuple):
    """One thing a person can do: what menus, tool strips, context menus, the command finder and the
    list of shortcuts say of it, and what does it."""

    id: str
    text: str
    keys: str
    tip: str
    run: Callable[[Studio], object]
    icon: str = ""  # names a symbol
    refused: Reason = never  # why it can't be done now; "" when it can
    checked: Test | None = None  # makes it a switch
    label: Callable[[Studio], str] | None = None  # a text that changes
    on_lane: bool = False  # its keys count on the focus lane only, for fields want them too
    apart: bool = False  # a line parts it from the one before it in the menu
    group: str = ""  # the submenu it is in

    @property
    def asks(self) -> bool:
        """Whether it opens a dialog: then its errors are shown in one, and else at the foot of the window."""
        return self.text.endswith("…")


def grouped(rows: tuple[Action, ...], groups: Mapping[str, tuple[str, ...]]) -> tuple[Action, ...]:
    """Rows of a menu with those of each group, by id or by the beginning of one that ends in "-", in a submenu."""

    def group_of(key: str) -> str:
        for name, keys in groups.items():
            if any(key == item or (item.endswith("-") and key.startswith(item)) for item in keys):
                return name
        return ""

    return tuple(row._replace(group=group_of(row.id)) for row in rows)
