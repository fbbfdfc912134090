# SPDX-License-Identifier: GPL-3.0-or-later
"""Dialogs with more than one field."""

from __future__ import annotations

from collections.abc import Callable
from itertools import groupby
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from zolvek.core.curve.stamps import STAMPS
from zolvek.core.model.project import Lane
from zolvek.core.value.parameter import Parameter
from zolvek.studio.toolkit.fields import Entry, NumberEntry, read_all
from zolvek.studio.toolkit.hit_fields import LABEL_PX, HitFields
from zolvek.studio.toolkit.widgets import choice, field_label, form, note

if TYPE_CHECKING:
    from zolvek.formats.midi.file_in import Score


def _buttons(dialog: QDialog) -> QDialogButtonBox:
    button = QDialogButtonBox.StandardButton
    box = QDialogButtonBox(button.Ok | button.Cancel)
    box.accepted.connect(lambda: dialog.accept() if read_all(dialog) else None)
    box.rejected.connect(dialog.reject)
    return box


def _number(value: float, low: float, high: float, name: str, decimals: int = 1) -> NumberEntry:
    return NumberEntry(name, low, high, value, "%", decimals)


class ReachDialog(QDialog):
    """Lowest and highest output of a lane, in the parameter's own unit."""

    def __init__(self, parameter: Parameter, lane: Lane, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Reach")
        self.parameter = parameter
        self.low, self.high = (Entry(name, parameter.parse) for name in ("Lowest output", "Highest output"))
        for field, end in zip((self.low, self.high), lane.reach, strict=True):
            field.setText(parameter.text(end))
        self.keep = QComboBox()
        self.keep.addItem("Keep its shape: it covers the new reach", False)
        self.keep.addItem("Keep its sound: the points move", True)
        self.keep.setAccessibleName("What the curve keeps")
        fields = form()
        fields.addRow(field_label("Lowest"), self.low)
        fields.addRow(field_label("Highest"), self.high)
        fields.addRow(field_label("The curve should"), self.keep)
        layout = QVBoxLayout(self)
        layout.addLayout(fields)
        layout.addWidget(_buttons(self))

    @property
    def keeps_sound(self) -> bool:
        """Whether the points move so that the sound stays."""
        return bool(self.keep.currentData())

    def ends(self) -> tuple[float, float]:
        """Both positions. Raises ZolvekError when a text can't be read."""
        return self.parameter.parse(self.low.text()), self.parameter.parse(self.high.text())


class RepeatDialog(QDialog):
    """How far to repeat, and what changes with every repeat; `position_of` reads a position."""

    def __init__(self, position_of: Callable[[str], object], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Repeat with change")
        self.until = Entry("Repeat up to", position_of)
        self.until.setPlaceholderText("a bar, such as 17")
        self.scale = _number(100, -400, 400, "Scale of each repeat")
        self.tilt = _number(0, -100, 100, "Rise over each repeat")
        self.all_lanes = QCheckBox("All shown lanes, aligned")
        fields = form()
        fields.addRow(field_label("Up to"), self.until)
        fields.addRow(field_label("Each repeat scaled to"), self.scale)
        fields.addRow(field_label("Each repeat raised by"), self.tilt)
        layout = QVBoxLayout(self)
        layout.addLayout(fields)
        layout.addWidget(self.all_lanes)
        layout.addWidget(_buttons(self))


class MidiDialog(QDialog):
    """How a MIDI file is read in, and what is in it."""

    def __init__(self, name: str, score: Score, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Import {name}")
        notes = sum(len(part.notes) for part in score.parts)
        lines = [
            f"{score.lanes} streams that become lanes, and {notes} notes for the stand-in synth, "
            f"on {len(score.parts)} new tracks.",
        ]
        if score.left_out:
            lines.append(f"Left out: {score.left_out_text}.")
        self.join = QCheckBox("Join steps into curves, within")
        self.join.setChecked(True)
        self.within = _number(0.2, 0.01, 20.0, "Tolerance of joining", 2)
        self.join.toggled.connect(self.within.setEnabled)
        self.time = QCheckBox("Import tempo, meter and sections too")
        first = score.tempo.points[0].bpm
        self.time.setToolTip(f"{first:.2f} BPM at the start; replaces the project's")
        row = QHBoxLayout()
        row.addWidget(self.join)
        row.addWidget(self.within)
        row.addStretch(1)
        layout = QVBoxLayout(self)
        for text in lines:
            layout.addWidget(note(text))
        layout.addLayout(row)
        layout.addWidget(self.time)
        layout.addWidget(_buttons(self))

    @property
    def tolerance(self) -> float | None:
        """The tolerance for joining steps, or None to hold them."""
        return self.within.value() / 100.0 if self.join.isChecked() else None

    @property
    def takes_time(self) -> bool:
        """Whether tempo, meter and sections are imported."""
        return self.time.isChecked()


class SoundCurveDialog(QDialog):
    """How a sound file becomes a curve."""

    def __init__(self, name: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Import {name} into the lane")
        self.how = QComboBox()
        self.how.setAccessibleName("Type of audio")
        for text, data in (
            ("A control signal, −1 to 1", "both"),
            ("A control signal, 0 to 1", "up"),
            ("A sound: follow its level", "follow"),
        ):
            self.how.addItem(text, data)
        self.attack = _milliseconds(10.0, "Attack")
        self.release = _milliseconds(200.0, "Release")
        self.within = _number(0.2, 0.01, 20.0, "Tolerance of thinning", 2)
        fields = form()
        fields.addRow(field_label("Type"), self.how)
        fields.addRow(field_label("Attack"), self.attack)
        fields.addRow(field_label("Release"), self.release)
        fields.addRow(field_label("Tolerance"), self.within)
        layout = QVBoxLayout(self)
        layout.addWidget(note("It starts at the selection, or at the playhead."))
        layout.addLayout(fields)
        layout.addWidget(_buttons(self))
        self.how.currentIndexChanged.connect(lambda _: self._show())
        self._show()

    def _show(self) -> None:
        for box in (self.attack, self.release):
            box.setEnabled(self.follows)

    @property
    def follows(self) -> bool:
        """Whether the level is followed."""
        return self.how.currentData() == "follow"

    @property
    def swing(self) -> str:
        """The range of the control signal."""
        return str(self.how.currentData())

    @property
    def times(self) -> tuple[float, float]:
        """Attack and release in seconds."""
        return self.attack.value() / 1_000.0, self.release.value() / 1_000.0

    @property
    def tolerance(self) -> float:
        """The thinning tolerance."""
        return self.within.value() / 100.0


def _milliseconds(value: float, name: str) -> NumberEntry:
    return NumberEntry(name, 0.1, 10_000.0, value, "ms", 1)


class ShortcutsDialog(QDialog):
    """All keys, by menu."""

    def __init__(self, rows: list[tuple[str, str, str]], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keyboard shortcuts")
        self.resize(620, 640)
        tree = QTreeWidget()
        tree.setHeaderLabels(["Keys", "What they do"])
        tree.setColumnWidth(0, 190)
        tree.setAccessibleName("Keyboard shortcuts")
        for menu, group in groupby(rows, key=lambda row: row[0]):
            head = QTreeWidgetItem([menu])
            head.addChildren([QTreeWidgetItem([keys, text]) for _, keys, text in group])
            tree.addTopLevelItem(head)
        tree.expandAll()
        layout = QVBoxLayout(self)
        layout.addWidget(tree)
        close = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        close.rejected.connect(self.reject)
        layout.addWidget(close)


class HitChoiceDialog(QDialog):
    """Which hits are marked and snapped to."""

    def __init__(self, which: HitFields, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Hits")
        layout = QVBoxLayout(self)
        layout.addWidget(note("Note starts and onsets of audio. The ticks on the ruler show the chosen ones."))
        layout.addWidget(which)
        layout.addWidget(_buttons(self))


class HitsDialog(QDialog):
    """A stamp on every hit: on which, how deep it goes, and how long it holds and comes back; `beats_of` reads a
    length."""

    def __init__(self, beats_of: Callable[[str], object], which: HitFields, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Stamp on every hit")
        rows = [("Duck", "duck"), *((f.label, f.key) for f in STAMPS if f.key != "duck")]
        self.stamps = choice(rows, "Stamp", lambda _: self._follow())
        self.deep = _number(60.0, -100.0, 100.0, "Depth", 0)
        self.hold = Entry("Hold", lambda text: text.strip() and beats_of(text), "How long it stays down: 1/32, 20 ms")
        self.hold.setText("1/32")
        self.length = Entry("Length", lambda text: text.strip() and beats_of(text), "Empty: until the next hit")
        self.length.setText("1/8")
        self.held, self.back, stamp = field_label("Hold"), field_label("Release"), field_label("Stamp")
        stamp.setMinimumWidth(LABEL_PX)
        fields = form()
        fields.addRow(stamp, self.stamps)
        fields.addRow(field_label("Depth"), self.deep)
        fields.addRow(self.held, self.hold)
        fields.addRow(self.back, self.length)
        layout = QVBoxLayout(self)
        layout.addWidget(
            note("Applies to each hit of the selected span, downwards from the curve; a negative depth goes up.")
        )
        layout.addWidget(which)
        layout.addLayout(fields)
        layout.addWidget(_buttons(self))

    @property
    def form_key(self) -> str:
        """The stamp."""
        return str(self.stamps.currentData())

    def _follow(self) -> None:
        """Only a duck has a hold of its own; of the others the whole length is given."""
        duck = self.form_key == "duck"
        for widget in (self.held, self.hold):
            widget.setVisible(duck)
        self.back.setText("Release" if duck else "Length")
