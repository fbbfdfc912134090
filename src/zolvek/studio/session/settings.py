# SPDX-License-Identifier: GPL-3.0-or-later
"""What is remembered between starts: theme, recent files, window size. Kept the XDG way."""

from __future__ import annotations

import json
from contextlib import suppress
from dataclasses import asdict, dataclass, field, fields
from functools import cache
from pathlib import Path

from zolvek.core.errors import ZolvekError
from zolvek.core.limits import (
    Clicks,
    ClockStep,
    Division,
    Limit,
    Megabytes,
    Milliseconds,
    Pixels,
    SampleRate,
    Share,
    Ticks,
    Wait,
    limited,
)
from zolvek.core.movement.evaluation.quantised_steps import Resolution
from zolvek.core.time.grid import BARS
from zolvek.storage import folders
from zolvek.storage.atomic import write_bytes
from zolvek.storage.opening import read_bytes

MOST_RECENT = 10
MOST_BYTES = 1_000_000
MOST_LISTED, MOST_TEXT = 1_000, 4_096  # of a list, and characters of a text


@dataclass
class Settings:
    theme: str = "vellum"
    first_curve: bool = False  # it has been led through, or left
    recent: list[str] = field(default_factory=list)
    recent_plugins: list[str] = field(default_factory=list)
    osc_out: str = "127.0.0.1:9000"  # where lanes were last sent
    osc_in: int = 9001
    osc_rate: float = 60.0  # times a second
    beside: bool = False  # takes part with JACK or PipeWire
    favourite_plugins: list[str] = field(default_factory=list)
    when_met: str = "stop"
    grid_division: Division = 16
    grid_kind: str = "straight"
    snap: bool = True
    keep_distance: bool = False  # a moved point goes by whole steps of the grid, not onto its lines
    follow: bool = True  # a touched control brings its lane up
    low_near: bool = True  # the other lanes begin with those that belong to the focus
    low_moving: bool = False  # only those that move in the selected span, or in what is shown
    time_rows: bool = False  # tempo, meter and sections are shown over the ruler
    strip_folded: bool = False  # the track's sound and notes are out of the way
    strip_tall: bool = False
    quantise_notes: bool = False  # notes that are recorded begin on the grid
    keep_sound: bool = False  # sound stays at its seconds when the tempo changes
    bench_folded: bool = False  # the dials are out of the way
    index_width: Pixels = 196
    rail_width: Pixels = 300
    low_height: Pixels = 140
    backdrop: str = "spectrogram"  # behind the focus lane, a key of sound.analysis.backdrop.KINDS
    mode: str = "touch"  # of recording, a key of core.movement.recording.passes.MODES
    stay: bool = False  # the mode stays after a pass instead of going back to read
    count_in: Clicks = 4  # clicks before a pass
    pre_roll: Wait = 0.0  # beats played before a pass begins to write
    punch: bool = False  # only the selected span is written
    glide: Wait = 0.25  # beats that the way back to the curve takes
    take_tolerance: Share = 0.004  # of the height, within which a pass is thinned
    bake_tolerance: Share = 0.002  # of the height, within which layers are baked
    lead: Wait = 0.0  # beats before the selection from which it is played
    midi_gap: Milliseconds = 0.0  # milliseconds that changes lie apart at least
    midi_ticks: Ticks = 1  # ticks that they lie apart at least
    midi_tolerance: Share = 0.0  # of the height that steps may stray beyond half a step
    midi_split: str = "one"  # a key of formats.midi.file_out.SPLITS
    midi_exact_time: bool = False  # further tempo events keep a file's time exact
    sound_kind: str = ".wav"
    sound_rate: SampleRate = 48_000
    sound_depth: str = "24"
    sound_tracks: bool = False
    sound_selection: bool = False
    sound_bypass: bool = False
    sound_tail: bool = True
    control_swing: str = "both"  # a key of sound.jobs.control_export.SWINGS
    table_clock: str = "beats"
    table_step: ClockStep = 0.25  # of the clock
    table_cells: str = "value"  # a key of formats.tables.CELLS
    data_all: bool = False  # tables and pictures of all shown lanes, not of the focus lane alone
    undo_megabytes: Megabytes = 512  # that steps to undo may take in memory
    ramp: Wait = 0.0  # beats in which the edges of a moved span go to the new level

    def __setattr__(self, name: str, value: object) -> None:
        """Raises ZolvekError for a value beyond its limit: no field of the window keeps one."""
        limit = _limits().get(name)
        if limit is not None:
            limit.need(value, name.replace("_", " "))  # type: ignore[arg-type]  # the number it is declared as
        super().__setattr__(name, value)

    @property
    def resolution(self) -> Resolution:
        """How closely MIDI follows."""
        return Resolution(self.midi_ticks, self.midi_gap, self.midi_tolerance)

    def keep_widths(self, index: int, _: int, rail: int) -> None:
        """Where the borders of the window were dragged to."""
        self.index_width, self.rail_width = index, rail

    def add_recent(self, path: Path) -> None:
        name = str(path.resolve())
        self.recent = [name, *(each for each in self.recent if each != name)][:MOST_RECENT]


@cache
def _limits() -> dict[str, Limit]:
    return {name: limit for name, limit, _ in limited(Settings)}


def _file() -> Path:
    return folders.config() / "settings.json"


def load() -> Settings:
    """The settings; what can't be read of them is as at the first start."""
    try:
        return read(_file())
    except ZolvekError:  # no home
        return Settings()


def read(path: Path) -> Settings:
    """The settings in a file; what can't be read of them, or is out of range, is as at the first start."""
    fresh = Settings()
    try:
        kept = json.loads(read_bytes(path, MOST_BYTES))
    except (ZolvekError, UnicodeDecodeError, json.JSONDecodeError, RecursionError):
        return fresh
    for each in fields(Settings):
        value = kept.get(each.name) if isinstance(kept, dict) else None
        if type(value) is type(getattr(fresh, each.name)) and _is_known(each.name, value):
            with suppress(ZolvekError):
                setattr(fresh, each.name, value)
    if fresh.grid_kind == "bars" and fresh.grid_division not in BARS:
        fresh.grid_division = BARS[0]
    return fresh


@cache
def _words() -> dict[str, tuple[object, ...]]:
    """Of settings that take one of a few values, which."""
    from zolvek.core.curve.point_edits import REPLACE, STOP
    from zolvek.core.movement.recording.passes import MODES
    from zolvek.core.time.grid import DIVISIONS, GRID_KINDS
    from zolvek.formats.audio.sound_writer import DEPTHS, RATES, SOUND_KINDS
    from zolvek.formats.midi.file_out import SPLITS
    from zolvek.formats.tables.lane_table import CELLS, CLOCKS
    from zolvek.sound.analysis.backdrop import BACKDROP_KINDS
    from zolvek.sound.jobs.control_export import SWINGS
    from zolvek.studio.toolkit.theme import THEMES

    return {
        "theme": tuple(THEMES),
        "when_met": (STOP, REPLACE),
        "grid_kind": tuple(GRID_KINDS),
        "grid_division": DIVISIONS,
        "backdrop": tuple(BACKDROP_KINDS),
        "mode": tuple(MODES),
        "midi_split": tuple(SPLITS),
        "sound_kind": tuple(SOUND_KINDS),
        "sound_rate": RATES,
        "sound_depth": tuple(DEPTHS),
        "control_swing": tuple(SWINGS),
        "table_clock": tuple(CLOCKS),
        "table_cells": tuple(CELLS),
    }


def _is_known(name: str, value: object) -> bool:
    """Whether a setting that takes one of a few words has one of them, and a list holds texts that a list holds."""
    if isinstance(value, list):
        texts = all(isinstance(x, str) and len(x) <= MOST_TEXT for x in value)
        return texts and len(value) <= MOST_LISTED
    if isinstance(value, str) and len(value) > MOST_TEXT:
        return False
    return name not in _words() or value in _words()[name]


def save(settings: Settings) -> None:
    """Keep the settings; a folder that can't be written only costs the memory of them."""
    try:
        _file().parent.mkdir(parents=True, exist_ok=True)
        write_bytes(_file(), json.dumps(asdict(settings), indent=1).encode())
    except (OSError, ZolvekError):
        return
