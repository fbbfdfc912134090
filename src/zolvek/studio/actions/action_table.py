# SPDX-License-Identifier: GPL-3.0-or-later
"""The table of all actions: menus, tool strips, context menus, the command finder and
docs/shortcuts.md are all made from it."""

from __future__ import annotations

import re
from collections import Counter
from itertools import groupby

from zolvek.studio.actions import (
    device_menu,
    edit_menu,
    file_menu,
    help_menu,
    lane_menu,
    layer_menu,
    pattern_menu,
    play_menu,
    song_menu,
    source_menu,
    take_menu,
    view_menu,
)

MENUS = {
    "File": file_menu.ACTIONS,
    "Edit": edit_menu.ACTIONS,
    "Lane": lane_menu.ACTIONS,
    "Layers": layer_menu.ACTIONS,
    "Takes": take_menu.ACTIONS,
    "Patterns": pattern_menu.ACTIONS,
    "Device": device_menu.ACTIONS,
    "Song": song_menu.ACTIONS,
    "Sound": source_menu.ACTIONS,
    "Play": play_menu.ACTIONS,
    "View": view_menu.ACTIONS,
    "Help": help_menu.ACTIONS,
}
MNEMONICS = {
    "Layers": "La&yers",
    "Patterns": "P&atterns",
    "Song": "S&ong",
}  # of menus that share their first letter
ACTIONS = tuple(action for actions in MENUS.values() for action in actions)
# Keys that the focus lane reads itself while they are held.
HELD = (
    ("Hold B", "Drag a segment to bend it"),
    ("Hold Ctrl", "Drag off the grid"),
    ("Hold Shift", "Drag along one axis; from empty space, select a box"),
    ("Hold Ctrl and Shift", "Drag inside the frame to copy its span"),
    ("Wheel", "Scroll in time; with Ctrl, zoom at the pointer"),
)
# Keys that the track's strip reads while it has the keyboard.
STRIP = (
    ("Delete", "Delete the selected notes, or the clip"),
    ("Up, Down", "Transpose the selected notes by a semitone; with Shift by an octave"),
    ("Left, Right", "Move the selected notes, or the clip, by a grid step"),
)
KEY_NAMES = {"Del": "Delete", "Return": "Enter"}

_twice = [key for key, n in Counter(a.keys for a in ACTIONS if a.keys).items() if n > 1]
_twice += [key for key, n in Counter(a.id for a in ACTIONS).items() if n > 1]
if _twice:
    raise ValueError(f"declared twice: {', '.join(_twice)}")

_menu_keys = [a.keys for a in ACTIONS if re.fullmatch(r"Alt\+[A-Z0-9]", a.keys)]
if _menu_keys:
    raise ValueError(f"Alt with a letter opens a menu: {', '.join(_menu_keys)}")


def shortcut_rows() -> list[tuple[str, str, str]]:
    """Menu, keys and text of every action that has keys, then the held keys."""
    rows = [
        (menu, KEY_NAMES.get(a.keys, a.keys), a.text.rstrip("…"))
        for menu, actions in MENUS.items()
        for a in actions
        if a.keys
    ]
    rows += [("On the focus lane", keys, text) for keys, text in HELD]
    return rows + [("On the track row", keys, text) for keys, text in STRIP]


def shortcuts_page() -> str:
    """docs/shortcuts.md."""
    parts = ["# Keyboard shortcuts\n\nMade from the action table by `./zolvek shots`.\n"]
    for menu, rows in groupby(shortcut_rows(), key=lambda row: row[0]):
        lines = [f"| {keys} | {text} |" for _, keys, text in rows]
        parts.append("\n".join([f"## {menu}\n", "| Keys | What they do |", "| --- | --- |", *lines, ""]))
    return "\n".join(parts)
