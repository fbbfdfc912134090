# SPDX-License-Identifier: GPL-3.0-or-later
"""The Morph panel's Morph page: from one state to another over the selected span."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from zolvek.core.curve.shapes import SHAPES
from zolvek.core.edits import states
from zolvek.core.errors import ZolvekError
from zolvek.core.model.morph import MOMENTS, STAGGERS, Course
from zolvek.core.model.state import Values
from zolvek.core.movement.morphing import morphs
from zolvek.core.value.number_entry import number_of
from zolvek.core.value.units import read
from zolvek.studio.commands.controls import edit_with_lanes
from zolvek.studio.commands.devices import own_states
from zolvek.studio.services.context import Studio
from zolvek.studio.session.chosen import chosen_device
from zolvek.studio.toolkit.fields import Entry
from zolvek.studio.toolkit.refreshing import RefreshWhileShown
from zolvek.studio.toolkit.widgets import button, choice, field_label, form, note, page_layout, pick, searched
from zolvek.studio.views.panels.morph.states_page import STATE, gives_way

NOW = ""


class MorphPage(QWidget):
    """From one state to another over the selected span, seen as a table first."""

    def __init__(self, studio: Studio) -> None:
        super().__init__()
        session = studio.session
        self.studio = studio
        self.session = session
        layout = page_layout(self)
        self._lay_out_way(layout)
        self.table = QTreeWidget()
        self.table.setHeaderLabels(["Parameter", "From", "To"])
        self.table.setRootIsDecorated(False)
        self.table.setAccessibleName("Parameters that the morph moves")
        self.table.setColumnWidth(0, 92)
        self.table.setColumnWidth(1, 54)
        gives_way(self.table)
        layout.addWidget(self.table, 1)
        for widget in (self.moment, self.stagger, self.after):
            layout.addWidget(widget)
        self.linked = QCheckBox("Update with its states")
        self.linked.setChecked(True)
        layout.addWidget(self.linked)
        layout.addWidget(button("Morph over the span", lambda: session.notices.attempt(self.apply), True))
        layout.addWidget(
            button(
                "Through all states, by section",
                lambda: session.notices.attempt(self.chain),
                tip="Changes to the next state at each section border in the selected span",
            )
        )
        layout.addWidget(note("Not a crossfade: the controls of one sound move."))
        document, focus = session.document.changed, session.focus.changed
        RefreshWhileShown(self, self.refresh, (document, focus, session.shown.changed, session.span.changed))

    def _lay_out_way(self, layout: QVBoxLayout) -> None:
        """From where to where, and how."""
        self.start = searched(choice([], "From", lambda _: self.refresh()))
        self.end = searched(choice([], "To", lambda _: self.refresh()))
        self.shape = choice([(s.label, s.key) for s in SHAPES], "Shape of the morph", lambda _: None)
        self.amount = Entry(
            "Amount of the shape",
            lambda t: abs(number_of(t, "", -100.0, 100.0, "Amount of the shape")) >= 0.0,
            "−1 to 1 for bends and S-curves",
        )
        self.amount.setText("0")
        self.moment = choice([(t, k) for k, t in MOMENTS.items()], "When switches change", lambda _: None)
        self.stagger = choice([(t, k) for k, t in STAGGERS.items()], "Stagger of groups", lambda _: None)
        self.after = choice(
            [("Stay after", True), ("Return after", False)],
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

    def refresh(self) -> None:
        """Show the states."""
        result = own_states(self.session)
        for box, first in ((self.start, [("Current values", NOW)]), (self.end, [])):
            shown = box.currentData()
            box.blockSignals(True)
            box.clear()
            for text, key in [*first, *((s.name, s.id) for s in result)]:
                box.addItem(text, key)
            if shown is not None:
                pick(box, shown)
            box.blockSignals(False)
        self._show_table()

    def _show_table(self) -> None:
        session = self.session
        left_out = self.left_out
        self.table.clear()
        if session.shown.device is None or self.end.currentData() is None:
            return
        first = session.span.beats[0] if session.span.beats else session.playhead.beat
        try:
            start, end = self._ends(first)
            rows = morphs.rows(session.project, session.shown.device, start, end)
        except ZolvekError:
            return
        if not rows:
            nothing = QTreeWidgetItem(["Nothing differs between the two."])
            nothing.setFlags(Qt.ItemFlag.NoItemFlags)
            self.table.addTopLevelItem(nothing)
            nothing.setFirstColumnSpanned(True)
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
        """The parameters that are not moved."""
        items = [self.table.topLevelItem(i) for i in range(self.table.topLevelItemCount())]
        return tuple(
            item.data(0, STATE)
            for item in items
            if item is not None and item.data(0, STATE) and item.checkState(0) == Qt.CheckState.Unchecked
        )

    def _ends(self, first: float) -> tuple[Values, Values]:
        session = self.session
        assert session.shown.device is not None
        result = []
        for box in (self.start, self.end):
            key = box.currentData()
            if key:
                result.append(states.state_of(session.project, str(key)).of(session.shown.device))
            else:
                result.append(states.at_beat(session.project, session.shown.device, first))
        return {**result[0]}, {**result[0], **result[1]}

    def course(self) -> Course:
        """How the morph goes."""
        return Course(
            str(self.shape.currentData()),
            read(self.amount.text(), "") or 0.0,
            str(self.moment.currentData()),
            str(self.stagger.currentData()),
            bool(self.after.currentData()),
            left_out=self.left_out,
        )

    def apply(self) -> None:
        """Write the morph."""
        session, device = self.session, chosen_device(self.session)
        first, last = session.span.needed()
        end = self.end.currentData()
        if end is None:
            raise ZolvekError("There is no state to recall.", remedy="Store one on the States page.")
        stops = [(first, str(self.start.currentData() or "")), (last, str(end))]
        project = morphs.chained(session.project, device.id, stops, self.course(), self.linked.isChecked())
        name = states.state_of(project, str(end)).name
        edit_with_lanes(session, f"Morph to {name}", project)

    def chain(self) -> None:
        """Through the device's states in their order, one to each section of the span."""
        session, device = self.session, chosen_device(self.session)
        first, last = session.span.needed()
        borders = [s.beat for s in session.project.sections if first < s.beat < last]
        ids = [state.id for state in own_states(session)]
        beats = [first, *borders, last]
        if len(ids) < len(beats) - 1:
            raise ZolvekError(
                f"The span has {len(beats) - 1} parts, and there are {len(ids)} states.",
                remedy="Store more states, or select fewer sections.",
            )
        stops = list(zip(beats, ["", *ids[: len(beats) - 1]], strict=True))
        project = morphs.chained(session.project, device.id, stops, self.course(), self.linked.isChecked())
        edit_with_lanes(session, f"Morph through {len(beats) - 1} states", project)
