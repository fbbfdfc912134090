# SPDX-License-Identifier: GPL-3.0-or-later
"""The Thin panel: fewer points within a tolerance, seen with its error before it is applied."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from zolvek.core.arrays import Bools, among
from zolvek.core.curve import shaping, spans
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.deviation import differences
from zolvek.core.curve.thinning import ThinResult, extremes, straightened, thinned, thinned_to
from zolvek.core.edits import targets
from zolvek.core.edits.targets import Target
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project
from zolvek.core.time.rates import parse_rate
from zolvek.core.value.adjustment import parse_change
from zolvek.core.value.units import read
from zolvek.studio.services.context import Studio
from zolvek.studio.session.command_scope import scope, scope_words, shape_scope, target
from zolvek.studio.session.session import NONE_CHOSEN
from zolvek.studio.toolkit.fields import Entry, NumberEntry
from zolvek.studio.toolkit.refreshing import RefreshWhileShown
from zolvek.studio.toolkit.widgets import button, choice, column, field_label, form, heading, note

CORNER_TO_BELL = 0.1325  # of the corner's period: the bell whose low-pass is 3 dB down there
ON_GRID_BEATS = 1e-6  # beats


class ThinPanel(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.studio, self.session = studio, studio.session
        session = self.session
        # Lane and what of it -> the curve as thinning left it, and as it was before.
        self.originals: dict[tuple[str, str], tuple[Curve, Curve]] = {}
        layout = column(self)
        layout.addWidget(heading("Thin"))
        self.scope = note()
        layout.addWidget(self.scope)
        self.kind = choice(
            [("Within a tolerance", "tolerance"), ("To a number of points", "count")],
            "Method",
            lambda _: self._show_fields(),
        )
        layout.addWidget(self.kind)
        self.tolerance = Entry(
            "Thinning tolerance",
            self._typed,
            "In % of the lane's height, or in the parameter's unit: 1 %, 0.5 dB, 0.2 st",
        )
        self.tolerance.setText("1 %")
        self.count = NumberEntry("Points to keep", 2, 100_000, 16, decimals=0, changed=lambda _: self._again())
        fields = form()
        fields.addRow(field_label("Tolerance"), self.tolerance)
        fields.addRow(field_label("Points"), self.count)
        layout.addLayout(fields)
        self.shapes = QCheckBox("Use shapes, not only lines")
        self.shapes.setChecked(True)
        self.turns = QCheckBox("Keep turning points")
        self.grid = QCheckBox("Keep points on the grid")
        self.all = QCheckBox("All shown lanes")
        for box in (self.shapes, self.turns, self.grid, self.all):
            box.clicked.connect(lambda _: self._again())
            layout.addWidget(box)
        self._lay_out_buttons(layout)
        self.result = note()
        layout.addWidget(self.result)
        layout.addSpacing(6)
        self._lay_out_wholes(layout)
        layout.addWidget(note("Ends, jumps and pinned points (P) are kept."))
        layout.addStretch(1)
        RefreshWhileShown(
            self,
            self.refresh,
            (
                session.span.changed,
                session.points.changed,
                session.focus.changed,
                session.document.changed,
            ),
        )
        self._show_fields()
        self.refresh()

    def _lay_out_buttons(self, layout: QVBoxLayout) -> None:
        line = QHBoxLayout()
        line.addWidget(
            button(
                "Preview",
                self.preview,
                tip="Shows both curves and the error, and plays the result during playback",
            )
        )
        line.addWidget(button("Apply", self.apply, True, "Applies it, as one step"))
        layout.addLayout(line)

    def _lay_out_wholes(self, layout: QVBoxLayout) -> None:
        """What is done to a span as a whole."""
        layout.addWidget(field_label("Whole span"))
        line = QHBoxLayout()
        line.addWidget(button("Straighten", self.straighten, tip="Replaces it by one segment"))
        line.addWidget(
            button(
                "To shapes",
                self.redraw,
                tip="Redraws it with bends, S-curves and cosines, within the tolerance",
            )
        )
        layout.addLayout(line)
        self.corner = Entry(
            "Smooth below",
            lambda t: self._period(t) is not None,
            "Removes movement faster than this note value: 1/4, 1 bar",
        )
        self.corner.setText("1/4")
        line = QHBoxLayout()
        line.addWidget(self.corner, 1)
        line.addWidget(button("Smooth", self.smooth, tip="Low-pass filters the curve over time"))
        layout.addLayout(line)

    def _show_fields(self) -> None:
        by_count = self.kind.currentData() == "count"
        self.tolerance.setEnabled(not by_count)
        self.count.setEnabled(by_count)
        self._again()

    def _typed(self, text: str) -> bool:
        try:
            self._height(text, target(self.session))
        except ZolvekError:
            return False
        self._again()
        return True

    def _again(self) -> None:
        if self.session.preview.curve is not None:
            self.preview()

    def refresh(self) -> None:
        """Show what thinning applies to."""
        session = self.session
        if session.preview.curve is None:
            self.result.setText("")
        drawn = session.target
        words, usable = scope_words(session)
        if usable and drawn is not None:
            first, last, _ = scope(session)
            count = int(((drawn.curve.beat >= first) & (drawn.curve.beat <= last)).sum())
            words = f"{words[:-1]}: {count} points."
        self.scope.setText(words)

    def _height(self, text: str, drawn: Target) -> float:
        """A tolerance as curve values. A number in % is of the height; one in the parameter's own
        unit is what that is where the curve is most sensitive to it."""
        clean = text.strip()
        if clean.endswith("%"):
            number = read(clean, "%")
            if number is not None and 0.0 < number <= 100.0:
                return number / 100.0
        if not clean.endswith("%"):
            parameter = drawn.parameter
            change = parse_change(parameter, clean if clean[:1] in "+-x" else f"+{clean}")
            position = drawn.to_position(np.linspace(0.02, 0.98, 49))
            steps = np.abs(change(position) - position) / abs(drawn.reach[1] - drawn.reach[0])
            result = float(steps[steps > 0.0].min(initial=np.inf))
            if np.isfinite(result):
                return min(result, 1.0)
        raise ZolvekError(f"“{text}” is not a tolerance.", "Tolerance", "Type 1 %, or 0.5 dB.")

    def _kept(self, drawn: Target, thin: Curve, first: float) -> Bools:
        """The points of a piece that are to stay."""
        session = self.session
        pins = () if drawn.aside else session.project.lane(drawn.lane).pins
        keep = among(thin.beat + first, np.array(pins))
        if self.turns.isChecked():
            keep |= extremes(thin)
        if self.grid.isChecked():
            at = thin.beat + first
            keep |= np.abs(session.tools.grid.snap(at, session.project.meter) - at) < ON_GRID_BEATS
        return keep

    def _thinned(self, drawn: Target, first: float, last: float) -> tuple[Curve, ThinResult]:
        """The whole curve with the span thinned, and what thinning says of the span. A curve that has been
        thinned here already is thinned from what it was before: errors don't add up."""
        part = spans.piece(self._original(drawn), first, last)
        keep = self._kept(drawn, part, first)
        if self.kind.currentData() == "count":
            done = thinned_to(part, int(self.count.value()), self.shapes.isChecked(), keep)
        else:
            done = thinned(part, self._height(self.tolerance.text(), drawn), self.shapes.isChecked(), keep)
        return spans.splice(drawn.curve, first, done.curve, last), done

    def _original(self, drawn: Target) -> Curve:
        """What the curve was before it was thinned here, while it is as that left it."""
        kept = self.originals.get((drawn.lane, drawn.aside))
        return kept[1] if kept is not None and kept[0] is drawn.curve else drawn.curve

    def _remember(self, drawn: Target, made: Curve) -> None:
        self.originals[drawn.lane, drawn.aside] = made, self._original(drawn)

    def preview(self) -> None:
        """Show the thinned curve as a preview."""

        def work() -> None:
            session = self.session
            drawn = target(session)
            first, last, _ = scope(session)
            curve, done = self._thinned(drawn, first, last)
            session.preview.show(curve, differences(self._original(drawn), curve))
            self._say(first, done)

        self.session.notices.attempt(work)

    def _say(self, first: float, done: ThinResult) -> None:
        at = self.session.project.meter.text(first + done.beat)
        self.result.setText(
            f"{done.before} points, {done.after} after. Largest error {100 * done.error:.2f} % of the height, at {at}."
        )

    def apply(self) -> None:
        """Thin."""

        def work() -> None:
            session = self.session
            drawn = target(session)
            first, last, _ = scope(session)
            session.preview.show(None)
            if not self.all.isChecked():
                curve, done = self._thinned(drawn, first, last)
                session.edit_curve(f"Thin to {done.after} points", curve, NONE_CHOSEN)
                self._remember(drawn, curve)
                self._say(first, done)
                return
            project, before, after = self._all_thinned(session.project, first, last)
            select = partial(session.points.place, NONE_CHOSEN)
            session.document.edit(f"Thin all shown lanes to {after} points", project, select=select)
            self.result.setText(f"{before} points, {after} after.")

        self.session.notices.attempt(work)

    def _all_thinned(self, project: Project, first: float, last: float) -> tuple[Project, int, int]:
        from zolvek.core.edits.replacement import with_curve

        before = after = 0
        for lane in list(project.lanes()):
            if not (lane.hidden or lane.locked) and len(lane.curve) > 2:
                drawn = targets.base(project, lane.id)
                curve, done = self._thinned(drawn, first, last)
                project = with_curve(project, lane.id, curve)
                before, after = before + done.before, after + done.after
        return project, before, after

    def _shape(self, label: str, work: Callable[[Curve], Curve]) -> None:
        self.session.notices.attempt(lambda: shape_scope(self.session, label, work))

    def straighten(self) -> None:
        """Replace the span by one segment."""
        self._shape("Straighten", straightened)

    def redraw(self) -> None:
        """Redraw the span with shapes."""

        def work() -> None:
            height = self._height(self.tolerance.text(), target(self.session))
            shape_scope(self.session, "Redraw as shapes", lambda curve: thinned(curve, height, True).curve)

        self.session.notices.attempt(work)

    def _period(self, text: str) -> float | None:
        try:
            rate = parse_rate(text)
        except ZolvekError:
            return None
        bpm = float(self.session.project.tempo.bpm(self.session.playhead.beat))
        return rate.period * bpm / 60.0 if rate.timed else rate.period

    def smooth(self) -> None:
        """Smooth the span."""
        beats = self._period(self.corner.text())
        if beats is not None:
            self._shape("Smooth", lambda curve: shaping.smoothed(curve, CORNER_TO_BELL * beats))
