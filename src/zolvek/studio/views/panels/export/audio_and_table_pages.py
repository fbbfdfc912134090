# SPDX-License-Identifier: GPL-3.0-or-later
"""Pages of the Export panel: sound, and tables and pictures."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QCheckBox, QWidget

from zolvek.core.limits import LIMITS
from zolvek.formats.audio.sound_writer import DEPTHS, RATES
from zolvek.formats.tables.lane_table import CELLS, CLOCKS
from zolvek.sound.jobs.control_export import SWINGS
from zolvek.studio.services.context import Studio
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit.fields import NumberEntry
from zolvek.studio.toolkit.widgets import (
    button,
    choice,
    field_label,
    form,
    heading,
    note,
    page_layout,
    pick,
)

WORDS = {"16": "16 bit", "24": "24 bit", "float": "32 bit float"}


def action_button(actions: Callable[[str], QAction], key: str, main: bool = False, text: str = "") -> QWidget:
    """A button for an action of the table; `text` where its own is too long for the panel."""
    action = actions(key)
    return button(text or action.text(), action.trigger, main, action.toolTip())


def switch(session: Session, name: str, text: str, tip: str = "") -> QCheckBox:
    """A box that is a setting."""
    box = QCheckBox(text)
    box.setToolTip(tip)
    box.setChecked(bool(session.settings.get(name)))
    box.toggled.connect(lambda on: session.settings.put(name, on))
    return box


class SoundPage(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        session, actions = studio.session, studio.action
        self.studio = studio
        self.session = session
        settings = session.settings
        what = choice(
            (("The mix", False), ("Each track in its own file", True)),
            "Source",
            lambda data: settings.put("audio.tracks", data),
        )
        span = choice(
            (("All", False), ("The selection", True)),
            "Range",
            lambda data: settings.put("audio.selection", data),
        )
        kind = choice(
            (("WAV", ".wav"), ("FLAC", ".flac")),
            "File type",
            lambda data: settings.put("audio.kind", data),
        )
        rate = choice(
            ((f"{hertz / 1000:g} kHz", hertz) for hertz in RATES),
            "Sample rate",
            lambda data: settings.put("audio.rate", data),
        )
        depth = choice(
            ((WORDS[key], key) for key in DEPTHS),
            "Bits",
            lambda data: settings.put("audio.depth", data),
        )
        for box, name in (
            (what, "audio.tracks"), (span, "audio.selection"), (kind, "audio.kind"),
            (rate, "audio.rate"), (depth, "audio.depth"),
        ):  # fmt: skip
            pick(box, settings.get(name))
        fields = form()
        for text, box in (
            ("What", what), ("Span", span), ("File", kind), ("Rate", rate), ("Bits", depth),
        ):  # fmt: skip
            fields.addRow(field_label(text), box)
        layout = page_layout(self)
        layout.addLayout(fields)
        tail = "Keeps the sound after the end until it has died away"
        layout.addWidget(switch(session, "audio.tail", "Keep tail", tail))
        layout.addWidget(switch(session, "audio.bypass", "Without automation"))
        layout.addWidget(action_button(actions, "export-sound", True))
        layout.addSpacing(10)
        layout.addWidget(heading("Control signal"))
        layout.addWidget(note("The focus lane as a signal for control inputs. Its reach spans"))
        swing = choice(
            ((text, key) for key, text in SWINGS.items()),
            "Range of the control signal",
            lambda data: settings.put("audio.control_range", data),
        )
        pick(swing, settings.audio.control_range)
        layout.addWidget(swing)
        layout.addWidget(action_button(actions, "export-control", text="Export control signal…"))
        layout.addStretch(1)


class DataPage(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        session, actions = studio.session, studio.action
        self.studio = studio
        settings = session.settings
        lanes = choice(
            (("The focus lane", False), ("All shown lanes", True)),
            "Lanes in tables and pictures",
            lambda data: settings.put("tables.all_lanes", data),
        )
        clock = choice(
            ((text, key) for key, text in CLOCKS.items()),
            "Time base of the table",
            lambda data: settings.put("tables.time_base", data),
        )
        cells = choice(
            ((text, key) for key, text in CELLS.items()),
            "Cell contents",
            lambda data: settings.put("tables.cells", data),
        )
        limit = LIMITS["clock_step"]
        step = NumberEntry(
            "Time step",
            limit.low,
            limit.high,
            settings.tables.step,
            decimals=4,
            step=0.25,
            changed=lambda value: settings.put("tables.step", value),
        )
        for box, name in ((lanes, "tables.all_lanes"), (clock, "tables.time_base"), (cells, "tables.cells")):
            pick(box, settings.get(name))
        layout = page_layout(self)
        top = form()
        top.addRow(field_label("Lanes"), lanes)
        layout.addLayout(top)
        layout.addSpacing(8)
        layout.addWidget(heading("Table"))
        fields = form()
        for text, widget in (("Time base", clock), ("Step", step), ("Cells", cells)):
            fields.addRow(field_label(text), widget)
        layout.addLayout(fields)
        layout.addWidget(action_button(actions, "export-table", True))
        layout.addWidget(note("The points themselves, which can be imported again:"))
        layout.addWidget(action_button(actions, "export-csv", text="Export points…"))
        layout.addSpacing(8)
        layout.addWidget(heading("Picture"))
        layout.addWidget(note("Lanes over the selection, or the whole song."))
        layout.addWidget(action_button(actions, "export-picture"))
        layout.addStretch(1)
