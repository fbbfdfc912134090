# SPDX-License-Identifier: GPL-3.0-or-later
"""Letters that choose an entry of an open menu: each menu deals out its own, so that no table has to name them."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QMenu


def letters(texts: Sequence[str]) -> list[int]:
    """Which letter of each text is its own, -1 where none is left: the first of a word if it can be, no letter
    twice."""
    taken: set[str] = set()
    result = [-1] * len(texts)
    for only_initials in (True, False):
        for row, text in enumerate(texts):
            if result[row] < 0:
                at = next((i for i in _usable(text, only_initials) if text[i].lower() not in taken), -1)
                if at >= 0:
                    result[row] = at
                    taken.add(text[at].lower())
    return result


def _usable(text: str, only_initials: bool) -> list[int]:
    """The places of letters and digits in a text."""
    places = [i for i, letter in enumerate(text) if letter.isalnum()]
    return [i for i in places if i == 0 or not text[i - 1].isalnum()] if only_initials else places


class MenuLetters(QObject):
    """While a menu is open its entries have letters; elsewhere their texts stay as they are."""

    def __init__(self, menu: QMenu) -> None:
        super().__init__(menu)
        self.menu = menu
        menu.aboutToShow.connect(self.deal)
        menu.aboutToHide.connect(self.take_back)

    def deal(self) -> None:
        """Underline a letter of each entry."""
        entries = [action for action in self.menu.actions() if not action.isSeparator()]
        texts = [action.text().replace("&", "") for action in entries]
        for action, text, at in zip(entries, texts, letters(texts), strict=True):
            action.setText(f"{text[:at]}&{text[at:]}" if at >= 0 else text)

    def take_back(self) -> None:
        """Texts as they were."""
        for action in self.menu.actions():
            action.setText(action.text().replace("&", ""))
