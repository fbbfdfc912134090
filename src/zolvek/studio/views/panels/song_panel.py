# SPDX-License-Identifier: GPL-3.0-or-later
"""The Song panel: name, tempo, meter and end; sections with their versions; fitting to a recording."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from zolvek.core.edits import sections
from zolvek.core.model.project import Section
from zolvek.core.same import Same
from zolvek.studio.commands import sections as section_commands
from zolvek.studio.commands import song, time_maps
from zolvek.studio.services.context import Studio
from zolvek.studio.toolkit.fields import Entry
from zolvek.studio.toolkit.refreshing import RefreshWhileShown
from zolvek.studio.toolkit.widgets import button, column, field_label, form, heading, note
from zolvek.studio.views.shared.action_buttons import action_buttons

NUMBER = Qt.ItemDataRole.UserRole
BARS = ((("Insert bars", "bars-insert"), ("Remove bars", "bars-remove")),)
SECTIONS = (
    (("Add here", "section-begin"), ("Duplicate", "section-double")),
    (("Earlier", "section-earlier"), ("Later", "section-later")),
    (("Join with next", "section-join"), ("Remove", "section-remove")),
)
FITTING = (
    (("Tempo from audio…", "tempo-from-sound"),),
    (("Mark a bar line", "bar-mark"), ("Fit…", "marks-fit")),
)
MOST_SHOWN = 6  # lanes in which versions differ
SMALLEST_DIFFERENCE = 0.001  # of the height, that is given as a difference


class SongPanel(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.studio, self.session = studio, studio.session
        self.message: object = None
        session = self.session
        layout = column(self)
        layout.addWidget(heading("Song"))
        self.name = Entry("Song name", partial(song.rename_piece, session))
        self.tempo = Entry(
            "Tempo at the playhead", partial(time_maps.tempo_here, studio), "112, or 112→116 over 8 bars; Ctrl+T taps"
        )
        self.meter = Entry("Meter at the playhead", partial(time_maps.meter_here, studio), "Such as 4/4 or 7/8")
        self.end = Entry("Song end", partial(song.end_typed, studio), "Bars, or a position such as 49.1.0")
        fields = form()
        for label, field in (("Name", self.name), ("Tempo", self.tempo), ("Meter", self.meter), ("Bars", self.end)):
            fields.addRow(field_label(label), field)
        layout.addLayout(fields)
        self.keep = QCheckBox("Clips keep their time")
        self.keep.setToolTip("When the tempo changes; otherwise they keep their bars")
        self.keep.clicked.connect(studio.action("keep-sound").trigger)
        layout.addWidget(self.keep)
        layout.addLayout(action_buttons(studio, BARS))
        self._lay_out_sections(layout)
        self._lay_out_versions(layout)
        layout.addWidget(heading("Fit to a recording"))
        layout.addLayout(action_buttons(studio, FITTING))
        self.marks = note()
        layout.addWidget(self.marks)
        layout.addStretch(1)
        parts = session.document, session.arranging, session.look, session.playhead, session.audition
        RefreshWhileShown(self, self.refresh, [part.changed for part in parts])
        studio.loudness.changed.connect(self._show_loudness)
        self.refresh()

    def _lay_out_sections(self, layout: QVBoxLayout) -> None:
        layout.addWidget(heading("Sections"))
        self.list = QListWidget()
        self.list.setAccessibleName("Sections")
        self.list.setMinimumHeight(120)
        self.list.currentRowChanged.connect(self._pick)
        self.list.itemClicked.connect(lambda item: self._pick(self.list.row(item)))
        self.list.itemChanged.connect(self._rename)
        self.studio.show.context_menu(self.list, lambda _: "section" if self.list.currentItem() else "")
        layout.addWidget(self.list)
        layout.addLayout(action_buttons(self.studio, SECTIONS))

    def _lay_out_versions(self, layout: QVBoxLayout) -> None:
        self.versions_of = field_label("Versions")
        layout.addWidget(self.versions_of)
        self.versions = QListWidget()
        self.versions.setAccessibleName("Versions of the section")
        self.versions.setMaximumHeight(84)
        self.versions.itemChanged.connect(self._rename_version)
        self.versions.currentRowChanged.connect(lambda _: self._show_differences())
        layout.addWidget(self.versions)
        layout.addLayout(action_buttons(self.studio, ((("New version", "version-new"),),)))
        line = QHBoxLayout()
        self.hear = button(
            "Hear",
            self._hear,
            tip="Plays it instead of the section, until you choose or leave it (X)",
        )
        self.choose = button("Use", self._choose, True, "Writes it to the lanes; the current one is stored")
        self.remove = button("Remove", self._remove)
        for item in (self.hear, self.choose, self.remove):
            line.addWidget(item)
        layout.addLayout(line)
        self.match = QCheckBox("Match loudness")
        self.match.setToolTip("Measures both (ITU-R BS.1770) and turns the louder one down")
        self.match.clicked.connect(self.studio.loudness.match)
        layout.addWidget(self.match)
        self.loudness = note()
        layout.addWidget(self.loudness)
        self.differences = note()
        layout.addWidget(self.differences)

    # --- what is shown ---

    def refresh(self) -> None:
        """Show the song's name, tempo, meter and sections."""
        session = self.session
        project, here = session.project, session.playhead.beat
        picked = session.arranging.section
        state = (
            project.tempo, project.meter, project.length, project.sections, project.name, here,
            picked, session.settings.editing.clips_keep_time, session.arranging.marks, Same(project.tracks),
            session.audition.comparing, session.audition.version, session.audition.match_loudness,
        )  # fmt: skip
        if state == self.message:
            return
        self.message = state
        self.name.show_text(project.name)
        self.tempo.show_text(f"{round(float(project.tempo.bpm(here)), 3):g}")
        point = project.meter.meter_at(here + 1e-9)
        self.meter.show_text(f"{point.count}/{point.unit}")
        bars = project.meter.bar_at(max(project.length - 1e-9, 0.0))
        whole = abs(project.meter.bar_beat(bars + 1) - project.length) < 1e-6
        self.end.show_text(str(bars) if whole else project.meter.text(project.length))
        self.keep.setChecked(session.settings.editing.clips_keep_time)
        count = len(session.arranging.marks)
        places = ", ".join(project.meter.text(mark) for mark in session.arranging.marks[:6])
        self.marks.setText(
            f"Marked: {places}" if count else "Mark two bar lines of the recording, or more where its tempo drifts."
        )
        self._fill(self.list, [self._row(s, first) for s, first, _ in project.section_spans()], picked)
        self._show_versions(picked)

    def _row(self, section: Section, first: float) -> tuple[str, str]:
        return section.name, f"From bar {self.session.project.meter.bar_at(first)}"

    def _fill(self, widget: QListWidget, rows: list[tuple[str, str]], chosen: int | None) -> None:
        widget.blockSignals(True)
        if [widget.item(i).text() for i in range(widget.count())] != [text for text, _ in rows]:  # type: ignore[union-attr]  # i is below the count
            widget.clear()
            for number, (text, tip) in enumerate(rows):
                item = QListWidgetItem(text)
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
                item.setData(NUMBER, number)
                item.setToolTip(tip)
                widget.addItem(item)
        if chosen is not None and chosen < widget.count():
            widget.setCurrentRow(chosen)
        widget.blockSignals(False)

    def _section(self) -> Section | None:
        picked = self.session.arranging.section
        return None if picked is None else self.session.project.section_spans()[picked][0]

    def _show_versions(self, picked: int | None) -> None:
        section = self._section()
        names = [version.name for version in section.versions] if section else []
        self.versions_of.setText(f"Versions of {section.name}" if section else "Versions of the section")
        row = self.versions.currentRow()
        self._fill(self.versions, [(name, "Double-click to rename") for name in names], None)
        for i in range(self.versions.count()):
            item = self.versions.item(i)
            if item is not None and section is not None:
                font = item.font()
                font.setBold(i == section.chosen)
                item.setFont(font)
                item.setToolTip("In the lanes now" if i == section.chosen else "Click Hear or Use")
        if section is not None and names:
            self.versions.blockSignals(True)
            self.versions.setCurrentRow(min(row, len(names) - 1) if row >= 0 else section.chosen)
            self.versions.blockSignals(False)
        self.versions.setVisible(bool(names))
        for widget in (self.hear, self.choose, self.remove, self.match, self.differences):
            widget.setVisible(bool(names))
        self.match.setChecked(self.session.audition.match_loudness)
        self._show_loudness()
        self._show_differences()

    def _show_loudness(self) -> None:
        heard = self.session.audition.comparing == "version"
        self.loudness.setText(self.studio.loudness.message if heard else "")
        self.loudness.setVisible(bool(self.loudness.text()))

    def _other(self) -> tuple[int, int] | None:
        """Section and version of the row that is shown, where it does not stand in the lanes."""
        section, picked, row = (
            self._section(),
            self.session.arranging.section,
            self.versions.currentRow(),
        )
        if section is None or picked is None or not 0 <= row < len(section.versions) or row == section.chosen:
            return None
        return picked, row

    def _show_differences(self) -> None:
        other = self._other()
        for item in (self.hear, self.choose, self.remove):
            item.setEnabled(other is not None)
        self.differences.setText("")
        if other is None:
            return
        project = self.session.project
        differences = [d for d in sections.differences(project, *other) if d.most >= SMALLEST_DIFFERENCE]
        rows = [
            f"{project.label_of(d.lane)}: {100 * d.most:.0f} % at {project.meter.text(d.beat)}"
            for d in differences[:MOST_SHOWN]
        ]
        if len(differences) > MOST_SHOWN:
            rows.append(f"… and {len(differences) - MOST_SHOWN} lanes more")
        self.differences.setText("\n".join(["Largest differences:", *rows]) if rows else "No lanes differ.")

    # --- what is done ---

    def _pick(self, row: int) -> None:
        self.session.arranging.pick_section(row if row >= 0 else None)

    def _rename(self, item: QListWidgetItem) -> None:
        number, name = int(item.data(NUMBER)), " ".join(item.text().split())
        session = self.session
        old = session.project.section_spans()[number][0].name
        self.message = None
        if name != old and not session.notices.attempt(
            lambda: section_commands.change_section(session, number, f"Rename {old}", name=name)
        ):
            self.refresh()

    def _rename_version(self, item: QListWidgetItem) -> None:
        picked = self.session.arranging.section
        if picked is None:
            return
        number = int(item.data(NUMBER))
        self.message = None
        self.session.notices.attempt(lambda: section_commands.rename_version(self.session, picked, number, item.text()))
        self.refresh()

    def _hear(self) -> None:
        other, audition = self._other(), self.session.audition
        if other is not None:
            again = audition.comparing == "version" and audition.version == other
            audition.compare("") if again else section_commands.hear_version(self.session, *other)

    def _choose(self) -> None:
        other = self._other()
        if other is not None:
            self.session.notices.attempt(lambda: section_commands.choose_version(self.session, *other))

    def _remove(self) -> None:
        other = self._other()
        if other is not None:
            self.session.notices.attempt(lambda: section_commands.remove_version(self.session, *other))
