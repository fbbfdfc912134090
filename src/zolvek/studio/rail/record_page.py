"""Pages of the Perform panel: recording, and the takes."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from zolvek.core.document import comping
from zolvek.core.limits import LIMITS
from zolvek.core.model.take import BEST, Take
from zolvek.core.movement.recording import MODES
from zolvek.core.value.units import read
from zolvek.studio.commands.lanes import COLOURS
from zolvek.studio.commands.movement import choose_take, copy_take
from zolvek.studio.commands.scope import with_own
from zolvek.studio.context import Studio
from zolvek.studio.lanes.takes_view import audition
from zolvek.studio.widgets import Entry, button, choice, field_label, form, note, pick

TAKE = Qt.ItemDataRole.UserRole


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
        self.record = button("Record a pass", record.trigger, True, record.toolTip())
        layout.addWidget(self.record)
        line = QHBoxLayout()
        for text, key in (("Arm the lane", "arm"), ("Disarm all", "disarm-all")):
            action = actions(key)
            line.addWidget(button(text, action.trigger, tip=action.toolTip()))
        layout.addLayout(line)
        self.armed = note()
        layout.addWidget(self.armed)
        self.mode = choice(
            [(label, key) for key, (label, _) in MODES.items()], "Mode", self._set_mode
        )
        layout.addWidget(self.mode)
        self.what = note()
        layout.addWidget(self.what)
        self.stay = QCheckBox("Stay in this mode after a pass")
        self.stay.setText("Stay in it after a pass")
        self.stay.clicked.connect(lambda on: self._set(stay=on))
        layout.addWidget(self.stay)
        self._lay_out_times(layout)
        self.punch = QCheckBox("Only the selected span")
        self.punch.clicked.connect(lambda on: self._set(punch=on))
        layout.addWidget(self.punch)
        layout.addStretch(1)
        for signal in (session.passes.changed, session.focus.changed, session.document.changed):
            signal.connect(self.refresh)
        self.refresh()

    def _lay_out_times(self, layout: QVBoxLayout) -> None:
        """Count-in, pre-roll, and what becomes of the pass."""
        self.count = QSpinBox()
        self.count.setRange(int(LIMITS["clicks"].low), int(LIMITS["clicks"].high))
        self.count.setAccessibleName("Count-in, in beats")
        self.count.setSuffix(" beats")
        self.count.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.count.valueChanged.connect(lambda n: self._set(count_in=n))
        self.pre_roll = Entry(
            "Pre-roll",
            lambda t: self._beats("pre_roll", t),
            "Played before it begins to write: 1 bar",
        )
        self.glide = Entry(
            "Return",
            lambda t: self._beats("glide", t),
            "How long the way back to the curve takes: 1/16, 50 ms, none",
        )
        self.tolerance = Entry(
            "Thin within",
            self._tolerance,
            "Of the lane's height; the take keeps the pass as it was",
        )
        fields = form()
        for text, widget in (("Count-in", self.count), ("Pre-roll", self.pre_roll), ("Return", self.glide),
                             ("Thin within", self.tolerance)):  # fmt: skip
            fields.addRow(field_label(text), widget)
        layout.addLayout(fields)

    def _set(self, **changes: Any) -> None:
        for key, value in changes.items():
            setattr(self.session.settings, key, value)
        self.refresh()

    def _set_mode(self, key: object) -> None:
        self.session.passes.set_mode(str(key))

    def _beats(self, key: str, text: str) -> bool:
        beats = self.session.beats_of(text)
        if beats is None:
            return False
        self._set(**{key: beats})
        return True

    def _tolerance(self, text: str) -> bool:
        number = read(text, "%")
        if number is None or not 0.0 <= number <= 20.0:
            return False
        self._set(take_tolerance=number / 100.0)
        return True

    def refresh(self) -> None:
        session, settings = self.session, self.session.settings
        names = [
            session.project.label_of(x.id)
            for x in session.project.lanes()
            if x.id in session.passes.armed
        ]
        self.armed.setText("Armed: " + "; ".join(names) if names else "No lane is armed.")
        pick(self.mode, settings.mode)
        self.what.setText(MODES.get(settings.mode, MODES["touch"])[1] + ".")
        self.stay.setChecked(settings.stay)
        self.punch.setChecked(settings.punch)
        self.count.blockSignals(True)
        self.count.setValue(settings.count_in)
        self.count.blockSignals(False)
        for entry, beats in ((self.pre_roll, settings.pre_roll), (self.glide, settings.glide)):
            entry.show_text(f"{beats:g} beats" if beats else "none")
        self.tolerance.show_text(f"{100 * settings.take_tolerance:g} %")
        recorder = session.passes.hands
        going = recorder is not None and recorder.recording
        self.record.setText("Stop the pass" if going else "Record a pass")


class TakesPage(QWidget):
    """The passes that were kept: heard, rated, named, chosen."""

    def __init__(self, studio: Studio) -> None:
        super().__init__()
        session = studio.session
        self.studio = studio
        self.session = session
        self.solo: set[str] = set()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(6)
        self.list = QListWidget()
        self.list.setAccessibleName("Takes of the lane")
        self.list.setMinimumHeight(120)
        self.list.itemChanged.connect(self._toggle)
        layout.addWidget(self.list, 1)
        rows = (
            (("Hear it", self._hear, "This take over the curve, and back"), ("Hear all", self._hear_all, "All takes that are not muted, the newest on top")),
            (("Choose all", self._promote, "The whole take for the lane"), ("Choose span", self._choose, "The selected span of it for the lane")),
            (("Let go", self._unchoose, "The curve under the choices again, in the selected span"), ("Crop", self._crop, "Cut the take down to the selected span")),
            (("Rename…", self._rename, ""), ("Rate", self._rate, "One star more, then none")),
            (("Colour", self._colour, "Another ink"), ("Edit…", self._edit, "The take as the lane's curve, to work on with every tool")),
            (("Copy to…", self._copy, "To another lane"), ("Delete", self._delete, "")),
        )  # fmt: skip
        for row in rows:
            line = QHBoxLayout()
            for text, work, tip in row:
                line.addWidget(button(text, work, text == "Choose all", tip))
            layout.addLayout(line)
        layout.addWidget(note("Or drag across a take under the lane."))
        for signal in (session.document.changed, session.focus.changed, session.hearing.changed):
            signal.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        lane = self.session.lane
        chosen = self.chosen
        rows = []
        for take in reversed(lane.takes) if lane else ():
            meter = self.session.project.meter
            stars = " " + "★" * take.rating if take.rating else ""
            rows.append(
                (f"{take.name}{stars}\n{meter.text(take.first)} to {meter.text(take.last)}", take)
            )
        self.list.blockSignals(True)
        self.list.clear()
        for text, take in rows:
            item = QListWidgetItem(text)
            item.setData(TAKE, take.id)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Unchecked if take.muted else Qt.CheckState.Checked)
            self.list.addItem(item)
            if take.id == chosen or (chosen is None and self.list.count() == 1):
                self.list.setCurrentItem(item)
        self.list.blockSignals(False)

    @property
    def chosen(self) -> str | None:
        item = self.list.currentItem()
        return item.data(TAKE) if item else None

    @property
    def take(self) -> Take | None:
        lane, key = self.session.lane, self.chosen
        return next((t for t in lane.takes if t.id == key), None) if lane else None

    def _change(self, label: str, **changes: Any) -> None:
        lane, take = self.session.lane, self.take
        if lane is not None and take is not None:
            made = comping.changed(lane, take.id, **changes)
            self.session.notices.try_to(
                lambda: self.session.document.edit(label, with_own(self.session, made))
            )

    def _toggle(self, item: QListWidgetItem) -> None:
        self.list.setCurrentItem(item)
        muted = item.checkState() != Qt.CheckState.Checked
        self._change("Mute the take" if muted else "Hear the take", muted=muted)

    def _hear(self) -> None:
        take = self.take
        tried = self.session.hearing.listening.tried
        audition(self.session, [] if tried or take is None else [take.id])

    def _hear_all(self) -> None:
        lane = self.session.lane
        tried = self.session.hearing.listening.tried
        audition(
            self.session, [] if tried or lane is None else [t.id for t in lane.takes if not t.muted]
        )

    def _promote(self) -> None:
        take = self.take
        if take is not None:
            self.session.notices.try_to(
                lambda: choose_take(self.session, take.id, take.first, take.last)
            )

    def _choose(self) -> None:
        take, span = self.take, self.session.span.beats
        if take is not None and span is not None:
            self.session.notices.try_to(lambda: choose_take(self.session, take.id, *span))

    def _unchoose(self) -> None:
        lane = self.session.lane
        first, last = self.session.span.beats or (0.0, self.session.project.length)
        if lane is not None:
            made = comping.unchosen(lane, first, last)
            self.session.notices.try_to(
                lambda: self.session.document.edit("Let a choice go", with_own(self.session, made))
            )

    def _crop(self) -> None:
        lane, take, span = self.session.lane, self.take, self.session.span.beats
        if lane is not None and take is not None and span is not None:
            self.session.notices.try_to(
                lambda: self.session.document.edit(
                    f"Crop {take.name}",
                    with_own(self.session, comping.cropped(lane, take.id, *span)),
                )
            )

    def _rename(self) -> None:
        take = self.take
        if take is not None:
            name = self.studio.ask.text("Name the take", "Name:", take.name)
            if name is not None and name.strip():
                self._change("Name the take", name=name.strip())

    def _rate(self) -> None:
        if self.take is not None:
            self._change("Rate the take", rating=(self.take.rating + 1) % (BEST + 1))

    def _colour(self) -> None:
        if self.take is not None:
            self._change("Colour the take", colour=(self.take.colour + 1) % COLOURS)

    def _edit(self) -> None:
        """The take whole and raw in the lane's place; recording keeps the take itself as it was."""
        take, lane = self.take, self.session.lane
        if take is not None and lane is not None:
            curve = comping.auditioned(lane, [take.id])
            self.session.notices.try_to(
                lambda: self.session.edit_curve(f"Work on {take.name}", curve)
            )
            self.session.span.choose((take.first, take.last))

    def _copy(self) -> None:
        take = self.take
        if take is not None:
            copy_take(self.studio, take)

    def _delete(self) -> None:
        lane, take = self.session.lane, self.take
        if lane is not None and take is not None:
            made = comping.without_take(lane, take.id)
            self.session.notices.try_to(
                lambda: self.session.document.edit(
                    f"Delete {take.name}", with_own(self.session, made)
                )
            )
