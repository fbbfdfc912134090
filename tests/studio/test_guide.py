# SPDX-License-Identifier: GPL-3.0-or-later
"""The guide and the README name keys and commands that there are, and show pictures that there are."""

from __future__ import annotations

import re
import unittest
from pathlib import Path

from PyQt6.QtWidgets import QAbstractButton, QComboBox, QLabel, QWidget

from tests.studio.driver import WindowTest
from zolvek.studio.actions.action_table import ACTIONS
from zolvek.studio.actions.panel_entries import ENTRIES

TEXTS = {"guide": Path("docs/guide.md").read_text(), "README": Path("README.md").read_text()}
KEY = re.compile(r"(?:(?:Ctrl|Shift|Alt)\+)+(?:F\d+|Space|Up|Down|Left|Right|[A-Z0-9.\]\[])(?![a-z+-])|\bF\d{1,2}\b")
# What is named in italics and is not a command: words of windows that are not open here, and ideas of the guide.
NAMES = {
    "Exact values", "Copies", "Grid", "Tempo", "Meter", "Sections", "Hits", "OSC", "Internal", "Follow", "Lead",
    "Mix", "All tracks", "Clock", "Control", "A recording without a click", "From a folder", "Humanise", "Fill down",
    "Variations",
}  # fmt: skip


def plain(text: str) -> str:
    return text.replace("&", "").rstrip("…").strip()


class Guide(WindowTest):
    def words_of_the_window(self) -> set[str]:
        result = {plain(row.text) for row in ACTIONS} | {plain(entry.text) for entry in ENTRIES}
        for key in self.window.rail.buttons:
            self.do(key)
        for widget in self.window.findChildren(QWidget):
            result.add(plain(widget.accessibleName()))
            if isinstance(widget, QAbstractButton | QLabel):
                result.add(plain(widget.text()))
            if isinstance(widget, QComboBox):
                result |= {plain(widget.itemText(index)) for index in range(widget.count())}
        return result

    def test_keys_and_names_are_those_of_the_window(self) -> None:
        keys = {row.keys for row in ACTIONS} | {"Ctrl+S"}
        known = self.words_of_the_window() | NAMES
        for name, text in TEXTS.items():
            wrong = {key for key in KEY.findall(text) if key not in keys and not key.startswith("Ctrl+Shift-")}
            self.assertEqual(wrong, set(), name)
            italic = {plain(found) for found in re.findall(r"(?<!\*)\*([^*\n]+)\*(?!\*)", text)}
            self.assertEqual({word for word in italic if word not in known}, set(), name)

    def test_pictures_are_there_and_each_is_shown(self) -> None:
        shown = set(
            re.findall(r"screenshots/([\w-]+\.png)", "".join(TEXTS.values()) + Path("docs/plugins.md").read_text())
        )
        self.assertEqual(shown, {path.name for path in Path("docs/screenshots").iterdir()})
        self.assertLess(len(shown), 20)
        parts = re.split(r"\n## \d+\. ", TEXTS["guide"])[1:]
        bare = [part.splitlines()[0] for part in parts if "](screenshots/" not in part]
        self.assertEqual(bare, ["Choose a control and listen", "When something goes wrong"])


if __name__ == "__main__":
    unittest.main()
