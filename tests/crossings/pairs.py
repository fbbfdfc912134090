# SPDX-License-Identifier: GPL-3.0-or-later
"""Projects that between them have all pairs of features, each with what these need."""

from __future__ import annotations

import itertools

from tests.crossings.features import FEATURES
from zolvek.core.model.project import Project

Pair = frozenset[str]
MOST = 8  # features in one project, few enough to see which of them fail


def with_needs(names: frozenset[str]) -> frozenset[str]:
    """Names and, of each, what it needs."""
    while True:
        more = names | {need for name in names for need in FEATURES[name].needs}
        if more == names:
            return names
        names = more


def together(names: frozenset[str]) -> bool:
    """Whether all of them, with what they need, can be in one project."""
    whole = with_needs(names)
    return not any(other in FEATURES[name].against for name in whole for other in whole)


def _pairs(names: frozenset[str]) -> set[Pair]:
    return {frozenset(pair) for pair in itertools.combinations(names, 2)}


def all_pairs() -> set[Pair]:
    return {pair for pair in _pairs(frozenset(FEATURES)) if together(pair)}


def sets(most: int = MOST) -> list[frozenset[str]]:
    """Sets of features in which every pair that can be is: each set takes, one after the other, what meets the
    most pairs that are left."""
    left = all_pairs()
    choices: list[frozenset[str]] = []
    while left:
        chosen = with_needs(min(left, key=sorted))
        while len(chosen) < most:
            others = [
                more
                for more in (with_needs(chosen | {name}) for name in FEATURES if name not in chosen)
                if len(more) <= most + 1 and together(more)
            ]
            best = max(others, key=lambda more: len(_pairs(more) & left), default=chosen)
            if len(_pairs(best) & left) <= len(_pairs(chosen) & left):
                break
            chosen = best
        left -= _pairs(chosen)
        choices.append(chosen)
    return choices


def made(start: Project, names: frozenset[str]) -> Project:
    """The project with these features, put in in the order of the table."""
    for name, row in FEATURES.items():
        if name in names:
            start = row.put(start)
    return start
