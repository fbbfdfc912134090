# SPDX-License-Identifier: GPL-3.0-or-later
"""What is on the screen is what is there: after edits and drags of every kind, each part of the window as it was
painted last is compared with the same part drawn from nothing."""

from __future__ import annotations

import gc
import os
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, QRect, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QWidget

from tests.crossings.features import LANE, bare
from tests.crossings.pairs import made, sets
from tests.crossings.probe import as_described, probes
from tests.studio.driver import WindowTest
from tests.studio.qtest import QTest
from zolvek.core.edits import names as naming
from zolvek.core.edits import replacement
from zolvek.core.records import replace
from zolvek.core.time.meter import MeterMap, MeterPoint
from zolvek.core.time.tempo import TempoMap, TempoPoint
from zolvek.demo.night_regatta import build


def pixels(image: QImage) -> np.ndarray:
    image = image.convertToFormat(QImage.Format.Format_RGB32)
    data = image.constBits()
    assert data is not None
    data.setsize(image.sizeInBytes())
    rows = np.frombuffer(data.asstring(), np.uint8).reshape(image.height(), image.bytesPerLine() // 4, 4)
    return rows[:, : image.width(), :3]


class Painted(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        areas = self.window.areas
        self.parts: dict[str, QWidget] = {
            "focus lane": self.lane, "other lanes": areas.low_lanes, "overview": areas.overview, "ruler": areas.ruler,
            "track row": areas.strip, "time rows": areas.time_rows,
        }  # fmt: skip

    def on_screen(self, widget: QWidget, part: QRect) -> np.ndarray:
        """What the screen shows of it."""
        screen, at = self.window.screen(), widget.mapTo(self.window, part.topLeft())
        assert screen is not None
        window: Any = int(self.window.winId())  # PyQt takes a number here
        return pixels(screen.grabWindow(window, at.x(), at.y(), part.width(), part.height()).toImage())

    def forget_pictures(self) -> None:
        self.window.areas.low_lanes.rows.clear()
        self.window.areas.overview.groups.clear()
        self.window.areas.overview.lanes = None
        self.lane.sheet.kept = None

    def check(self, what: str) -> None:
        gc.collect()  # so that what nobody holds makes room for others
        self.until(lambda: not self.window.areas.overview.later.isActive())
        self.wait(30)
        shown = {}
        for name, widget in self.parts.items():
            region = widget.visibleRegion().boundingRect()
            if widget.isVisible() and not region.isEmpty():
                shown[name] = region, self.on_screen(widget, region)
        self.forget_pictures()
        for name, (region, before) in shown.items():
            fresh = pixels(self.parts[name].grab(region).toImage())
            differ = int((before != fresh).any(axis=2).sum())
            self.assertEqual(differ, 0, f"{name} after: {what}: {differ} pixels are old")

    def low_spot(self, number: int) -> tuple[QPoint, float] | None:
        """A point of one of the other lanes that can be taken hold of."""
        low = self.window.areas.low_lanes
        lane, top, height = low._tops()[number]
        inside = np.flatnonzero((lane.curve.beat > low.view.first + 1) & (lane.curve.beat < low.view.last - 1))
        if lane.locked or not inside.size:
            return None
        beat, value = lane.curve.beat[inside[0]], lane.curve.value[inside[0]]
        y = top + 6 + (1.0 - value) * (height - 13)
        return QPoint(round(56 + low.view.x(float(beat))), round(y)), float(beat)

    def slow_drag(self, widget: QWidget, start: QPoint, end: QPoint) -> None:
        """As a person drags: each move is painted before the next, and what it replaced is gone."""
        QTest.mouseMove(widget, start)
        QTest.mousePress(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start)
        for step in range(1, 13):
            self.move_held(widget, QPointF(start) + (QPointF(end) - QPointF(start)) * (step / 12.0))
            self.wait(2)
        QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, end)
        self.wait()

    def test_every_part_is_painted_as_it_is(self) -> None:
        session = self.session
        self.check("opening")
        rng = np.random.default_rng(3)
        lanes = [lane.id for lane in session.project.lanes() if len(lane.curve) > 3][:4]
        for key in lanes:
            session.focus.on(key)
            self.wait()
            for _ in range(3):
                i = int(rng.integers(1, len(self.curve()) - 1))
                beat = float(self.curve().beat[i])
                self.view.show(max(beat - 8.0, 0.0), beat + 8.0)
                self.wait()
                start = self.spot(beat, float(self.curve().value[i]))
                self.slow_drag(self.lane, start, self.spot(beat + 0.5, float(rng.random())))
            self.check(f"drags on {key}")
        low = self.window.areas.low_lanes
        self.view.show(0.0, session.project.length)
        moved = 0
        for number in range(len(low._tops())):
            found = self.low_spot(number)
            if found is not None and moved < 6:
                before = session.project
                at = found[0]
                self.slow_drag(low, at, at + QPoint(0, 9 if moved % 2 else -9))
                moved += session.project is not before
                self.check(f"a drag on other lane {number}")
        self.assertGreater(moved, 2)

        def edit(what: str, project: Any) -> None:
            session.document.edit(what, project)
            self.wait()
            self.check(what)

        project = session.project
        lane = low.lanes[0]
        own = project.track_of(lane.id)
        edit("bypass", replacement.with_lane(project, replace(lane, bypassed=True)))
        edit("a track's name", naming.track_renamed(session.project, own.id, "Another name"))
        edit("meter", replace(session.project, meter=MeterMap((MeterPoint(1, 3, 4),))))
        edit("tempo", replace(session.project, tempo=TempoMap((TempoPoint(0.0, 97.0),))))
        edit("length", replace(session.project, length=session.project.length + 16.0))
        self.do("undo")
        self.check("undo")
        self.do("redo")
        self.check("redo")
        QTest.keyClick(self.lane, Qt.Key.Key_B)
        self.do("remove-lane")
        self.check("removing a lane")
        self.do("theme")
        self.check("another theme")
        self.show(build())
        self.wait()
        self.check("another project")
        self.assertEqual(self.errors, [])

    def test_what_meets_in_one_project_is_painted_as_it_is(self) -> None:
        """Projects in which many features are at once (tests/crossings), and a drag in each."""
        with probes(), tempfile.TemporaryDirectory() as folder:
            start = bare(Path(folder))
            every = sets(14)
            chosen = every if os.environ.get("ZOLVEK_LONG") else every[:4]
            for names in chosen:
                project = as_described(made(start, names))
                self.show(project)
                self.session.focus.on(LANE)
                self.view.show(0.0, project.length)
                self.wait()
                what = ", ".join(sorted(names))
                self.check(what)
                place = len(self.curve()) // 2
                at = self.spot(float(self.curve().beat[place]), float(self.curve().value[place]))
                self.slow_drag(self.lane, at, at + QPoint(7, 12))
                self.check(f"a drag with {what}")
                self.do("undo")
                self.check(f"undo with {what}")


if __name__ == "__main__":
    unittest.main()
