# SPDX-License-Identifier: GPL-3.0-or-later
"""Every pair of features in a project of its own, and the laws of the house over each (`tests/crossings`); and random
projects there and back."""

from __future__ import annotations

import itertools
import os
import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

Say = Callable[[str, float, str, str], None]
HELD, BROKEN, NEVER = "·", "x", " "


def pairs(say: Say) -> None:
    """All pairs, each alone and in projects of many; a table of them, and what failed."""
    from tests.crossings.features import FEATURES, bare
    from tests.crossings.laws import LAWS, broken
    from tests.crossings.pairs import all_pairs, made, sets, with_needs
    from tests.crossings.probe import probes

    failed: dict[frozenset[str], dict[str, str]] = {}
    with probes(), tempfile.TemporaryDirectory() as folder:
        start = bare(Path(folder))
        wanted = all_pairs()
        for pair in sorted(wanted, key=sorted):
            failed[pair] = broken(made(start, with_needs(pair)))
        crowds = [(names, broken(made(start, names))) for most in (8, 14) for names in sets(most)]
    print(table(list(FEATURES), failed))
    for pair, found in failed.items():
        for law, what in found.items():
            print(f"    {' + '.join(sorted(pair))}: {law}: {what}")
    for names, found in crowds:
        for law, what in found.items():
            print(f"    {', '.join(sorted(names))}: {law}: {what}")
    many = sum(bool(found) for _, found in crowds)
    say(
        f"{len(wanted)} pairs of {len(FEATURES)} features, {len(LAWS)} laws: broken",
        sum(map(bool, failed.values())),
        "",
        "none",
    )
    say(f"{len(crowds)} projects of many features: broken", many, "", "none")
    say("parts of the window that are old", _painted(), "", "none")


def table(names: list[str], failed: dict[frozenset[str], dict[str, str]]) -> str:
    """A row for each feature: with each of those before it, whether all held."""
    rows = []
    for number, name in enumerate(names):
        marks = [
            NEVER if found is None else BROKEN if found else HELD
            for found in (failed.get(frozenset((name, other))) for other in names[:number])
        ]
        rows.append(f"{number + 1:4} {name:28} {''.join(marks)}")
    return "\n".join(rows)


def _painted() -> int:
    """How many of the tests fail that compare the window with a fresh one, over all sets."""
    words = [sys.executable, "-m", "unittest", "tests.studio.test_painted"]
    done = subprocess.run(words, env={**os.environ, "ZOLVEK_LONG": "1"}, capture_output=True, text=True, check=False)
    if done.returncode:
        print(done.stderr)
    return int(done.returncode != 0)


def there_and_back(say: Say, projects: int = 2_000) -> None:
    """Random projects: bars put in and taken out, sections moved and moved back, doubled and removed."""
    from tests.core.test_round_trips import ThereAndBack

    case = ThereAndBack()
    ThereAndBack.setUpClass()
    try:
        faults = 0
        for seed in itertools.islice(itertools.count(), projects):
            try:
                case.check(seed)
            except Exception as error:  # of whatever kind: it is what is looked for
                faults += 1
                print(f"    {seed}: {str(error).strip().splitlines()[-1]}")
    finally:
        ThereAndBack.doClassCleanups()
    say(f"{projects:,} random projects there and back: others", faults, "", "none")
