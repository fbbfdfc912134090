# SPDX-License-Identifier: GPL-3.0-or-later
"""The Morph panel's Pad page: states on a square, and the puck's path among them."""

from __future__ import annotations

import time
from functools import partial

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from zolvek.core.curve.construction import lines
from zolvek.core.curve.thinning import thinned
from zolvek.core.edits import pads as pads_edits
from zolvek.core.model.pad import WEIGHTS, Pad, PadCorner
from zolvek.core.movement.morphing import pad_paths
from zolvek.core.movement.morphing.pad_paths import TRAVELS
from zolvek.core.records import replace
from zolvek.core.time.rates import parse_rate
from zolvek.studio.commands.controls import edit_with_lanes
from zolvek.studio.commands.devices import own_states
from zolvek.studio.services.context import Studio
from zolvek.studio.session.chosen import chosen_device
from zolvek.studio.session.control_moves import turn_all
from zolvek.studio.toolkit.fields import Entry, SeedEntry
from zolvek.studio.toolkit.list_search import ListSearch
from zolvek.studio.toolkit.refreshing import RefreshWhileShown
from zolvek.studio.toolkit.widgets import button, choice, field_label, form, page_layout, pick
from zolvek.studio.views.panels.morph.pad_view import PadView
from zolvek.studio.views.panels.morph.states_page import STATE

# Where states are put, one after another: corners first, then the middles of the sides.
PLACES = (
    (0.0, 0.0),
    (1.0, 0.0),
    (1.0, 1.0),
    (0.0, 1.0),
    (0.5, 1.0),
    (0.5, 0.0),
    (0.0, 0.5),
    (1.0, 0.5),
)
PATH_TOLERANCE = 0.004  # of the square's side


class PadPage(QWidget):
    """States on a square, and the puck's way among them."""

    def __init__(self, studio: Studio) -> None:
        super().__init__()
        session = studio.session
        self.studio = studio
        self.session = session
        self.gesture: object = None
        # Beat, x, y of a puck moved while it plays.
        self.route: list[tuple[float, float, float]] = []
        layout = page_layout(self)
        self.view = PadView(session)
        self.view.puck_moved.connect(self._puck)
        self.view.puck_released.connect(self._released)
        self.view.cancelled.connect(self._cancel)
        self.view.placed.connect(self._placed)
        self.view.drawn.connect(self._drawn)
        layout.addWidget(self.view)
        self.corners = QListWidget()
        self.corners.setAccessibleName("States on the pad")
        self.corners.setMaximumHeight(86)
        self.corners.itemChanged.connect(self._toggle)
        self.search = ListSearch("Find a state", self.corners)
        layout.addWidget(self.search)
        layout.addWidget(self.corners)
        self.weighing = choice([(t, k) for k, t in WEIGHTS.items()], "Weighting", self._weigh)
        layout.addWidget(self.weighing)
        self.draw = QCheckBox("Draw path")
        self.draw.clicked.connect(lambda on: setattr(self.view, "drawing", on))
        layout.addWidget(self.draw)
        self._lay_out_path(layout)
        layout.addStretch(1)
        RefreshWhileShown(self, self.refresh, (session.document.changed, session.focus.changed, session.shown.changed))
        self.refresh()

    def _lay_out_path(self, layout: QVBoxLayout) -> None:
        """The puck's path: made, written, edited."""
        session = self.session
        self.kind = choice([(t, k) for k, t in TRAVELS.items()], "Path", lambda _: None)
        self.rate = Entry(
            "Cycle length",
            lambda t: parse_rate(t) is not None,
            "1 bar, 1/2, 8 beats",
        )
        self.rate.setText("2 bars")
        self.seed = SeedEntry("Seed of the random path")
        fields = form()
        fields.addRow(field_label("Path"), self.kind)
        fields.addRow(field_label("Cycle length"), self.rate)
        fields.addRow(field_label("Seed"), self.seed)
        layout.addLayout(fields)
        line = QHBoxLayout()
        line.addWidget(
            button(
                "Move puck",
                lambda: session.notices.attempt(self.travel),
                tip="Moves the puck along the path, over the selected span",
            )
        )
        line.addWidget(
            button(
                "To lanes",
                lambda: session.notices.attempt(self.write),
                True,
                "Writes the path as lanes of all the parameters it moves",
            )
        )
        layout.addLayout(line)
        line = QHBoxLayout()
        self.axes = {}
        for axis, text in (("x", "Edit across"), ("y", "Edit up")):
            result = button(
                text,
                partial(session.notices.attempt, partial(self.edit, axis)),
                tip="Edits the path as a curve, with every tool",
            )
            result.setCheckable(True)
            line.addWidget(result)
            self.axes[axis] = result
        layout.addLayout(line)

    @property
    def pad(self) -> Pad:
        """The device's pad."""
        return pads_edits.pad_of(self.session.project, chosen_device(self.session).id)

    def _set(self, label: str, pad: Pad) -> None:
        self.session.document.edit(label, pads_edits.with_pad(self.session.project, pad))

    def refresh(self) -> None:
        """Show the pad."""
        session = self.session
        if session.shown.device is None:
            return
        pad = self.pad
        on = {corner.state for corner in pad.corners}
        self.corners.blockSignals(True)
        self.corners.clear()
        for state in own_states(session):
            item = QListWidgetItem(state.name)
            item.setData(STATE, state.id)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if state.id in on else Qt.CheckState.Unchecked)
            self.corners.addItem(item)
        self.search.show_matching()
        self.corners.blockSignals(False)
        pick(self.weighing, pad.weighing)
        for axis, result in self.axes.items():
            result.setChecked(session.focus.axis == axis)
        if not self.view.held:
            self.view.show_pad(pad)

    def _toggle(self, item: QListWidgetItem) -> None:
        pad, key = self.pad, item.data(STATE)

        def work() -> None:
            if item.checkState() != Qt.CheckState.Checked:
                rest = tuple(corner for corner in pad.corners if corner.state != key)
                self._set("Remove state from pad", replace(pad, corners=rest))
                return
            taken = {(corner.x, corner.y) for corner in pad.corners}
            x, y = next((p for p in PLACES if p not in taken), (0.5, 0.5))
            self._set("Add state to pad", replace(pad, corners=(*pad.corners, PadCorner(key, x, y))))

        self.session.notices.attempt(work)
        self.refresh()

    def _placed(self, key: str, x: float, y: float) -> None:
        corners = tuple(replace(c, x=x, y=y) if c.state == key else c for c in self.pad.corners)
        self.session.notices.attempt(lambda: self._set("Move state on pad", replace(self.pad, corners=corners)))

    def _weigh(self, kind: object) -> None:
        self.session.notices.attempt(lambda: self._set("Pad weighting", replace(self.pad, weighing=str(kind))))

    def _puck(self, x: float, y: float) -> None:
        """The dials move as the puck does; what is armed is recorded."""
        session = self.session
        self.gesture = self.gesture or object()

        def work() -> None:
            pad = self.pad
            mixed = pad_paths.mixed(session.project, pad, x, y)
            turn_all(session, {(pad.device, key): float(p[0]) for key, p in mixed.items()}, self.gesture)

        session.notices.attempt(work)
        player = self.studio.player
        if player.playing and player.clock is not None:
            self.route.append((player.clock.beat_at(time.perf_counter()), x, y))

    def _cancel(self) -> None:
        """The dials are where they were; a recorded pass keeps that they went back."""
        session, gesture = self.session, self.gesture
        self.gesture, self.route = None, []
        session.document.cancel_gesture(gesture, lambda: None)
        self._release_all()

    def _release_all(self) -> None:
        hands = self.session.passes.hands
        if hands is not None:
            for parameter in chosen_device(self.session).parameters:
                hands.release(self.pad.device, parameter.id, None)

    def _released(self) -> None:
        session = self.session
        session.document.end_gesture()
        self.gesture = None
        self._release_all()
        route, self.route = self.route, []
        if len(route) > 8 and route[-1][0] - route[0][0] > 0.5:
            beat, x, y = np.array(route).T
            session.notices.attempt(lambda: self._path("Puck path", beat, x, y))

    def _drawn(self, stroke: list[tuple[float, float, float]]) -> None:
        """A drawn path is spread over the selected span, in the user's own time."""

        def work() -> None:
            if len(stroke) < 2:
                return
            first, last = self.session.span.needed()
            seconds, x, y = np.array(stroke).T
            share = (seconds - seconds[0]) / max(seconds[-1] - seconds[0], 1e-9)
            self._path("Draw puck path", first + share * (last - first), x, y)

        self.session.notices.attempt(work)

    def _path(self, label: str, beat: np.ndarray, x: np.ndarray, y: np.ndarray) -> None:
        new = np.append(True, np.diff(np.maximum.accumulate(beat)) > 0.0)
        beat, x, y = beat[new], x[new], y[new]
        curves = [
            thinned(
                lines(beat, v),
                PATH_TOLERANCE,
                True,
            ).curve
            for v in (x, y)
        ]
        self._set(
            label,
            replace(self.pad, x=curves[0], y=curves[1], first=float(beat[0]), last=float(beat[-1])),
        )

    def travel(self) -> None:
        """Move the puck along a path over the span."""
        session = self.session
        self.seed.renew(situation := (session.document.opened, self.pad.device, session.span.needed()))
        self.seed.used = situation
        meter = session.project.meter.meter_at(session.span.needed()[0])
        rate = parse_rate(self.rate.text(), meter.count * 4.0 / meter.unit)
        pad = pad_paths.travelled(
            self.pad,
            str(self.kind.currentData()),
            rate,
            session.span.needed(),
            session.project,
            self.seed.seed(),
        )
        self._set("Move along path", pad)

    def write(self) -> None:
        """Write the path to lanes."""
        session, pad = self.session, self.pad
        tolerance = max(session.settings.recording.tolerance, 0.001)
        edit_with_lanes(session, "Write pad path to lanes", pad_paths.as_lanes(session.project, pad, tolerance))
        session.notices.say("The path stays. You can edit it and write it again.")

    def edit(self, axis: str) -> None:
        """The path's own curve in the focus lane's place, and back."""
        focus = self.session.focus
        wanted = None if focus.axis == axis else axis
        self.session.notices.attempt(lambda: focus.draw_on_path(self.session.shown.device, wanted))
        self.refresh()
