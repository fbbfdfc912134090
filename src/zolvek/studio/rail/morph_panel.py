"""The Morph panel: states, morphs between them, and the pad."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QAction, QIcon, QPainter, QPixmap
from PyQt6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QInputDialog,
    QListWidget,
    QListWidgetItem,
    QSizePolicy,
    QStackedWidget,
    QToolButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from zolvek.core import morphing, states
from zolvek.core import pad as pads
from zolvek.core.curve import Curve
from zolvek.core.errors import ZolvekError
from zolvek.core.morphing import MOMENTS, STAGGERS, Way
from zolvek.core.pad import TRAVELS, WEIGHTS, Corner, Pad
from zolvek.core.project import Device
from zolvek.core.rates import parse_rate
from zolvek.core.shapes import LINE, SHAPES
from zolvek.core.states import Part, State, Values
from zolvek.core.thinning import thinned
from zolvek.core.units import read
from zolvek.studio import commands
from zolvek.studio import theme as themes
from zolvek.studio.rail.pad_view import PadView
from zolvek.studio.session import Session
from zolvek.studio.widgets import (
    Entry,
    button,
    choice,
    column,
    field_label,
    form,
    heading,
    note,
    pick,
)

STATE = Qt.ItemDataRole.UserRole
NOW = ""
BARS = QSize(46, 20)
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
PATH_TOLERANCE = 0.004


class MorphPanel(QWidget):
    def __init__(self, session: Session, actions: Callable[[str], QAction]) -> None:
        super().__init__()
        self.session = session
        layout = column(self)
        layout.setSpacing(5)
        layout.addWidget(heading("Morph"))
        self.pages = QStackedWidget()
        self.tabs: dict[str, QToolButton] = {}
        line = QHBoxLayout()
        line.setSpacing(4)
        for text, page in (("States", StatesPage), ("Morph", MorphPage), ("Pad", PadPage)):
            tab = QToolButton()
            tab.setText(text)
            tab.setCheckable(True)
            tab.setStyleSheet("padding: 4px 2px;")
            tab.setSizePolicy(tab.sizePolicy().Policy.Expanding, tab.sizePolicy().Policy.Fixed)
            tab.clicked.connect(lambda _, t=text: self.show_page(t))
            line.addWidget(tab)
            self.tabs[text] = tab
            self.pages.addWidget(page(session))
        layout.addLayout(line)
        layout.addWidget(self.pages, 1)
        self.show_page("States")

    def show_page(self, text: str) -> None:
        self.pages.setCurrentIndex(list(self.tabs).index(text))
        for key, tab in self.tabs.items():
            tab.setChecked(key == text)


def _page(widget: QWidget) -> QVBoxLayout:
    layout = QVBoxLayout(widget)
    layout.setContentsMargins(0, 4, 0, 0)
    layout.setSpacing(5)
    return layout


def _gives_way(table: QTreeWidget) -> None:
    """A table that takes what room is left, and asks for little."""
    table.setMinimumHeight(84)
    table.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)
    table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)


def _own_states(session: Session) -> list[State]:
    """The states that hold something of the shown device."""
    return [state for state in session.project.states if state.of(session.device or "")]


def _span(session: Session) -> tuple[float, float]:
    if session.span is None:
        raise ZolvekError("Over which span?", remedy="Drag one on the ruler first.")
    return session.span


class StatesPage(QWidget):
    """Settings kept under a name."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.tries = 0
        layout = _page(self)
        self.device = note()
        layout.addWidget(self.device)
        self.list = QListWidget()
        self.list.setAccessibleName("States of the device")
        self.list.setIconSize(BARS)
        self.list.setSelectionMode(QListWidget.SelectionMode.ExtendedSelection)
        self.list.setToolTip("Choose two to compare them with each other")
        self.list.itemSelectionChanged.connect(self._compare)
        self.list.setMinimumHeight(76)
        self.list.setMaximumHeight(110)
        self.list.currentItemChanged.connect(lambda *_: self._compare())
        layout.addWidget(self.list)
        self.table = QTreeWidget()
        self.table.setHeaderLabels(["", "State", "Now"])
        self.table.setRootIsDecorated(False)
        self.table.setAccessibleName("What differs from now")
        self.table.setColumnWidth(0, 84)
        self.table.setColumnWidth(1, 58)
        _gives_way(self.table)
        layout.addWidget(self.table, 1)
        rows = (
            (("Keep now", self.keep, "The controls as they stand"), ("At playhead", self.keep_heard, "As they are heard there")),
            (("From preset…", self.keep_preset, ""), ("Whole chain", self.keep_chain, "All devices of the track")),
            (("Keep ticked", self.keep_ticked, "Only the ticked parameters of the chosen state"), ("Copy to…", self.copy, "To another device of the kind")),
            (("Go there", self.go, "Turn the controls to the state"), ("Update", self.update_state, "To the controls as they stand; linked morphs follow")),
            (("Rename…", self.rename, ""), ("Delete", self.delete, "")),
            (("Write…", self.write, "All states of the device to a file"), ("Read…", self.read, "States from a file")),
        )  # fmt: skip
        for row in rows:
            line = QHBoxLayout()
            for text, work, tip in row:
                line.addWidget(
                    button(text, lambda w=work: session.try_to(w), text == "Keep now", tip)
                )
            layout.addLayout(line)
        self.distance = Entry(
            "Distance of variations",
            lambda t: read(t, "%") is not None,
            "How far variations go: 5 to 50 %",
        )
        self.distance.setText("20 %")
        line = QHBoxLayout()
        line.addWidget(
            button(
                "Vary",
                lambda: session.try_to(self.vary),
                tip="Three variations, kept as states; Ctrl+1 to Ctrl+3 hear them",
            )
        )
        line.addWidget(field_label("by"))
        line.addWidget(self.distance, 1)
        layout.addLayout(line)
        for signal in (session.project_changed, session.focus_changed, session.touched):
            signal.connect(self.refresh)
        self.refresh()

    @property
    def own(self) -> Device:
        return commands.chosen_device(self.session)

    @property
    def state(self) -> State | None:
        item = self.list.currentItem()
        key = item.data(STATE) if item else None
        return next((s for s in self.session.project.states if s.id == key), None)

    def refresh(self) -> None:
        session = self.session
        chosen = self.state.id if self.state else None
        found = _own_states(session)
        device = session.device
        self.device.setText(f"States of {self.own.name}" if device else "No device.")
        self.list.blockSignals(True)
        self.list.clear()
        for state in found:
            count = len(states.differing(state.of(device or ""), states.present(self.own)))
            item = QListWidgetItem(
                f"{state.name}   ({count} differ)" if count else f"{state.name}   (as now)"
            )
            item.setData(STATE, state.id)
            item.setIcon(self._bars(state.of(device or "")))
            self.list.addItem(item)
            if state.id == chosen:
                self.list.setCurrentItem(item)
        self.list.blockSignals(False)
        self._compare()

    def _bars(self, values: Values) -> QIcon:
        """A bar for each parameter, as tall as its position."""
        theme = themes.THEMES[self.session.settings.theme]
        pixmap = QPixmap(BARS)
        pixmap.fill(themes.color(theme.raised))
        painter = QPainter(pixmap)
        keys = [parameter.id for parameter in self.own.parameters if parameter.id in values]
        wide = BARS.width() / max(len(keys), 1)
        for place, key in enumerate(keys):
            tall = values[key] * (BARS.height() - 2)
            bar = QRectF(place * wide, BARS.height() - 1 - tall, max(wide - 1.0, 1.0), tall + 1)
            painter.fillRect(bar, themes.color(theme.curve))
        painter.end()
        return QIcon(pixmap)

    def _compare(self) -> None:
        self.table.clear()
        state = self.state
        if state is None or self.session.device is None:
            return
        values, now = state.of(self.own.id), states.present(self.own)
        picked = [item.data(STATE) for item in self.list.selectedItems()]
        other = next(
            (s for s in _own_states(self.session) if s.id in picked and s is not state), None
        )
        if other is not None:
            now = {**now, **other.of(self.own.id)}
        self.table.setHeaderLabels(["", state.name, other.name if other else "Now"])
        for parameter in self.own.parameters:
            key = parameter.id
            if key in values and abs(values[key] - now[key]) > states.SAME:
                row = QTreeWidgetItem(
                    [parameter.name, parameter.text(values[key]), parameter.text(now[key])]
                )
                row.setToolTip(0, parameter.name)
                row.setData(0, STATE, key)
                row.setCheckState(0, Qt.CheckState.Checked)
                self.table.addTopLevelItem(row)

    def keep_ticked(self) -> None:
        """A state of the ticked parameters only; the others will stay where they are."""
        state = self._needed()
        rows = [self.table.topLevelItem(i) for i in range(self.table.topLevelItemCount())]
        ticked = [r.data(0, STATE) for r in rows if r and r.checkState(0) == Qt.CheckState.Checked]
        if not ticked:
            raise ZolvekError("Nothing is ticked.", remedy="Tick what the state shall hold.")
        values = state.of(self.own.id)
        self._keep(f"{state.name}, part", {key: values[key] for key in ticked})

    def _keep(self, name: str, values: Values) -> str:
        project, key = states.kept(self.session.project, name, (Part(self.own.id, values),))
        self.session.edit(f"Keep the state {name}", project)
        return key

    def keep(self) -> None:
        self._keep("State", states.present(self.own))

    def keep_heard(self) -> None:
        values = states.at_beat(self.session.project, self.own.id, self.session.place)
        self._keep(f"Bar {self.session.project.meter.bar_at(self.session.place)}", values)

    def keep_preset(self) -> None:
        names = [preset.name for preset in self.own.row.presets]
        if not names:
            raise ZolvekError("The device has no presets.", self.own.name, "Keep what it is now.")
        name, done = QInputDialog.getItem(self, "Keep a preset", "Preset:", names, 0, False)
        if done:
            self._keep(name, self.own.row.preset(name))

    def keep_chain(self) -> None:
        track = commands.shown_track(self.session)
        parts = tuple(Part(device.id, states.present(device)) for device in track.devices)
        project, _ = states.kept(self.session.project, f"{track.name}, all", parts)
        self.session.edit("Keep the whole chain", project)

    def _needed(self) -> State:
        if self.state is None:
            raise ZolvekError("No state is chosen.", remedy="Choose one in the list.")
        return self.state

    def go(self) -> None:
        state = self._needed()
        self.session.edit(f"Go to {state.name}", states.set_to(self.session.project, state))

    def update_state(self) -> None:
        state = self._needed()
        project = self.session.project
        parts = tuple(
            Part(p.device, states.present(project.device_track(p.device).device(p.device)))
            for p in state.parts
        )
        self.session.edit(
            f"Update {state.name}", states.with_state(project, replace(state, parts=parts))
        )

    def rename(self) -> None:
        state = self._needed()
        name, done = QInputDialog.getText(self, "Name the state", "Name:", text=state.name)
        if done and name.strip():
            project = self.session.project
            renamed = tuple(
                replace(s, name=name.strip()) if s.id == state.id else s for s in project.states
            )
            self.session.edit("Name the state", replace(project, states=renamed))

    def delete(self) -> None:
        state = self._needed()
        self.session.edit(
            f"Delete {state.name}", states.without_state(self.session.project, state.id)
        )

    def vary(self) -> None:
        """Three variations of the chosen state, or of what is there now."""
        base = self.state.of(self.own.id) if self.state else states.present(self.own)
        name = self.state.name if self.state else "Now"
        distance = min(max((read(self.distance.text(), "%") or 20.0) / 100.0, 0.0), 1.0)
        project = self.session.project
        for number in (1, 2, 3):
            seed = 3 * self.tries + number
            values = states.mutated(self.own, base, distance, seed)
            project, _ = states.kept(project, f"{name} ~ {seed}", (Part(self.own.id, values),))
        self.tries += 1
        self.session.edit("Three variations", project)

    def hear(self, number: int) -> None:
        """The controls at one of the last three states kept: what the keys do."""
        found = _own_states(self.session)[-3:]
        if number < len(found):
            project = states.set_to(self.session.project, found[number])
            self.session.edit(f"Go to {found[number].name}", project)

    def copy(self) -> None:
        state = self._needed()
        project = self.session.project
        others = {
            f"{track.name} · {device.name}": device.id
            for track in project.tracks for device in track.devices
            if device.kind == self.own.kind and device.id != self.own.id
        }  # fmt: skip
        if not others:
            raise ZolvekError("There is no other device of this kind.", remedy="Add one first.")
        label, done = QInputDialog.getItem(
            self, "Copy the state", "Device:", list(others), 0, False
        )
        if done:
            part = Part(others[label], state.of(self.own.id))
            self.session.edit("Copy the state", states.kept(project, state.name, (part,))[0])

    def write(self) -> None:
        self.window().files.export_states(self.own.id)  # type: ignore[union-attr]

    def read(self) -> None:
        self.window().files.import_states(self.own.id)  # type: ignore[union-attr]


class MorphPage(QWidget):
    """From one state to another over the selected span, seen as a table first."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        layout = _page(self)
        self.start = choice([], "From", lambda _: self.refresh())
        self.end = choice([], "To", lambda _: self.refresh())
        self.shape = choice(
            [(s.label, s.key) for s in SHAPES], "Shape of the morph", lambda _: None
        )
        self.amount = Entry(
            "Amount of the shape",
            lambda t: self._number(t) is not None,
            "−1 to 1 for bends and S-curves",
        )
        self.amount.setText("0")
        self.moment = choice(
            [(t, k) for k, t in MOMENTS.items()], "When choices jump", lambda _: None
        )
        self.stagger = choice(
            [(t, k) for k, t in STAGGERS.items()], "How groups follow", lambda _: None
        )
        self.after = choice(
            [("Stays there after", True), ("Comes back after", False)],
            "After the span",
            lambda _: None,
        )
        fields = form()
        for text, widget in (
            ("From", self.start),
            ("To", self.end),
            ("Shape", self.shape),
            ("Amount", self.amount),
        ):
            fields.addRow(field_label(text), widget)
        pick(self.shape, "line")
        layout.addLayout(fields)
        self.table = QTreeWidget()
        self.table.setHeaderLabels(["Moves", "From", "To"])
        self.table.setRootIsDecorated(False)
        self.table.setAccessibleName("What the morph moves")
        self.table.setColumnWidth(0, 92)
        self.table.setColumnWidth(1, 54)
        _gives_way(self.table)
        layout.addWidget(self.table, 1)
        for widget in (self.moment, self.stagger, self.after):
            layout.addWidget(widget)
        self.linked = QCheckBox("Follows its states later")
        self.linked.setChecked(True)
        layout.addWidget(self.linked)
        layout.addWidget(button("Morph over the span", lambda: session.try_to(self.apply), True))
        layout.addWidget(
            button(
                "Through all, by sections",
                lambda: session.try_to(self.chain),
                tip="One state after another, at each section border in the selected span",
            )
        )
        layout.addWidget(note("Not a crossfade: one sound whose controls move."))
        for signal in (
            session.project_changed,
            session.focus_changed,
            session.touched,
            session.span_changed,
        ):
            signal.connect(self.refresh)
        self.refresh()

    def _number(self, text: str) -> float | None:
        try:
            return float(text.replace("−", "-").replace(",", "."))
        except ValueError:
            return None

    def refresh(self) -> None:
        found = _own_states(self.session)
        for box, first in ((self.start, [("What is there now", NOW)]), (self.end, [])):
            shown = box.currentData()
            box.blockSignals(True)
            box.clear()
            for text, key in [*first, *((s.name, s.id) for s in found)]:
                box.addItem(text, key)
            if shown is not None:
                pick(box, shown)
            box.blockSignals(False)
        self._show_table()

    def _show_table(self) -> None:
        session = self.session
        left_out = self.left_out
        self.table.clear()
        if session.device is None or self.end.currentData() is None:
            return
        first = session.span[0] if session.span else session.place
        try:
            start, end = self._ends(first)
            rows = morphing.rows(session.project, session.device, start, end)
        except ZolvekError:
            return
        for row in rows:
            text = row.parameter.text
            item = QTreeWidgetItem([row.parameter.name, text(row.start), text(row.end)])
            item.setData(0, STATE, row.parameter.id)
            item.setToolTip(0, row.parameter.name)
            ticked = row.parameter.id not in left_out
            item.setCheckState(0, Qt.CheckState.Checked if ticked else Qt.CheckState.Unchecked)
            self.table.addTopLevelItem(item)

    @property
    def left_out(self) -> tuple[str, ...]:
        items = [self.table.topLevelItem(i) for i in range(self.table.topLevelItemCount())]
        return tuple(
            item.data(0, STATE) for item in items
            if item is not None and item.checkState(0) == Qt.CheckState.Unchecked
        )  # fmt: skip

    def _ends(self, first: float) -> tuple[Values, Values]:
        session = self.session
        assert session.device is not None
        found = []
        for box in (self.start, self.end):
            key = box.currentData()
            if key:
                found.append(states.state_of(session.project, str(key)).of(session.device))
            else:
                found.append(states.at_beat(session.project, session.device, first))
        return {**found[0]}, {**found[0], **found[1]}

    def way(self) -> Way:
        return Way(
            str(self.shape.currentData()), self._number(self.amount.text()) or 0.0,
            str(self.moment.currentData()), str(self.stagger.currentData()),
            bool(self.after.currentData()), left_out=self.left_out,
        )  # fmt: skip

    def apply(self) -> None:
        session, device = self.session, commands.chosen_device(self.session)
        first, last = _span(session)
        end = self.end.currentData()
        if end is None:
            raise ZolvekError("There is no state to go to.", remedy="Keep one on the States page.")
        stops = [(first, str(self.start.currentData() or "")), (last, str(end))]
        project = morphing.chained(
            session.project, device.id, stops, self.way(), self.linked.isChecked()
        )
        name = states.state_of(project, str(end)).name
        session.edit(f"Morph to {name}", project)

    def chain(self) -> None:
        """Through the device's states in their order, one to each section of the span."""
        session, device = self.session, commands.chosen_device(self.session)
        first, last = _span(session)
        borders = [s.beat for s in session.project.sections if first < s.beat < last]
        found = [state.id for state in _own_states(session)]
        beats = [first, *borders, last]
        if len(found) < len(beats) - 1:
            raise ZolvekError(
                f"The span has {len(beats) - 1} parts, and there are {len(found)} states.",
                remedy="Keep more states, or select fewer sections.",
            )
        stops = list(zip(beats, ["", *found[: len(beats) - 1]], strict=True))
        project = morphing.chained(
            session.project, device.id, stops, self.way(), self.linked.isChecked()
        )
        session.edit(f"Morph through {len(beats) - 1} states", project)


class PadPage(QWidget):
    """States on a square, and the puck's way among them."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.gesture: object = None
        self.route: list[
            tuple[float, float, float]
        ] = []  # beat, x, y of a puck moved while it plays
        layout = _page(self)
        self.view = PadView(session)
        self.view.puck_moved.connect(self._puck)
        self.view.puck_released.connect(self._released)
        self.view.placed.connect(self._placed)
        self.view.drawn.connect(self._drawn)
        layout.addWidget(self.view)
        self.corners = QListWidget()
        self.corners.setAccessibleName("States on the pad")
        self.corners.setMaximumHeight(86)
        self.corners.itemChanged.connect(self._toggle)
        layout.addWidget(self.corners)
        self.weighing = choice(
            [(t, k) for k, t in WEIGHTS.items()], "How states count", self._weigh
        )
        layout.addWidget(self.weighing)
        self.draw = QCheckBox("Draw its path")
        self.draw.clicked.connect(lambda on: setattr(self.view, "drawing", on))
        layout.addWidget(self.draw)
        self.kind = choice(
            [(t, k) for k, t in TRAVELS.items()], "Way of travelling", lambda _: None
        )
        self.rate = Entry(
            "Once round in", lambda t: session.try_to(lambda: parse_rate(t)), "1 bar, 1/2, 8 beats"
        )
        self.rate.setText("2 bars")
        self.seed = Entry("Seed of the wander", lambda t: t.strip().isdigit(), "")
        self.seed.setText("1")
        fields = form()
        fields.addRow(field_label("Travel"), self.kind)
        fields.addRow(field_label("Once in"), self.rate)
        fields.addRow(field_label("Seed"), self.seed)
        layout.addLayout(fields)
        line = QHBoxLayout()
        line.addWidget(
            button("Travel", lambda: session.try_to(self.travel), tip="Over the selected span")
        )
        line.addWidget(
            button(
                "To lanes",
                lambda: session.try_to(self.write),
                True,
                "The path as lanes of all that it moves",
            )
        )
        layout.addLayout(line)
        line = QHBoxLayout()
        self.axes = {}
        for axis, text in (("x", "Edit across"), ("y", "Edit up")):
            made = button(
                text,
                lambda a=axis: session.try_to(lambda: self.edit(a)),
                tip="The path as a curve, with every tool",
            )
            made.setCheckable(True)
            line.addWidget(made)
            self.axes[axis] = made
        layout.addLayout(line)
        layout.addStretch(1)
        for signal in (session.project_changed, session.focus_changed, session.touched):
            signal.connect(self.refresh)
        self.refresh()

    @property
    def pad(self) -> Pad:
        return pads.pad_of(self.session.project, commands.chosen_device(self.session).id)

    def _set(self, label: str, pad: Pad) -> None:
        self.session.edit(label, pads.with_pad(self.session.project, pad))

    def refresh(self) -> None:
        session = self.session
        if session.device is None:
            return
        pad = self.pad
        on = {corner.state for corner in pad.corners}
        self.corners.blockSignals(True)
        self.corners.clear()
        for state in _own_states(session):
            item = QListWidgetItem(state.name)
            item.setData(STATE, state.id)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if state.id in on else Qt.CheckState.Unchecked)
            self.corners.addItem(item)
        self.corners.blockSignals(False)
        pick(self.weighing, pad.weighing)
        for axis, made in self.axes.items():
            made.setChecked(session.axis == axis)
        if not self.view.held:
            self.view.show_pad(pad)

    def _toggle(self, item: QListWidgetItem) -> None:
        pad, key = self.pad, item.data(STATE)

        def work() -> None:
            if item.checkState() != Qt.CheckState.Checked:
                rest = tuple(corner for corner in pad.corners if corner.state != key)
                self._set("Take a state off the pad", replace(pad, corners=rest))
                return
            taken = {(corner.x, corner.y) for corner in pad.corners}
            x, y = next((p for p in PLACES if p not in taken), (0.5, 0.5))
            self._set(
                "Put a state on the pad", replace(pad, corners=(*pad.corners, Corner(key, x, y)))
            )

        self.session.try_to(work)
        self.refresh()

    def _placed(self, key: str, x: float, y: float) -> None:
        corners = tuple(replace(c, x=x, y=y) if c.state == key else c for c in self.pad.corners)
        self.session.try_to(lambda: self._set("Place a state", replace(self.pad, corners=corners)))

    def _weigh(self, kind: object) -> None:
        self.session.try_to(
            lambda: self._set("Weigh the pad", replace(self.pad, weighing=str(kind)))
        )

    def _puck(self, x: float, y: float) -> None:
        """The dials move as the puck does; what is armed is recorded."""
        session = self.session
        self.gesture = self.gesture or object()

        def work() -> None:
            pad = self.pad
            for key, position in pads.mixed(session.project, pad, x, y).items():
                commands.turn(session, pad.device, key, float(position[0]), self.gesture)

        session.try_to(work)
        player = self.window().player  # type: ignore[union-attr]
        if player.playing and player.playback is not None:
            import time

            self.route.append((player.playback.beat_at(time.perf_counter()), x, y))

    def _released(self) -> None:
        session, pad = self.session, self.pad
        session.end_gesture()
        self.gesture = None
        if session.recorder is not None:
            for parameter in commands.chosen_device(session).parameters:
                session.recorder.release(pad.device, parameter.id, None)
        route, self.route = self.route, []
        if len(route) > 8 and route[-1][0] - route[0][0] > 0.5:
            beat, x, y = np.array(route).T
            session.try_to(lambda: self._path("The puck's path", beat, x, y))

    def _drawn(self, stroke: list[tuple[float, float, float]]) -> None:
        """A drawn path is spread over the selected span, in the hand's own time."""

        def work() -> None:
            if len(stroke) < 2:
                return
            first, last = _span(self.session)
            seconds, x, y = np.array(stroke).T
            share = (seconds - seconds[0]) / max(seconds[-1] - seconds[0], 1e-9)
            self._path("Draw the puck's path", first + share * (last - first), x, y)

        self.session.try_to(work)

    def _path(self, label: str, beat: np.ndarray, x: np.ndarray, y: np.ndarray) -> None:
        new = np.append(True, np.diff(np.maximum.accumulate(beat)) > 0.0)
        beat, x, y = beat[new], x[new], y[new]
        curves = [
            thinned(
                Curve(beat, v, np.full(len(beat), LINE, np.uint8), np.zeros(len(beat))),
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
        session = self.session
        meter = session.project.meter.meter_at(_span(session)[0])
        rate = parse_rate(self.rate.text(), meter.count * 4.0 / meter.unit)
        pad = pads.travelled(
            self.pad,
            str(self.kind.currentData()),
            rate,
            _span(session),
            session.project,
            int(self.seed.text()),
        )
        self._set("Let the puck travel", pad)

    def write(self) -> None:
        session, pad = self.session, self.pad
        tolerance = max(session.settings.take_tolerance, 0.001)
        session.edit("The pad's path to lanes", pads.as_lanes(session.project, pad, tolerance))
        session.say("The path is kept: edit it and write it again.")

    def edit(self, axis: str) -> None:
        """The path's own curve in the focus lane's place, and back."""
        self.session.draw_axis(None if self.session.axis == axis else axis)
        self.refresh()
