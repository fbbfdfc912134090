# SPDX-License-Identifier: GPL-3.0-or-later
"""How costs grow: what ten times as much takes, beside what it took; and what the largest projects take."""

from __future__ import annotations

import gc
import tempfile
import time
import tracemalloc
from collections.abc import Callable, Iterator
from functools import lru_cache
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
from msgspec.structs import replace

from benchmarks import hardness
from benchmarks.answers import Answers
from benchmarks.ceilings import Row
from benchmarks.figures import best
from zolvek.core.curve.curve import Curve
from zolvek.core.edits.replacement import with_curve
from zolvek.core.model.project import Project

TENFOLD = "at most 13"  # n log n from 10,000 to 100,000 is 12.5 times
AS_SEEN = "at most 2"  # what goes by what is seen hardly grows


def walk(points: int, length: float = 128.0) -> Curve:
    """A random walk of straight lines."""
    steps = np.random.default_rng(1).standard_normal(points) * 0.02
    values = np.abs((np.cumsum(steps) + 1.0) % 2.0 - 1.0)
    return Curve(np.linspace(0.0, length, points), values, np.ones(points, np.uint8), np.zeros(points))


def with_points(points: int) -> Project:
    """A project with one long lane."""
    from tests.projects import many_lanes

    project = many_lanes(4)
    return with_curve(project, next(project.lanes()).id, walk(points))


def wide(tracks: int, lanes: int, points: int) -> Project:
    """Many tracks, each with its devices and lanes."""
    from tests.projects import many_lanes

    [pattern] = many_lanes(lanes, points).tracks
    made = []
    for number in range(tracks):
        key = f"t{number}-"
        devices = tuple(replace(device, id=key + device.id) for device in pattern.devices)
        own = tuple(replace(lane, id=key + lane.id, device=key + lane.device) for lane in pattern.lanes)
        made.append(replace(pattern, id=f"track-{number}", name=f"Track {number}", devices=devices, lanes=own))
    return Project(tracks=tuple(made))


def rows() -> Iterator[Row]:
    """Each as a ratio of n and 10 n."""
    yield from _curves()
    yield from _windows()
    few, many = (_plugin_list(count) for count in (500, 5_000))
    yield "a letter typed in the list of plugins, 500 to 5,000", many / few, "x", TENFOLD


def _curves() -> Iterator[Row]:
    from zolvek.core.curve.thinning import thinned
    from zolvek.formats.project import project_file

    beats = np.linspace(0.0, 128.0, 200_000)
    few, many = walk(10_000), walk(100_000)

    def tenfold(work: Callable[[Curve], object], times: int = 5) -> float:
        return best(lambda: work(many), times) / best(lambda: work(few), times)

    yield "a curve at 200,000 beats, 10,000 points to 100,000", tenfold(lambda c: c.at(beats)), "x", AS_SEEN
    thousand, ten_thousand = beats[::200], beats[::20]
    ratio = best(lambda: many.at(ten_thousand)) / best(lambda: many.at(thousand))
    yield "a curve of 100,000 points, at 1,000 beats to 10,000", ratio, "x", TENFOLD
    yield "thinned to lines, 10,000 points to 100,000", tenfold(lambda c: thinned(c, 0.01)), "x", TENFOLD
    yield "thinned to shapes, the same", tenfold(lambda c: thinned(c, 0.01, True), 2), "x", TENFOLD
    small, large = with_points(10_000), with_points(100_000)
    ratio = best(lambda: project_file.encode(large)) / best(lambda: project_file.encode(small))
    yield "a project encoded to be saved, the same", ratio, "x", TENFOLD
    yield "memory of an undo step that moves one point, the same", _undo(large) / _undo(small), "x", TENFOLD


def _undo(project: Project, steps: int = 50) -> float:
    """Bytes that a step takes in the history."""
    from zolvek.core.history.history import History

    made, lane, sizes = History.start(project), next(project.lanes()), []
    tracemalloc.start()
    for step in range(steps + 2):
        values = next(made.project.lanes()).curve.value.copy()
        values[100 * step] = 0.25
        made = made.edited(with_curve(made.project, lane.id, lane.curve.having(value=values)), "Move")
        gc.collect()
        sizes.append(tracemalloc.get_traced_memory()[0])
    tracemalloc.stop()
    return (sizes[-1] - sizes[1]) / steps


@lru_cache(maxsize=1)
def _application() -> Any:
    """The toolkit's application, kept as long as the process lives."""
    from zolvek.studio.app.application import application

    return application()


def _window(project: Project) -> Any:
    from zolvek.studio.app.application import make_window
    from zolvek.studio.session.settings import Settings

    app = _application()
    window = make_window(project, Settings(), ask=Answers())
    window.show()
    window.complete()
    app.processEvents()
    return window


def _painted(window: Any) -> None:
    """All that is drawn, with nothing kept from the last time."""
    window.low_lanes.rows.clear()
    window.overview.groups.clear()
    window.overview.lanes = None
    window.grab()


def _windows() -> Iterator[Row]:
    from tests.projects import many_lanes

    painted, searched = [], []
    for points in (10_000, 100_000):
        window = _window(with_points(points))
        painted.append(best(lambda w=window: _painted(w)))  # type: ignore[misc]  # the loop's window
        hardness.close(window)
    yield "a window painted, 10,000 points to 100,000 in a lane", painted[1] / painted[0], "x", AS_SEEN
    painted.clear()
    for lanes in (300, 3_000):
        window = _window(many_lanes(lanes, 50))

        def type_and_clear(into: Any = window.index.search) -> None:
            into.setText("lev")
            into.clear()

        searched.append(best(type_and_clear))
        painted.append(best(lambda w=window: _painted(w)))  # type: ignore[misc]  # the loop's window
        hardness.close(window)
    yield "a window painted, 300 lanes to 3,000", painted[1] / painted[0], "x", AS_SEEN
    yield "a search in the index, 300 parameters to 3,000", searched[1] / searched[0], "x", TENFOLD


def _plugin_list(count: int) -> float:
    """Seconds that a letter typed into the list of plugins takes."""
    from PyQt6.QtCore import QObject, pyqtSignal
    from PyQt6.QtWidgets import QWidget

    from zolvek.sound.hosting.plugin.plugin_entry import PluginEntry
    from zolvek.studio.toolkit.plugin_dialog import PluginDialog

    class Listed(QObject):
        changed = pyqtSignal()
        fault, going, listed, newest = "", (0, 0), (), ()

        def __init__(self) -> None:
            super().__init__()
            roles = ("instrument", "effect")
            self.found = [PluginEntry(f"p{i}", f"Plugin {i}", f"Maker {i % 40}", roles[i % 2]) for i in range(count)]

        def look(self) -> None:
            """All is there."""

    app = _application()
    above = QWidget()
    settings: Any = SimpleNamespace(recent=[], favourites=[])
    dialog = PluginDialog(Listed(), settings, lambda *_: None, above)  # type: ignore[arg-type]  # as much as is asked
    dialog.show()

    def type_and_clear() -> None:
        dialog.search.setText("plugin 1")
        dialog.search.clear()
        app.processEvents()

    return best(type_and_clear, 3)


def largest() -> Iterator[Row]:
    """A lane of 1,000,000 points, and 200 tracks of 50 lanes of 50 points, in a window."""
    yield from _million()
    yield from _wide()


def _million() -> Iterator[Row]:
    from zolvek.core.curve import point_edits

    window = _window(with_points(1_000_000))
    curve, gesture, moves = hardness.focus_curve(window), object(), []
    window.session.points.choose(np.array([500_000]))
    yield "a lane of 1,000,000 points, drawn", best(lambda: window.focus_lane.repaint(), 9) * 1e3, "ms", "at most 16"
    for i in range(20):
        began = time.perf_counter()
        moved, where = point_edits.move(curve, [500_000], 0.0, 0.001 * (i % 10) - 0.005)
        window.session.edit_curve("Move", moved, where, gesture)
        window.focus_lane.repaint()
        moves.append(time.perf_counter() - began)
    yield "    one of them dragged, with all that follows", float(np.median(moves)) * 1e3, "ms", "at most 16"

    def undone() -> None:
        window.action("undo").trigger()
        window.focus_lane.repaint()

    began = time.perf_counter()
    undone()
    yield "    undone", (time.perf_counter() - began) * 1e3, "ms", "at most 16"
    hardness.close(window)


def _wide() -> Iterator[Row]:
    from zolvek.formats.project import project_file

    project = wide(200, 50, 50)
    with tempfile.TemporaryDirectory() as name:
        path = Path(name) / "wide.zolvek"
        began = time.perf_counter()
        project_file.save(project, path)
        yield "200 tracks of 50 lanes of 50 points, saved", time.perf_counter() - began, "s", "at most 1"
        began = time.perf_counter()
        loaded = project_file.load(path)
        read = time.perf_counter() - began
        began = time.perf_counter()
        window = _window(loaded)
        opened = time.perf_counter() - began
        yield "    read from its file", read, "s", "no limit set"
        yield "    read, and a window on it", read + opened, "s", "at most 2"
        yield "    painted, with nothing kept", best(lambda: _painted(window)) * 1e3, "ms", "at most 50"
        hardness.close(window)
