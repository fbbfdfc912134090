# SPDX-License-Identifier: GPL-3.0-or-later
"""Preferences: what is in the settings file, by area. A new one is a row of the table."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from zolvek.core.errors import ZolvekError
from zolvek.studio.session.settings import Settings, limit_of
from zolvek.studio.toolkit.fields import NumberEntry, read_all
from zolvek.studio.toolkit.widgets import choice, field_label, form, pick

Options = Sequence[tuple[str, str]]


class Preference(NamedTuple):
    """A setting by its path, how it is called, and a sentence about it; `options`: what it can be, where that is a
    choice; `factor` and `unit`: how a number is shown."""

    path: str
    label: str
    tip: str = ""
    options: Options = ()
    factor: float = 1.0
    unit: str = ""


TEXT_SIZES = (("The desktop's", "0"), *((f"{percent} %", str(percent)) for percent in (100, 110, 120)))

PAGES: dict[str, tuple[Preference, ...]] = {
    "Appearance": (
        Preference("window.theme", "Theme", "", (("Vellum (light)", "vellum"), ("Lamp (dark)", "lamp"))),
        Preference("window.follow_desktop", "Follow the desktop's light or dark preference"),
        Preference("window.text_percent", "Text size", "Larger text needs more room: names may be cut", TEXT_SIZES),
        Preference("window.time_rows", "Show rows for sections, meter and tempo"),
        Preference("window.track_row_hidden", "Hide the track row"),
        Preference("window.track_row_tall", "Tall track row"),
        Preference("window.dials_hidden", "Hide the dials"),
        Preference("window.related_first", "Related lanes first"),
        Preference("window.moving_only", "Show moving lanes only"),
    ),
    "Audio": (
        Preference("playback.device", "Output device", "Where playback is heard, unless JACK or PipeWire is used"),
        Preference("playback.buffer_frames", "Buffer", "Larger is safer, smaller answers sooner", unit="frames"),
        Preference("playback.pre_roll", "Pre-roll of Play selection", unit="beats"),
    ),
    "Editing": (
        Preference("editing.snap", "Snap to the grid"),
        Preference("editing.relative_snap", "Relative snap", "Moves by whole grid steps"),
        Preference("editing.collisions", "When points meet others", "",
                   (("Stop at others", "stop"), ("Overwrite others", "replace"))),
        Preference("editing.follow_touched", "A touched control brings its lane up"),
        Preference("editing.clips_keep_time", "Clips keep their time when the tempo changes"),
        Preference("editing.edge_ramp", "Edge ramp", "How long a moved span takes to its new level", unit="beats"),
        Preference("editing.bake_tolerance", "Baking tolerance", factor=100.0, unit="%"),
        Preference("files.undo_megabytes", "Memory for undo", unit="MB"),
    ),
    "Recording": (
        Preference("recording.count_in", "Count-in", unit="clicks"),
        Preference("recording.pre_roll", "Pre-roll", unit="beats"),
        Preference("recording.keep_mode", "Keep the mode after a pass"),
        Preference("recording.only_in_span", "Record only in the selected span"),
        Preference("recording.return_beats", "Return time", unit="beats"),
        Preference("recording.tolerance", "Thinning of passes", factor=100.0, unit="%"),
        Preference("recording.quantise_notes", "Quantise recorded notes"),
    ),
    "MIDI and OSC": (
        Preference("midi.interval_ms", "Minimum interval between changes", unit="ms"),
        Preference("midi.tolerance", "Tolerance beyond half a step", factor=100.0, unit="%"),
        Preference("midi.exact_time", "Exact time in MIDI files", "Adds tempo events: exact to 0.1 ms"),
        Preference("connect.osc_rate", "OSC values a second", unit="Hz"),
        Preference("connect.osc_lead_ms", "OSC lead", unit="ms"),
        Preference("connect.use_jack", "Use JACK / PipeWire at the start"),
    ),
}  # fmt: skip


class PreferencesDialog(QDialog):
    """`devices`: the audio outputs there are, by name. Nothing is changed before OK."""

    def __init__(self, settings: Settings, devices: Sequence[str], parent: QWidget) -> None:
        super().__init__(parent)
        self.settings = settings
        self.setWindowTitle("Preferences")
        self.resize(560, 360)
        self.readers: dict[str, Callable[[], object]] = {}
        known = str(settings.get("playback.device"))
        names = list(dict.fromkeys([*devices, *([known] if known else [])]))
        options = {"playback.device": [("Default of the system", ""), *((name, name) for name in names)]}
        self.pages = QTabWidget()
        self.pages.setAccessibleName("Areas")
        for name, rows in PAGES.items():
            page = QWidget()
            fields = form()
            for row in rows:
                self._add(fields, row, options.get(row.path, row.options))
            fields.setContentsMargins(12, 12, 12, 12)
            page.setLayout(fields)
            self.pages.addTab(page, name)
        layout = QVBoxLayout(self)
        layout.addWidget(self.pages)
        standard = QDialogButtonBox.StandardButton
        box = QDialogButtonBox(standard.Ok | standard.Cancel)
        box.accepted.connect(lambda: self.accept() if read_all(self) else None)
        box.rejected.connect(self.reject)
        layout.addWidget(box)

    def _add(self, fields: QFormLayout, row: Preference, options: Options) -> None:
        value = self.settings.get(row.path)
        widget: QWidget
        if options:
            combo: QComboBox = choice(list(options), row.label, lambda _: None)
            pick(combo, str(value))
            whole = isinstance(value, int)
            self.readers[row.path] = lambda: int(combo.currentData()) if whole else combo.currentData()
            widget = combo
        elif isinstance(value, bool):
            box = QCheckBox(row.label)
            box.setChecked(value)
            self.readers[row.path] = box.isChecked
            widget = box
        else:
            assert isinstance(value, int | float)
            limit, kind, factor = limit_of(row.path), type(value), row.factor
            decimals = 0 if kind is int else 3
            entry = NumberEntry(
                row.label, limit.low * factor, limit.high * factor, value * factor, row.unit, decimals
            )  # fmt: skip
            self.readers[row.path] = lambda: kind(round(entry.value() / factor, 9))
            widget = entry
        widget.setToolTip(row.tip)
        if isinstance(widget, QCheckBox):
            fields.addRow(widget)
        else:
            label = field_label(row.label)
            label.setBuddy(widget)
            fields.addRow(label, widget)

    def apply(self) -> set[str]:
        """Put what is set into the settings; returns the paths of what has changed."""
        changed = set()
        for path, read in self.readers.items():
            value = read()
            if value != self.settings.get(path):
                try:
                    self.settings.put(path, value)
                except ZolvekError:
                    continue  # a field keeps to its limits already
                changed.add(path)
        return changed
