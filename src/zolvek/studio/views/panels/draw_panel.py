# SPDX-License-Identifier: GPL-3.0-or-later
"""The Draw panel: grid, and exact values and shapes for the selection."""

from __future__ import annotations

from functools import partial

import numpy as np
from PyQt6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from zolvek.core.curve import point_edits
from zolvek.core.curve.rules import present
from zolvek.core.curve.shapes import SHAPES
from zolvek.core.curve.stamps import BY_KEY as STAMPS_BY_KEY
from zolvek.core.curve.stamps import STAMPS
from zolvek.core.edits.edit_scope import EditScope, edit_scope_of
from zolvek.core.edits.hits import Band
from zolvek.core.limits import LIMITS
from zolvek.core.time.durations import note_beats
from zolvek.core.time.grid import BARS, DIVISIONS, GRID_KINDS
from zolvek.core.time.meter import TICKS
from zolvek.core.value.number_entry import number_of
from zolvek.core.value.value_grid import DIVISIONS as VALUE_PARTS
from zolvek.core.value.value_grid import LEVEL_KINDS
from zolvek.studio.commands.points import (
    change_values,
    set_amount,
    set_position,
    set_shape,
    set_value,
)
from zolvek.studio.services.context import Studio
from zolvek.studio.session.tools import TOOLS, Tool
from zolvek.studio.toolkit.fields import Entry, NumberEntry
from zolvek.studio.toolkit.refreshing import RefreshWhileShown
from zolvek.studio.toolkit.widgets import button, choice, field_label, form, heading, note, page_layout, pick

WHEN_MET = (
    ("Stop at others", point_edits.STOP),
    ("Overwrite others", point_edits.REPLACE),
)
MIXED = "several"


class DrawPanel(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        session = studio.session
        self.studio = studio
        self.session = session
        layout = page_layout(self)
        self.tools: dict[str, QToolButton] = {}
        tools = QGridLayout()
        tools.setSpacing(4)
        for index, (key, text, tip) in enumerate(TOOLS):
            tool = QToolButton()
            tool.setText(text)
            tool.setToolTip(tip)
            tool.setCheckable(True)
            tool.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            tool.clicked.connect(lambda _, k=key: session.tools.choose(k))
            tools.addWidget(tool, index // 2, index % 2)
            self.tools[key] = tool
        layout.addLayout(tools)
        self.stamps = choice([(f.label, f.key) for f in STAMPS], "Stamp", self._set_stamp)
        layout.addWidget(self.stamps)
        self.sliders = form()
        layout.addLayout(self.sliders)
        self.sliders_of = ""
        self._lay_out_grids(layout)
        self._lay_out_points(layout)
        self.help = note()
        layout.addWidget(self.help)
        layout.addStretch(1)
        RefreshWhileShown(
            self,
            self.refresh,
            (
                session.document.changed,
                session.points.changed,
                session.focus.changed,
                session.tools.changed,
                session.span.changed,
            ),
        )
        self.refresh()

    def _lay_out_grids(self, layout: QVBoxLayout) -> None:
        """What points snap to."""
        session = self.session
        self.snap = QCheckBox("Snap to the grid")
        self.snap.clicked.connect(lambda on: session.tools.set_grid(on=on))
        self.distance = QCheckBox("Relative snap")
        self.distance.setToolTip("By whole steps of the grid: what lies off it stays off it")
        self.distance.clicked.connect(session.tools.set_keep_distance)
        self.kind = choice([(label, key) for key, (label, _) in GRID_KINDS.items()], "Grid type", self._set_kind)
        self.division = choice([], "Grid value", lambda n: session.tools.set_grid(division=n))
        grid = form()
        grid.addRow(field_label("Grid"), self.division)
        grid.addRow(field_label("Type"), self.kind)
        self.hits_label = field_label("Hits of")
        choose = self.studio.action("hits-of")
        self.hits = button("", choose.trigger, tip=choose.toolTip())
        self.hits.setAccessibleName("Choose hits")
        self.studio.hits.changed.connect(self.refresh)
        grid.addRow(self.hits_label, self.hits)
        rows = [(text, key) for key, text in LEVEL_KINDS.items() if key != "divisions"]
        rows += [(f"{n} equal parts", f"divisions {n}") for n in VALUE_PARTS]
        self.levels = choice(rows, "Value grid", self._set_levels)
        self.levels.setToolTip("Values snap to whole units of the parameter, or to equal parts")
        grid.addRow(field_label("Values"), self.levels)
        self.swing = Entry("Swing", self._type_swing, "How late every second line is, 0 to 75 %")
        self.offset = Entry(
            "Offset",
            self._type_offset,
            "Shift after the grid line, negative before: 5 ms, −1/64",
        )
        grid.addRow(field_label("Swing"), self.swing)
        grid.addRow(field_label("Offset"), self.offset)
        self.when_met = choice(WHEN_MET, "Collisions", lambda key: session.tools.set_when_met(str(key)))
        grid.addRow(field_label("Collisions"), self.when_met)
        snapping = QVBoxLayout()
        snapping.setSpacing(0)
        snapping.addWidget(self.snap)
        snapping.addWidget(self.distance)
        layout.addLayout(snapping)
        layout.addLayout(grid)

    def _lay_out_points(self, layout: QVBoxLayout) -> None:
        """The selected points and segments, in numbers."""
        session = self.session
        layout.addSpacing(6)
        self.what = heading("No points selected")
        layout.addWidget(self.what)
        self.value = Entry("Value", self._type_value, "Type a value, such as 1.2k, +7 st or 35 %")
        self.change = Entry("Change by", self._type_change, "Change the values, such as +2 st, -3 dB or x0.5")
        self.position = Entry("Position", self._type_position, "Type a bar, such as 13.3 or 13.3.480")
        self.shape = choice([(s.label, s.key) for s in SHAPES], "Shape", lambda key: set_shape(session, str(key)))
        self.amount = Entry("Amount", self._type_amount)
        fields = form()
        for name, widget in (
            ("Value", self.value),
            ("Change by", self.change),
            ("Position", self.position),
            ("Shape", self.shape),
            ("Amount", self.amount),
        ):
            fields.addRow(field_label(name), widget)
        layout.addLayout(fields)

    def refresh(self) -> None:
        """Show tools, grid and the selected points."""
        session = self.session
        grid = session.tools.grid
        for key, tool in self.tools.items():
            tool.setChecked(key == session.tools.tool)
        self.stamps.setVisible(session.tools.tool == Tool.STAMP)
        pick(self.stamps, session.tools.stamp)
        self._show_sliders()
        self.swing.show_text(f"{100 * grid.swing:g} %")
        bpm = float(session.project.tempo.bpm(session.playhead.beat))
        self.offset.show_text(f"{grid.offset * 60_000 / bpm:.0f} ms".replace("-", "−"))
        self.snap.setChecked(grid.on)
        self.distance.setChecked(session.settings.editing.relative_snap)
        self.distance.setEnabled(grid.on)
        pick(self.kind, grid.kind)
        levels = session.tools.value_grid
        parts = levels.kind == "divisions"
        pick(self.levels, f"divisions {levels.divisions}" if parts else levels.kind)
        bars = grid.kind == "bars"
        rows = [("1 bar" if n == 1 else f"{n} bars", n) for n in BARS] if bars else []
        rows = rows or [(f"1/{n}", n) for n in DIVISIONS]
        if [self.division.itemText(i) for i in range(self.division.count())] != [t for t, _ in rows]:
            self.division.clear()
            for text, data in rows:
                self.division.addItem(text, data)
        pick(self.division, grid.division)
        self.division.setEnabled(grid.kind != "hits")
        self._show_hits(grid.kind == "hits")
        pick(self.when_met, session.settings.editing.collisions)
        self._refresh_selection()

    def _show_hits(self, shown: bool) -> None:
        """Whose hits the grid is made of, while it is one of hits."""
        for widget in (self.hits_label, self.hits):
            widget.setVisible(shown)
        hits = self.studio.hits
        name = hits.track.name if hits.track is not None and hits.source else "This track"
        band = "" if hits.band == Band.ALL else f", {hits.band}"
        self.hits.setText(f"{name}{band}…")

    def _refresh_selection(self) -> None:
        session, drawn = self.session, self.session.target
        result = self._found()
        chosen = result.points if result and not result.whole else np.empty(0, np.intp)
        has = drawn is not None and chosen.size > 0
        self.what.setText(result.name.capitalize() if result else "No lane")
        for widget in (self.value, self.position):
            widget.setEnabled(bool(has))
        segments = result.segments if result else np.empty(0, np.intp)
        self.shape.setEnabled(bool(segments.size))
        if drawn is None or not has:
            self.value.show_text("")
            self.position.show_text("")
        else:
            values = _either(drawn.curve.value[chosen])
            text = drawn.parameter.text(float(drawn.to_position(values[0])))
            self.value.show_text(text if len(values) == 1 else MIXED)
            self.position.show_text(session.project.meter.text(float(drawn.curve.beat[chosen[0]])))
        self._refresh_shape(segments)

    def _found(self) -> EditScope | None:
        """What the fields work on."""
        session, drawn = self.session, self.session.target
        if drawn is None:
            return None
        chosen, span = session.points.chosen, session.span.beats
        return edit_scope_of(drawn.curve, chosen, span, session.project.meter)

    def _refresh_shape(self, segments: np.ndarray) -> None:
        drawn = self.session.target
        codes: list[int] = []
        if drawn is not None and segments.size:
            codes = present(drawn.curve.shape[segments]).tolist()
        pick(self.shape, SHAPES[codes[0]].key if len(codes) == 1 else None)
        amount = SHAPES[codes[0]].amount if len(codes) == 1 else None
        usable = amount is not None and amount.kind != "none"
        self.amount.setEnabled(usable)
        if drawn is not None and usable and amount is not None:
            values = _either(drawn.curve.amount[segments])
            same = f"{values[0]:+.3f}" if amount.kind == "bend" else f"{values[0]:.0f}"
            self.amount.show_text(same.replace("-", "−") if len(values) == 1 else MIXED)
            self.amount.setToolTip(f"This shape uses {amount.words}")
        else:
            self.amount.show_text("")
        result = self._found()
        scope = ", as nothing is selected" if result and result.whole else ""
        text = f"Shape and amount apply to {result.segments_name}{scope}." if result else ""
        self.help.setText(text if segments.size else "")

    def _set_kind(self, kind: object) -> None:
        bars_now, bars_then = kind == "bars", self.session.tools.grid.kind == "bars"
        division = self.session.tools.grid.division
        if bars_now != bars_then:
            division = 1 if bars_now else 16
        self.session.tools.set_grid(kind=kind, division=division)

    def _set_levels(self, row: object) -> None:
        kind, _, count = str(row).partition(" ")
        self.session.tools.set_value_grid(kind=kind, **({"divisions": int(count)} if count else {}))

    def _set_stamp(self, key: object) -> None:
        self.session.tools.choose_stamp(str(key))

    def _show_sliders(self) -> None:
        """The chosen stamp's numbers, while the stamp tool is used."""
        shown = self.session.tools.stamp if self.session.tools.tool == Tool.STAMP else ""
        if shown == self.sliders_of:
            return
        self.sliders_of = shown
        while self.sliders.rowCount():
            self.sliders.removeRow(0)
        for slider in STAMPS_BY_KEY[shown].sliders if shown else ():
            box = NumberEntry(
                slider.label,
                slider.low,
                slider.high,
                slider.default,
                "",
                0 if slider.whole else 2,
                1.0 if slider.whole else 0.05,
                changed=partial(self.session.tools.set_slider, slider.key),
            )
            self.sliders.addRow(field_label(slider.label), box)

    def _type_swing(self, text: str) -> None:
        number = number_of(text, "%", 0.0, 75.0, "Swing")
        self.session.tools.set_grid(swing=number / 100.0)

    def _type_offset(self, text: str) -> None:
        """In ms, in ticks of 1/960 quarter note, or as a note value: −1/64."""
        plain = text.strip().replace("−", "-")
        beats = note_beats(plain.lstrip("+-"))
        if beats is not None:
            LIMITS["wait"].need(beats, "Offset")
            self.session.tools.set_grid(offset=-beats if plain.startswith("-") else beats)
            return
        bpm = float(self.session.project.tempo.bpm(self.session.playhead.beat))
        ticks = text.strip().lower().endswith(("t", "ticks"))
        unit = ("t" if text.strip().lower().endswith("t") else "ticks") if ticks else "ms"
        number = number_of(text, unit, -1_000.0, 1_000.0, "Offset")
        self.session.tools.set_grid(offset=number / TICKS if ticks else number * bpm / 60_000)

    def _type_change(self, text: str) -> None:
        change_values(self.session, text)
        self.change.setText("")

    def _type_value(self, text: str) -> None:
        set_value(self.session, text)

    def _type_position(self, text: str) -> None:
        set_position(self.session, text)

    def _type_amount(self, text: str) -> None:
        set_amount(self.session, text)


def _either(values: np.ndarray) -> np.ndarray:
    """One value when all are the same, else the lowest and the highest."""
    low, high = values.min(), values.max()
    return np.array([low] if low == high else [low, high])
