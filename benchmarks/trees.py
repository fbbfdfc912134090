# SPDX-License-Identifier: GPL-3.0-or-later
"""Valid JSON with wrong values in it: trees of every kind of file, changed at random, read, and what
is read then exported, drawn and rendered. Nothing but a message may come of it."""

from __future__ import annotations

import copy
import json
import random
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, NamedTuple

from benchmarks.hardness import Damage
from zolvek.core.errors import ZolvekError

VALUES: tuple[Any, ...] = (
    None, True, False, 0, 1, -1, -8, 5e-324, 1e-9, 0.5, 1.5, 128, 200, 7_000, 1e6, 1e10, 1e308, -1e308, 2**31, 2**53,
    10**30, "", "x", "\x07", "=1", "\u202e", "a" * 5_000, "shipped:fog.flac", "/dev/zero", "hold", "lfo", "linear",
    "decibel", "line", "waves", [], [[]], [0], [0, 0], [1, 0], ["hold"], {}, {"a": 1}, {"beat": 0.0},
)  # fmt: skip


class Kind(NamedTuple):
    """A kind of tree: a good one, and what reads it and works with it."""

    name: str
    good: Any
    use: Callable[[str, Path], object]


def kinds() -> list[Kind]:
    """All kinds of files that are JSON, and tables that are text."""
    from dataclasses import asdict

    import msgspec

    from zolvek.core.curve.pattern import Pattern
    from zolvek.core.edits import states
    from zolvek.core.model.catalogue import DEVICE_KINDS
    from zolvek.core.model.state import StatePart
    from zolvek.core.records import replace
    from zolvek.demo.night_regatta import build
    from zolvek.formats import device_file, pattern_library, picture, state_file
    from zolvek.formats.device_file import plain
    from zolvek.formats.midi import file_in as midi_in
    from zolvek.formats.midi import file_out as midi_out
    from zolvek.formats.midi import report as midi_report
    from zolvek.formats.project import project_file, recovery
    from zolvek.formats.tables import clipboard, lane_table
    from zolvek.sound.engine.offline import render
    from zolvek.studio.session import settings

    demo = build()
    small = replace(demo, length=16.0, tracks=tuple(_few(track) for track in demo.tracks))
    document = json.loads(project_file.encode(small))

    def worked_with(project: Any) -> None:
        again = project_file.decode(project_file.encode(project))
        assert again == project
        lanes = [lane.id for lane in project.lanes()][:3]
        short = (0.0, min(project.length, 2.0))
        try_all = (
            lambda: midi_in.decode(midi_out.encode(project)),
            lambda: midi_report.report(project),
            lambda: picture.svg(project, lanes, short),
            lambda: lane_table.to_text(project, lanes, 0.5, cells="text", span=short),
            lambda: render(project, 0.0, min(project.length, 0.2)),
            lambda: [project.section_at(beat) for beat in (0.0, 1.0, project.length)],
            lambda: project.meter.bar_lines(0.0, min(project.length, 4_000.0)),
        )
        for work in try_all:
            try:
                work()
            except ZolvekError as error:
                reported(error)

    def opened(text: str, path: Path) -> None:
        path.write_text(text)
        worked_with(project_file.load(path))

    def device(text: str, path: Path) -> None:
        kind = device_file.decode(text.encode())
        for parameter in kind.parameters:
            for at in (0.0, 0.37, 1.0):
                parameter.text(at)
                parameter.value(at)

    kept, key = states.kept(demo, "One", (StatePart("horn", states.present(demo.device_track("horn").device("horn"))),))
    with tempfile.TemporaryDirectory() as name:
        state = json.loads(state_file.save(kept, [states.state_of(kept, key)], Path(name) / "s.json").read_bytes())

    def stated(text: str, path: Path) -> None:
        path.write_text(text)
        worked_with(state_file.load_into(small, "horn", path))

    file = pattern_library.File(
        pattern_library.FORMAT,
        pattern_library.VERSION,
        Pattern("Gate", 192.0, demo.lane("horn.cutoff").curve),
    )
    pattern = json.loads(msgspec.json.encode(file, enc_hook=project_file.to_plain))

    def patterned(text: str, path: Path) -> None:
        path.write_text(text)
        pattern_library.load(path)

    def set_(text: str, path: Path) -> None:
        path.write_text(text)
        made = settings.read(path)
        for name, limit, _ in settings.limited(settings.Settings):
            assert limit.holds(getattr(made, name)), name

    pieces = [("One", demo.lane("horn.cutoff").curve), ("Two", demo.lane("echo.feedback").curve)]
    table = [row.split(",") for row in clipboard.to_text(pieces).splitlines()]

    def pasted(text: str, path: Path) -> None:
        rows = json.loads(text)
        cells = [[_cell(c) for c in row] if isinstance(row, list) else [_cell(row)] for row in rows]
        clipboard.from_text("\r".join(map(",".join, cells)))
        clipboard.from_text("\r\n".join(map(",".join, cells)))

    def left(text: str, path: Path) -> None:
        head = msgspec.json.decode(text.encode(), type=recovery.Head)
        recovery.abandoned(path, head)

    copy_ = {
        "format": recovery.FORMAT,
        "version": 2,
        "path": "",
        "when": 1.0,
        "process": "1-2-x",
        "project": document,
    }
    return [
        Kind("project", document, opened),
        Kind("device", plain(DEVICE_KINDS["synth"]), device),
        Kind("states", state, stated),
        Kind("pattern", pattern, patterned),
        Kind("clipboard", table, pasted),
        Kind("settings", json.loads(json.dumps(asdict(settings.Settings()))), set_),
        Kind("copy", copy_, left),
    ]


def _cell(value: Any) -> str:
    return value if isinstance(value, str) else json.dumps(value)


def _few(track: Any) -> Any:
    """A track with some of its notes and points, so that a change meets each kind of thing."""
    from zolvek.core.records import replace

    lanes = tuple(replace(lane, takes=lane.takes[:1]) for lane in track.lanes[:3])
    return replace(track, notes=track.notes[:3], lanes=lanes)


def places(tree: Any, way: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """The ways to everything in a tree."""
    if way:
        yield way
    if isinstance(tree, dict):
        for key in tree:
            yield from places(tree[key], (*way, key))
    elif isinstance(tree, list):
        # Of long lists a few: what is wrong with one number is wrong with each.
        for index in range(len(tree)) if len(tree) < 6 else (0, 1, len(tree) // 2, len(tree) - 1):
            yield from places(tree[index], (*way, index))


def changed(good: Any, ways: list[tuple[Any, ...]], rng: random.Random) -> Any:
    """The tree with one to three changes."""
    tree = copy.deepcopy(good)
    for _ in range(rng.choice((1, 1, 1, 2, 3))):
        choice = rng.choice(ways)
        at = tree
        try:
            for key in choice[:-1]:
                at = at[key]
            kind = rng.randrange(6)
            if kind == 0:
                del at[choice[-1]]
            elif kind == 1 and isinstance(at, list):
                at.insert(choice[-1], copy.deepcopy(at[choice[-1]]))
            elif kind == 2 and isinstance(at[choice[-1]], (int, float)):
                at[choice[-1]] = rng.choice((-1, 1e-12, 3, 1e5)) * at[choice[-1]]
            else:
                at[choice[-1]] = copy.deepcopy(rng.choice(VALUES))
        except (KeyError, IndexError, TypeError):
            continue  # an earlier change has taken it away
    return tree


def reported(error: ZolvekError) -> None:
    """A message has to say something."""
    if not (error.what and (error.where or error.remedy)):
        raise AssertionError(f"a message that says nothing: {error!r}")


def mutations(count: int, seed: int = 1) -> Damage:
    """Read and use `count` changed trees of all kinds."""
    rng = random.Random(seed)
    found = kinds()
    ways = [list(places(kind.good)) for kind in found]
    read = refused = 0
    longest, faults = 0.0, []
    with tempfile.TemporaryDirectory() as name:
        path = Path(name) / "changed"
        for number in range(count):
            # Projects are half of it: they hold most.
            which = 0 if number % 2 else (number // 2) % len(found)
            tree = changed(found[which].good, ways[which], rng)
            text = json.dumps(tree)
            began = time.perf_counter()
            try:
                found[which].use(text, path)
                read += 1
            except ZolvekError as error:
                refused += 1
                try:
                    reported(error)
                except AssertionError as mute:
                    faults.append(f"{number} {found[which].name}: {mute}")
            except Exception as error:
                if type(error).__module__.startswith("msgspec") and found[which].name == "copy":
                    refused += 1  # passed over where copies are looked for
                else:
                    faults.append(f"{number} {found[which].name}: {type(error).__name__}: {error}"[:300])
            longest = max(longest, time.perf_counter() - began)
    return Damage(read, refused, faults, longest)
