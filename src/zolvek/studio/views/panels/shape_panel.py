# SPDX-License-Identifier: GPL-3.0-or-later
"""The Shape panel: what can be done to a span, with numbers, seen before it is applied."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QHBoxLayout, QWidget

from zolvek.core.curve import shaping, spans
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.stamps import COUNT, STAMPS, Stamp, stamped
from zolvek.core.errors import ZolvekError
from zolvek.core.records import Record
from zolvek.studio.services.context import Studio
from zolvek.studio.session.command_scope import scope, scope_words, shape_scope, shaped
from zolvek.studio.toolkit.fields import Entry, NumberEntry
from zolvek.studio.toolkit.refreshing import RefreshWhileShown
from zolvek.studio.toolkit.widgets import (
    button,
    choice,
    column,
    field_label,
    form,
    heading,
    note,
    pick,
)


class Number(Record, frozen=True):
    label: str
    unit: str
    default: float
    low: float
    high: float
    step: float = 1.0
    rate: str = ""  # a note value in its place, such as 1/8: its value is in beats


class Operation(Record, frozen=True):
    """One thing to do to a piece: `work` takes the song and the fields' values."""

    key: str
    label: str
    fields: tuple[Number, ...]
    work: Callable[..., Curve]


AS_IT_IS = -1.0  # a level that stands for the one that is there
FAR = -2.0  # a default that stands for the end of the lane that is farther from the level there
DOWNWARDS = ("stamp-dip", "stamp-duck")  # that go down by themselves
ABOUT = Number("About", "%", 0, 0, 100)


def _straight(piece: Curve) -> Curve:
    return spans.clear(piece, 0.0, float(piece.beat[-1]))


def _stretch(piece: Curve, percent: float) -> Curve:
    """Stretched within its own span: cut off at the end, or going on level to it."""
    length = float(piece.beat[-1])
    wide = shaping.stretched(piece, percent / 100.0)
    return spans.piece(wide, 0.0, length)


def _times(length: float, step: float) -> int:
    """How often a rate fits into a span, as a stamp counts it. Raises ZolvekError where it does not."""
    count = round(length / step) if step > 0.0 else 0
    if not COUNT.low <= count <= COUNT.high:
        raise ZolvekError(
            f"The rate comes {count} times in the span; {COUNT.low:g} to {COUNT.high:g} is possible.",
            "rate",
            "Choose another rate or span.",
        )
    return count


def _stamp(stamp: Stamp) -> Operation:
    fields = tuple(
        Number(
            "Rate" if s is COUNT else s.label,
            "" if s.whole else "%",
            s.default if s.whole else 100 * s.default,
            s.low if s.whole else 100 * s.low,
            s.high if s.whole else 100 * s.high,
            rate="1/16" if s is COUNT else "",
        )
        for s in stamp.sliders
    )
    levels = (Number("From", "%", AS_IT_IS, AS_IT_IS, 100), Number("To", "%", FAR, AS_IT_IS, 100))

    def work(piece: Curve, *values: float) -> Curve:
        length = float(piece.beat[-1])
        sliders = {
            s.key: _times(length, v) if s is COUNT else v if s.whole else v / 100.0
            for s, v in zip(stamp.sliders, values[:-2], strict=True)
        }
        there = (float(piece.value[0]), float(piece.value[-1]))
        start, end = (t if v < 0 else v / 100.0 for v, t in zip(values[-2:], there, strict=True))
        return stamped(stamp.key, length, start, end, **sliders)

    return Operation(f"stamp-{stamp.key}", f"Stamp: {stamp.label.lower()}", fields + levels, work)


OPERATIONS: tuple[Operation, ...] = (
    Operation("lift", "Offset", (Number("By", "%", 10, -100, 100),),
              lambda piece, by: shaping.lifted(piece, by / 100)),
    Operation("scale", "Scale", (Number("To", "%", 50, -400, 400), ABOUT),
              lambda piece, to, about: shaping.scaled(piece, to / 100, about / 100)),
    Operation("tilt", "Tilt", (Number("Left", "%", 0, -100, 100), Number("Right", "%", 20, -100, 100)),
              lambda piece, left, right: shaping.tilted(piece, left / 100, right / 100)),
    Operation("stretch", "Stretch in time", (Number("To", "%", 50, 1, 800),), _stretch),
    Operation("mirror", "Reverse in time", (), shaping.mirrored),
    Operation("invert", "Invert", (Number("About", "%", 50, 0, 100),),
              lambda piece, about: shaping.inverted(piece, about / 100)),
    Operation("fade-in", "Fade in", (Number("Level", "%", 0, 0, 100),),
              lambda piece, level: shaping.faded(piece, True, level / 100)),
    Operation("fade-out", "Fade out", (Number("Level", "%", 0, 0, 100),),
              lambda piece, level: shaping.faded(piece, False, level / 100)),
    Operation("smooth", "Smooth", (Number("Over", "beats", 0.5, 0.01, 16, 0.1),), shaping.smoothed),
    Operation("flatten", "Flatten to mean", (), lambda piece: shaping.flattened(piece)),
    Operation("straight", "Straighten", (), _straight),
    *(_stamp(own) for own in STAMPS if own.key != "gate"),
    Operation("stamp-gate", "Stamp: gate", (Number("Rate", "", 0.5, 0, 0, rate="1/8"),
              Number("Open for", "%", 50, 5, 95), Number("Down to", "%", 0, 0, 100)),
              lambda piece, step, part, level: shaping.gated(piece, step, level / 100, part / 100)),
)  # fmt: skip


class ShapePanel(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        session = studio.session
        self.studio = studio
        self.session = session
        layout = column(self)
        layout.addWidget(heading("Shape"))
        self.scope = note()
        layout.addWidget(self.scope)
        rows = [(operation.label, operation.key) for operation in OPERATIONS]
        self.choice = choice(rows, "Operation", self._choose)
        self.choice.setMaxVisibleItems(24)
        layout.addWidget(self.choice)
        self.fields: list[NumberEntry | Entry] = []
        self.form = form()
        layout.addLayout(self.form)
        self.ramp = Entry(
            "Edge ramp",
            self._type_ramp,
            "Length of the ramp to the new level at the edges: 1/32, 20 ms, or none",
        )
        edges = form()
        edges.addRow(field_label("Edge ramp"), self.ramp)
        layout.addLayout(edges)
        buttons = QHBoxLayout()
        self.preview = button("Preview", self._preview, tip="Shows the result over the current curve")
        self.apply = button("Apply", self._apply, True, "Applies it, as one step")
        buttons.addWidget(self.preview)
        buttons.addWidget(self.apply)
        layout.addLayout(buttons)
        layout.addWidget(note("Percentages refer to the lane's height."))
        layout.addStretch(1)
        RefreshWhileShown(self, self.refresh, (session.span.changed, session.points.changed, session.focus.changed))
        RefreshWhileShown(self, self._follow, (session.document.changed,))
        self._choose("lift")
        self.refresh()

    @property
    def operation(self) -> Operation:
        """The selected operation."""
        return next(o for o in OPERATIONS if o.key == self.choice.currentData())

    def _box(self, row: Number) -> NumberEntry | Entry:
        if row.rate:
            rate = Entry(row.label, self._type_rate, "How often: 1/8, 1/16, 1/8T, 1 bar")
            rate.setText(row.rate)
            return rate
        return NumberEntry(
            row.label,
            row.low,
            row.high,
            self._default(row),
            row.unit,
            3 if row.step < 1 else 1 if row.unit else 0,
            row.step,
            "unchanged" if row.low == AS_IT_IS else "",
            lambda _: self._changed(),
        )

    def _default(self, row: Number) -> float:
        """What a field begins with; a stamp goes somewhere: to the end of the lane that is farther away."""
        if row.default != FAR:
            return row.default
        session = self.session
        if self.operation.key in DOWNWARDS or session.target is None:
            return 0.0
        try:
            first = scope(session)[0]
        except ZolvekError:
            return 100.0
        return 0.0 if float(session.target.curve.at(first)) > 0.5 else 100.0

    def _type_rate(self, text: str) -> bool:
        """A note value or a length in bars."""
        usable = self.session.beats_of(text) > 0.0
        if usable:
            self._changed()
        return usable

    def _values(self) -> list[float]:
        """What is set, lengths in beats."""
        return [
            box.value() if isinstance(box, NumberEntry) else self.session.beats_of(box.text()) for box in self.fields
        ]

    def _choose(self, _: object) -> None:
        self.session.preview.show(None)
        while self.form.rowCount():
            self.form.removeRow(0)
        self.fields = [self._box(row) for row in self.operation.fields]
        for row, box in zip(self.operation.fields, self.fields, strict=True):
            self.form.addRow(field_label(row.label), box)

    def choose(self, key: str) -> None:
        """Take an operation of the table in hand."""
        pick(self.choice, key)
        self._choose(key)

    def _follow(self) -> None:
        """Undo moves points too. Out of sight it leaves the preview to the panel that made it."""
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        """Show what the operation applies to."""
        self.session.preview.show(None)
        ramp = self.session.settings.editing.edge_ramp
        self.ramp.show_text(f"{ramp:g} beats" if ramp else "none")
        words, usable = scope_words(self.session)
        self.apply.setEnabled(usable)
        self.preview.setEnabled(usable)
        self.scope.setText(words)

    def shaper(self) -> Callable[[Curve], Curve]:
        """The operation with the values that are set."""
        work, values = self.operation.work, self._values()
        return lambda piece: work(piece, *values)

    def _type_ramp(self, text: str) -> None:
        """A note value, a time, or nothing."""
        self.session.settings.editing.edge_ramp = self.session.beats_of(text)
        self._changed()

    def _changed(self) -> None:
        if self.session.preview.curve is not None:
            self._preview()

    def _preview(self) -> None:
        self.session.notices.attempt(
            lambda: self.session.preview.show(
                shaped(self.session, self.shaper(), self.session.settings.editing.edge_ramp)
            )
        )

    def _apply(self) -> None:
        def work() -> None:
            label = self.operation.label
            shape_scope(self.session, label, self.shaper(), self.session.settings.editing.edge_ramp)
            self.session.preview.show(None)

        self.session.notices.attempt(work)
