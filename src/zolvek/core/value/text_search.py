# SPDX-License-Identifier: GPL-3.0-or-later
"""Words that a person types, found anywhere in names: without regard to case, accents, hyphens and spaces."""

from __future__ import annotations

import re
import unicodedata

JOINTS = re.compile(r"[-‐‑–_·./]+")


def search_words(text: str) -> list[str]:
    """What is looked for: each word must be found."""
    return [JOINTS.sub("", word) for word in _plain(text).split() if JOINTS.sub("", word)]


def searchable(text: str) -> str:
    """A text as words are looked for in it: as it is read, with its joints gone, and all in one."""
    plain = _plain(text)
    joined = JOINTS.sub("", plain)
    return "\n".join((JOINTS.sub(" ", plain), joined, "".join(joined.split())))


def matches(words: list[str], text: str) -> bool:
    """Whether all words are anywhere in a text."""
    where = searchable(text)
    return all(word in where for word in words)


def _plain(text: str) -> str:
    decomposed = unicodedata.normalize("NFKD", text.casefold())
    return "".join(letter for letter in decomposed if not unicodedata.combining(letter))
