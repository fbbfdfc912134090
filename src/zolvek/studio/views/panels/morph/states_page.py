# SPDX-License-Identifier: GPL-3.0-or-later
"""The Morph panel's States page: settings kept under a name."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QIcon, QPainter, QPixmap
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QSizePolicy,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from zolvek.core.edits import states
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Device
from zolvek.core.model.state import State, StatePart, Values
from zolvek.core.movement.morphing import morphs
from zolvek.core.records import replace
from zolvek.core.value.number_entry import number_of
from zolvek.core.value.units import read
from zolvek.studio.commands.devices import own_states
from zolvek.studio.services.context import Studio
from zolvek.studio.session.chosen import chosen_device, shown_track
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.fields import Entry
from zolvek.studio.toolkit.inline_field import RowName
from zolvek.studio.toolkit.list_search import ListSearch
from zolvek.studio.toolkit.refreshing import RefreshWhileShown
from zolvek.studio.toolkit.widgets import button, field_label, note, page_layout

STATE = Qt.ItemDataRole.UserRole
BARS = QSize(46, 20)


def gives_way(table: QTreeWidget) -> None:
    """A table that takes what room is left, and asks for little."""
    table.setMinimumHeight(84)
    table.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)
    table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)


class StatesPage(QWidget):
    """Settings kept under a name."""

    def __init__(self, studio: Studio) -> None:
        super().__init__()
        session = studio.session
        self.studio = studio
        self.session = session
        self.tries = 0
        layout = page_layout(self)
        self.device = note()
        layout.addWidget(self.device)
        self.list = QListWidget()
        self.list.setAccessibleName("States of the device")
        self.list.setIconSize(BARS)
        self.list.setSelectionMode(QListWidget.SelectionMode.ExtendedSelection)
        self.list.setToolTip("Select two to compare them")
        self.list.itemSelectionChanged.connect(self._compare)
        self.list.setMinimumHeight(76)
        self.list.setMaximumHeight(110)
        self.list.currentItemChanged.connect(lambda *_: self._compare())
        self.naming = RowName(self.list, self._renamed)
        self.search = ListSearch("Find a state", self.list)
        layout.addWidget(self.search)
        layout.addWidget(self.list)
        self.table = QTreeWidget()
        self.table.setHeaderLabels(["", "State", "Now"])
        self.table.setRootIsDecorated(False)
        self.table.setAccessibleName("Difference from now")
        self.table.setColumnWidth(0, 84)
        self.table.setColumnWidth(1, 58)
        gives_way(self.table)
        layout.addWidget(self.table, 1)
        rows = (
            (("Store", self.keep, "Stores the current control values"), ("At playhead", self.keep_heard,
                "Stores the values heard at the playhead")),
            (("From preset…", self.keep_preset, ""), ("Whole chain", self.keep_chain, "All devices of the track")),
            (("Store ticked", self.keep_ticked, "Stores only the ticked parameters of the selected state"), ("Copy to…",
                self.copy, "Copies to another device of the same type")),
            (("Recall", self.go, "Sets the controls to the state"), ("Update", self.update_state,
                "Updates the state from the controls; linked morphs follow")),
            (("Rename", self.rename, "Edits the name in the list"), ("Delete", self.delete, "")),
            (("Export…", self.write, "Exports all states of the device"), ("Import…", self.read,
                "Imports states from a file")),
        )  # fmt: skip
        for row in rows:
            line = QHBoxLayout()
            for text, work, tip in row:
                line.addWidget(button(text, partial(session.notices.attempt, work), text == "Store", tip))
            layout.addLayout(line)
        self._lay_out_variations(layout)
        RefreshWhileShown(self, self.refresh, (session.document.changed, session.focus.changed, session.shown.changed))

    def _lay_out_variations(self, layout: QVBoxLayout) -> None:
        """Variations of the state."""
        session = self.session
        self.distance = Entry(
            "Distance of variations",
            lambda t: number_of(t, "%", 0.0, 100.0, "Distance of variations") >= 0.0,
            "How far variations go, 5 to 50 %",
        )
        self.distance.setText("20 %")
        line = QHBoxLayout()
        line.addWidget(
            button(
                "Vary",
                lambda: session.notices.attempt(self.vary),
                tip="Stores three variations as states; Ctrl+1 to Ctrl+3 recall them",
            )
        )
        line.addWidget(field_label("by", self.distance))
        line.addWidget(self.distance, 1)
        layout.addLayout(line)

    @property
    def own(self) -> Device:
        """The shown device."""
        return chosen_device(self.session)

    @property
    def state(self) -> State | None:
        """The selected state, if any."""
        item = self.list.currentItem()
        key = item.data(STATE) if item else None
        return next((s for s in self.session.project.states if s.id == key), None)

    def refresh(self) -> None:
        """Show the states."""
        session = self.session
        chosen = self.state.id if self.state else None
        result = own_states(session)
        device = session.shown.device
        self.device.setText(f"States of {self.own.name}" if device else "No device")
        now = states.present(self.own) if result else {}
        self.list.blockSignals(True)
        self.list.clear()
        for state in result:
            count = len(states.differing(state.of(device or ""), now))
            item = QListWidgetItem(f"{state.name}   ({count} differ)" if count else f"{state.name}   (as now)")
            item.setData(STATE, state.id)
            item.setIcon(self._bars(state.of(device or "")))
            self.list.addItem(item)
            if state.id == chosen:
                self.list.setCurrentItem(item)
        self.search.show_matching()
        self.list.blockSignals(False)
        self._compare()

    def _bars(self, values: Values) -> QIcon:
        """A bar for each parameter, as tall as its position; of many, for some all along."""
        theme = themes.THEMES[self.session.settings.window.theme]
        pixmap = QPixmap(BARS)
        pixmap.fill(themes.color(theme.raised))
        painter = QPainter(pixmap)
        keys = [parameter.id for parameter in self.own.parameters if parameter.id in values]
        keys = keys[:: max(-(-len(keys) // (BARS.width() // 2)), 1)]
        wide = BARS.width() / max(len(keys), 1)
        for index, key in enumerate(keys):
            tall = values[key] * (BARS.height() - 2)
            bar = QRectF(index * wide, BARS.height() - 1 - tall, max(wide - 1.0, 1.0), tall + 1)
            painter.fillRect(bar, themes.color(theme.curve))
        painter.end()
        return QIcon(pixmap)

    def _compare(self) -> None:
        self.table.clear()
        state = self.state
        if state is None or self.session.shown.device is None:
            return
        values, now = state.of(self.own.id), states.present(self.own)
        picked = [item.data(STATE) for item in self.list.selectedItems()]
        other = next((s for s in own_states(self.session) if s.id in picked and s is not state), None)
        if other is not None:
            now = {**now, **other.of(self.own.id)}
        self.table.setHeaderLabels(["", state.name, other.name if other else "Now"])
        for parameter in self.own.parameters:
            key = parameter.id
            if key in values and abs(values[key] - now[key]) > states.SAME:
                row = QTreeWidgetItem([parameter.name, parameter.text(values[key]), parameter.text(now[key])])
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
            raise ZolvekError("No parameters are ticked.", remedy="Tick the parameters to store.")
        values = state.of(self.own.id)
        self._keep(f"{state.name}, part", {key: values[key] for key in ticked})

    def _keep(self, name: str, values: Values) -> str:
        project, key = states.kept(self.session.project, name, (StatePart(self.own.id, values),))
        self.session.document.edit(f"Store state {name}", project)
        return key

    def keep(self) -> None:
        """Store the current values."""
        self._keep("State", states.present(self.own))

    def keep_heard(self) -> None:
        """Store the values heard at the playhead."""
        values = states.at_beat(self.session.project, self.own.id, self.session.playhead.beat)
        self._keep(f"Bar {self.session.project.meter.bar_at(self.session.playhead.beat)}", values)

    def keep_preset(self) -> None:
        """Store a preset as a state."""
        names = [preset.name for preset in self.own.row.presets]
        if not names:
            raise ZolvekError("The device has no presets.", self.own.name, "Store the current values instead.")
        name = self.studio.ask.choose("Store preset as state", "Preset:", names)
        if name is not None:
            self._keep(name, self.own.row.preset(name))

    def keep_chain(self) -> None:
        """Store all devices of the track."""
        track = shown_track(self.session)
        parts = tuple(StatePart(device.id, states.present(device)) for device in track.devices)
        project, _ = states.kept(self.session.project, f"{track.name}, all", parts)
        self.session.document.edit("Store whole chain", project)

    def _needed(self) -> State:
        if self.state is None:
            raise ZolvekError("No state is selected.", remedy="Select one in the list.")
        return self.state

    def go(self) -> None:
        """Recall the state."""
        state = self._needed()
        self.session.document.edit(f"Recall {state.name}", states.set_to(self.session.project, state))

    def update_state(self) -> None:
        """Update the state from the controls."""
        state = self._needed()
        project = self.session.project
        parts = tuple(
            StatePart(p.device, states.present(project.device_track(p.device).device(p.device))) for p in state.parts
        )
        self.session.document.edit(f"Update {state.name}", morphs.with_state(project, replace(state, parts=parts)))

    def rename(self) -> None:
        """Rename the state."""
        self.naming.begin("Name of the state", self._needed().name)

    def _renamed(self, name: str) -> None:
        state, name = self._needed(), " ".join(name.split())
        if not name:
            raise ZolvekError("A state needs a name.", remedy="Type one.")
        project = self.session.project
        renamed = tuple(replace(s, name=name) if s.id == state.id else s for s in project.states)
        self.session.document.edit(f"Name the state {name}", replace(project, states=renamed))

    def delete(self) -> None:
        """Delete the state."""
        state = self._needed()
        self.session.document.edit(f"Delete {state.name}", states.without_state(self.session.project, state.id))

    def vary(self) -> None:
        """Three variations of the chosen state, or of what is there now."""
        base = self.state.of(self.own.id) if self.state else states.present(self.own)
        name = self.state.name if self.state else "Now"
        distance = min(max((read(self.distance.text(), "%") or 20.0) / 100.0, 0.0), 1.0)
        project = self.session.project
        for number in (1, 2, 3):
            seed = 3 * self.tries + number
            values = states.mutated(self.own, base, distance, seed)
            project, _ = states.kept(project, f"{name} ~ {seed}", (StatePart(self.own.id, values),))
        self.tries += 1
        self.session.document.edit("Three variations", project)

    def copy(self) -> None:
        """Copy the state to another device."""
        state = self._needed()
        project = self.session.project
        others = {
            f"{track.name} · {device.name}": device.id
            for track in project.tracks
            for device in track.devices
            if device.kind == self.own.kind and device.id != self.own.id
        }
        if not others:
            raise ZolvekError("There is no other device of this type.", remedy="Add one first.")
        label = self.studio.ask.choose("Copy state", "Device:", list(others))
        if label is not None:
            part = StatePart(others[label], state.of(self.own.id))
            self.session.document.edit("Copy state", states.kept(project, state.name, (part,))[0])

    def write(self) -> None:
        """Export the states."""
        self.studio.media.export_states(self.own.id)

    def read(self) -> None:
        """Import states."""
        self.studio.media.import_states(self.own.id)
