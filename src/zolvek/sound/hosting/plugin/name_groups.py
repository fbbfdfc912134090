# SPDX-License-Identifier: GPL-3.0-or-later
"""Groups of parameters, where a plugin gives none, by what their names have in common."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence

NO_GROUP = "Plugin"
LEADING = re.compile(r"^(\D*?[^\W\d])\W*(\d+)\b\W*\S")  # "Band 3 gain"
TRAILING = re.compile(r"^([^\W\d]+)\b.*?\b(\d+)(?:\W+\w+)?$")  # "Filter gain 3", "Filter gain 3 Left"
FEWEST_NUMBERED, FEWEST_ALIKE, FEWEST_OF_A_NUMBER = 2, 3, 4  # names that make a group


def groups_of(names: Sequence[str]) -> list[str]:
    """A group for each name: by a word and a number ("Band 3"), by a number that many kinds of names have ("No. 3"),
    else by the first word that several share."""
    names = [name.strip() for name in names]
    leading, trailing = ([pattern.match(name) for name in names] for pattern in (LEADING, TRAILING))
    kinds: dict[str, set[str]] = {}  # by trailing number: the first words of the names that have it
    for found in trailing:
        if found is not None:
            kinds.setdefault(found[2], set()).add(found[1])
    candidates = []
    for first, last in zip(leading, trailing, strict=True):
        many = last is not None and len(kinds[last[2]]) >= FEWEST_OF_A_NUMBER
        before = f"{first[1].strip()} {first[2]}" if first is not None and not many else ""
        after = "" if last is None else f"No. {last[2]}" if many else f"{last[1]} {last[2]}"
        candidates.append((before, after))
    shared = Counter(candidate for pair in candidates for candidate in pair if candidate)
    numbered = [max(pair, key=lambda candidate: shared[candidate]) for pair in candidates]
    words = [name.split()[0] if len(name.split()) > 1 else "" for name in names]
    counts, alike = Counter(numbered), Counter(words)
    return [
        number if number and counts[number] >= FEWEST_NUMBERED else word if word and alike[word] >= FEWEST_ALIKE
        else NO_GROUP
        for number, word in zip(numbered, words, strict=True)
    ]  # fmt: skip
