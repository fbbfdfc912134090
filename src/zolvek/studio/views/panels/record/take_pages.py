# SPDX-License-Identifier: GPL-3.0-or-later
"""Pages of the Record panel: recording, and the takes."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from zolvek.core.limits import LIMITS
from zolvek.core.movement.recording.passes import MODES
from zolvek.core.value.number_entry import number_of
from zolvek.studio.commands import takes
from zolvek.studio.services.context import Studio
from zolvek.studio.toolkit.fields import Entry, NumberEntry
from zolvek.studio.toolkit.refreshing import RefreshWhileShown
from zolvek.studio.toolkit.widgets import button, choice, field_label, form, note, pick
from zolvek.studio.views.shared.action_buttons import action_buttons

TAKE = Qt.ItemDataRole.UserRole
TAKE_BUTTONS = (
    (("Audition", "take-hear"), ("Add", "take-solo"), ("Audition all", "take-hear-all")),
    (("Use all", "take-choose"), ("Use span", "take-choose-span")),
    (("Clear choices", "take-let-go"), ("Mute", "take-mute")),
    (("Crop", "take-crop"), ("Edit", "take-edit"), ("Copy…", "take-copy")),
    (("Rename…", "take-rename"), ("Rate", "take-rate"), ("Delete", "take-delete")),
)


class RecordPage(QWidget):
    """What a pass writes, and how."""

    def __init__(self, studio: Studio) -> None:
        super().__init__()
        session, actions = studio.session, studio.action
        self.studio = studio
        self.session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(6)
        record = actions("record")
        self.record = button("Record pass", record.trigger, True, record.toolTip())
        layout.addWidget(self.record)
        line = QHBoxLayout()
        for text, key in (("Arm lane", "arm"), ("Disarm all", "disarm-all")):
            action = actions(key)
            line.addWidget(button(text, action.trigger, tip=action.toolTip()))
        layout.addLayout(line)
        self.armed = note()
        layout.addWidget(self.armed)
        self.mode = choice([(label, key) for key, (label, _) in MODES.items()], "Mode", self._set_mode)
        layout.addWidget(self.mode)
        self.what = note()
        layout.addWidget(self.what)
        self.stay = QCheckBox("Stay in this mode after a pass")
        self.stay.setText("Keep mode after pass")
        self.stay.clicked.connect(lambda on: self._set(keep_mode=on))
        layout.addWidget(self.stay)
        self._lay_out_times(layout)
        self.punch = QCheckBox("Only in selected span")
        self.punch.clicked.connect(lambda on: self._set(only_in_span=on))
        layout.addWidget(self.punch)
        layout.addStretch(1)
        RefreshWhileShown(self, self.refresh, (session.passes.changed, session.focus.changed, session.document.changed))
        self.refresh()

    def _lay_out_times(self, layout: QVBoxLayout) -> None:
        """Count-in, pre-roll, and what becomes of the pass."""
        clicks = LIMITS["clicks"]
        self.count = NumberEntry(
            "Count-in in beats",
            clicks.low,
            clicks.high,
            self.session.settings.recording.count_in,
            "beats",
            0,
            changed=lambda n: self._set(count_in=int(n)),
        )
        self.pre_roll = Entry(
            "Pre-roll",
            lambda t: self._beats("pre_roll", t),
            "Plays before recording begins: 1 bar",
        )
        self.glide = Entry(
            "Return time",
            lambda t: self._beats("return_beats", t),
            "Time to return to the curve after you let go: 1/16, 50 ms, none",
        )
        self.tolerance = Entry(
            "Pass tolerance",
            self._tolerance,
            "In % of the lane's height; the take keeps the original pass",
        )
        fields = form()
        for text, widget in (("Count-in", self.count), ("Pre-roll", self.pre_roll), ("Return time", self.glide),
                             ("Tolerance", self.tolerance)):  # fmt: skip
            fields.addRow(field_label(text), widget)
        layout.addLayout(fields)

    def _set(self, **changes: Any) -> None:
        for key, value in changes.items():
            setattr(self.session.settings.recording, key, value)
        self.refresh()

    def _set_mode(self, key: object) -> None:
        self.session.passes.set_mode(str(key))

    def _beats(self, key: str, text: str) -> None:
        self._set(**{key: self.session.beats_of(text)})

    def _tolerance(self, text: str) -> None:
        number = number_of(text, "%", 0.0, 20.0, "Tolerance")
        self._set(tolerance=number / 100.0)

    def refresh(self) -> None:
        """Show mode and armed lanes."""
        session, settings = self.session, self.session.settings
        names = [session.project.label_of(x.id) for x in session.project.lanes() if x.id in session.passes.armed]
        self.armed.setText("Armed: " + "; ".join(names) if names else "No lane is armed.")
        pick(self.mode, settings.recording.mode)
        self.what.setText(MODES.get(settings.recording.mode, MODES["touch"])[1] + ".")
        self.stay.setChecked(settings.recording.keep_mode)
        self.punch.setChecked(settings.recording.only_in_span)
        self.count.blockSignals(True)
        self.count.setValue(settings.recording.count_in)
        self.count.blockSignals(False)
        for entry, beats in (
            (self.pre_roll, settings.recording.pre_roll),
            (self.glide, settings.recording.return_beats),
        ):
            entry.show_text(f"{beats:g} beats" if beats else "none")
        self.tolerance.show_text(f"{100 * settings.recording.tolerance:g} %")
        recorder = session.passes.hands
        going = recorder is not None and recorder.recording
        self.record.setText("Stop" if going else "Record pass")


class TakesPage(QWidget):
    """The passes that were kept: heard, rated, named, chosen."""

    def __init__(self, studio: Studio) -> None:
        super().__init__()
        session = studio.session
        self.studio = studio
        self.session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(6)
        self.list = QListWidget()
        self.list.setAccessibleName("Takes of the lane")
        self.list.setMinimumHeight(120)
        self.list.itemChanged.connect(self._toggle)
        layout.addWidget(self.list, 1)
        self.list.currentItemChanged.connect(self._pick)
        studio.show.context_menu(self.list, lambda _: "take" if self.list.currentItem() else "")
        layout.addLayout(action_buttons(studio, TAKE_BUTTONS))
        layout.addWidget(note("Or drag across a take under the lane."))
        RefreshWhileShown(
            self,
            self.refresh,
            (
                session.document.changed,
                session.focus.changed,
                session.audition.changed,
                session.picked.changed,
            ),
        )
        self.refresh()

    def refresh(self) -> None:
        """Show the takes."""
        session, lane = self.session, self.session.lane
        picked = session.picked.take
        rows = []
        for take in reversed(lane.takes) if lane else ():
            meter = self.session.project.meter
            stars = " " + "★" * take.rating if take.rating else ""
            heard = "   playing" if take.id in session.audition.takes else ""
            rows.append(
                (
                    f"{take.name}{stars}{heard}\n{meter.text(take.first)} to {meter.text(take.last)}",
                    take,
                )
            )
        self.list.blockSignals(True)
        self.list.clear()
        for text, take in rows:
            item = QListWidgetItem(text)
            item.setData(TAKE, take.id)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Unchecked if take.muted else Qt.CheckState.Checked)
            self.list.addItem(item)
            if picked is not None and take.id == picked.id:
                self.list.setCurrentItem(item)
        self.list.blockSignals(False)

    def _pick(self, item: QListWidgetItem | None) -> None:
        """Another take is picked; where one was heard by itself, this one is now."""
        if item is not None:
            heard = len(self.session.audition.takes) == 1
            self.session.picked.pick_take(item.data(TAKE))
            if heard and self.session.audition.takes != (item.data(TAKE),):
                takes.hear(self.session)

    def _toggle(self, item: QListWidgetItem) -> None:
        self.list.setCurrentItem(item)
        self.session.notices.attempt(lambda: takes.mute(self.session))
