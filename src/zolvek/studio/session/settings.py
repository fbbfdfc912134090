# SPDX-License-Identifier: GPL-3.0-or-later
"""What is remembered between starts: theme, recent files, window size. Kept the XDG way."""

from __future__ import annotations

import json
from contextlib import suppress
from dataclasses import asdict, dataclass, field
from functools import cache
from pathlib import Path
from typing import Any, cast

from zolvek.core.errors import ZolvekError
from zolvek.core.limits import (
    Clicks,
    ClockStep,
    Division,
    Frames,
    Limit,
    Megabytes,
    Milliseconds,
    Pixels,
    SampleRate,
    Share,
    TextPercent,
    Ticks,
    Wait,
    limited,
)
from zolvek.core.movement.evaluation.quantised_steps import Resolution
from zolvek.core.time.grid import BARS, GridKind
from zolvek.storage import folders
from zolvek.storage.atomic import write_bytes
from zolvek.storage.opening import read_bytes

MOST_RECENT = 10
MOST_BYTES = 1_000_000
MOST_LISTED, MOST_TEXT = 1_000, 4_096  # of a list, and characters of a text


class Area:
    """A group of settings. Raises ZolvekError for a value beyond its limit: no field of the window keeps one."""

    def __setattr__(self, name: str, value: object) -> None:
        limit = _limits(cast(Any, type(self))).get(name)
        if limit is not None:
            limit.need(value, name.replace("_", " "))  # type: ignore[arg-type]  # the number it is declared as
        super().__setattr__(name, value)


@dataclass
class WindowSettings(Area):
    """How the window looks."""

    theme: str = "vellum"
    follow_desktop: bool = True  # its preference for light or dark, where it says one
    text_percent: TextPercent = 0  # of the size that text is drawn for; 0 is the desktop's own
    width: Pixels = 1_280
    height: Pixels = 800
    maximised: bool = False
    panel: str = "step-draw"  # that is shown, the id of its action
    time_rows: bool = False  # tempo, meter and sections are shown over the ruler
    track_row_hidden: bool = False  # the track's sound and notes are out of the way
    track_row_tall: bool = False
    dials_hidden: bool = False  # the dials are out of the way
    related_first: bool = True  # the other lanes begin with those that belong to the focus
    moving_only: bool = False  # only those that move in the selected span, or in what is shown
    index_width: Pixels = 196
    panel_width: Pixels = 312
    other_lanes_height: Pixels = 140
    backdrop: str = "spectrogram"  # behind the focus lane, a key of sound.analysis.backdrop.KINDS
    first_curve_done: bool = False  # it has been led through, or left


@dataclass
class FileSettings(Area):
    """Recent projects, and how much is remembered to undo."""

    recent: list[str] = field(default_factory=list)
    undo_megabytes: Megabytes = 512  # that steps to undo may take in memory


@dataclass
class PluginSettings(Area):
    """Plugins by id: those used last, favourites, and favourites among their controls and presets."""

    recent: list[str] = field(default_factory=list)
    favourites: list[str] = field(default_factory=list)
    favourite_controls: list[str] = field(default_factory=list)  # a plugin's id, a tab and a control's symbol each
    favourite_presets: list[str] = field(default_factory=list)  # a device type's key, a tab and a preset's name each


@dataclass
class ConnectSettings(Area):
    """Other programs: JACK or PipeWire, and OSC."""

    osc_address: str = "127.0.0.1:9000"  # where lanes were last sent
    osc_port: int = 9001
    osc_rate: float = 60.0  # times a second
    osc_lead_ms: float = 0.0  # milliseconds that a packet is sent before its time tag
    use_jack: bool = False  # takes part with JACK or PipeWire


@dataclass
class EditingSettings(Area):
    """How points are moved."""

    collisions: str = "stop"
    grid_division: Division = 16
    grid_kind: str = GridKind.STRAIGHT
    snap: bool = True
    relative_snap: bool = False  # a moved point goes by whole steps of the grid, not onto its lines
    follow_touched: bool = True  # a touched control brings its lane up
    clips_keep_time: bool = False  # sound stays at its seconds when the tempo changes
    edge_ramp: Wait = 0.0  # beats in which the edges of a moved span go to the new level
    bake_tolerance: Share = 0.002  # of the height, within which layers are baked


@dataclass
class RecordingSettings(Area):
    """How passes and notes are recorded."""

    quantise_notes: bool = False  # notes that are recorded begin on the grid
    mode: str = "touch"  # of recording, a key of core.movement.recording.passes.MODES
    last_mode: str = "touch"  # of the last pass: the next one is in it too
    keep_mode: bool = False  # the mode stays after a pass instead of going back to read
    count_in: Clicks = 4  # clicks before a pass
    pre_roll: Wait = 0.0  # beats played before a pass begins to write
    only_in_span: bool = False  # only the selected span is written
    return_beats: Wait = 0.25  # beats that the way back to the curve takes
    tolerance: Share = 0.004  # of the height, within which a pass is thinned


@dataclass
class PlaybackSettings(Area):
    """How the selection is played."""

    pre_roll: Wait = 0.0  # beats before the selection from which it is played
    device: str = ""  # the audio output by name; "" for the system's default
    buffer_frames: Frames = 1_024


@dataclass
class MidiSettings(Area):
    """How lanes become MIDI."""

    interval_ms: Milliseconds = 0.0  # milliseconds that changes lie apart at least
    interval_ticks: Ticks = 1  # ticks that they lie apart at least
    tolerance: Share = 0.0  # of the height that steps may stray beyond half a step
    split: str = "one"  # a key of formats.midi.file_out.SPLITS
    exact_time: bool = False  # further tempo events keep a file's time exact

    @property
    def resolution(self) -> Resolution:
        """How closely MIDI follows."""
        return Resolution(self.interval_ticks, self.interval_ms, self.tolerance)


@dataclass
class AudioSettings(Area):
    """How audio is exported."""

    kind: str = ".wav"
    rate: SampleRate = 48_000
    depth: str = "24"
    tracks: bool = False
    selection: bool = False
    bypass: bool = False
    tail: bool = True
    control_range: str = "both"  # a key of sound.jobs.control_export.SWINGS


@dataclass
class TableSettings(Area):
    """How tables and pictures are exported."""

    time_base: str = "beats"
    step: ClockStep = 0.25  # of the clock
    cells: str = "value"  # a key of formats.tables.CELLS
    all_lanes: bool = False  # tables and pictures of all shown lanes, not of the focus lane alone


@dataclass
class Settings:
    """What is remembered between starts, by area."""

    window: WindowSettings = field(default_factory=WindowSettings)
    files: FileSettings = field(default_factory=FileSettings)
    plugins: PluginSettings = field(default_factory=PluginSettings)
    connect: ConnectSettings = field(default_factory=ConnectSettings)
    editing: EditingSettings = field(default_factory=EditingSettings)
    recording: RecordingSettings = field(default_factory=RecordingSettings)
    playback: PlaybackSettings = field(default_factory=PlaybackSettings)
    midi: MidiSettings = field(default_factory=MidiSettings)
    audio: AudioSettings = field(default_factory=AudioSettings)
    tables: TableSettings = field(default_factory=TableSettings)

    def get(self, path: str) -> object:
        """A setting by area and name, such as "midi.split"."""
        area, _, name = path.partition(".")
        return getattr(getattr(self, area), name)

    def put(self, path: str, value: object) -> None:
        """Change a setting by area and name. Raises ZolvekError beyond its limit."""
        area, _, name = path.partition(".")
        setattr(getattr(self, area), name, value)

    def keep_widths(self, index: int, _: int, panel: int) -> None:
        """Where the borders of the window were dragged to."""
        self.window.index_width, self.window.panel_width = index, panel

    def add_recent(self, path: Path) -> None:
        """Put a project at the top of the recent ones."""
        name = str(path.resolve())
        self.files.recent = [name, *(item for item in self.files.recent if item != name)][:MOST_RECENT]


# What settings were called before they had areas: a file of then is still read.
OLDER = {
    "window.theme": "theme",
    "window.time_rows": "time_rows",
    "window.track_row_hidden": "strip_folded",
    "window.track_row_tall": "strip_tall",
    "window.dials_hidden": "bench_folded",
    "window.related_first": "low_near",
    "window.moving_only": "low_moving",
    "window.index_width": "index_width",
    "window.panel_width": "rail_width",
    "window.other_lanes_height": "low_height",
    "window.backdrop": "backdrop",
    "window.first_curve_done": "first_curve",
    "files.recent": "recent",
    "files.undo_megabytes": "undo_megabytes",
    "plugins.recent": "recent_plugins",
    "plugins.favourites": "favourite_plugins",
    "connect.osc_address": "osc_out",
    "connect.osc_port": "osc_in",
    "connect.osc_rate": "osc_rate",
    "connect.use_jack": "beside",
    "editing.collisions": "when_met",
    "editing.grid_division": "grid_division",
    "editing.grid_kind": "grid_kind",
    "editing.snap": "snap",
    "editing.relative_snap": "keep_distance",
    "editing.follow_touched": "follow",
    "editing.clips_keep_time": "keep_sound",
    "editing.edge_ramp": "ramp",
    "editing.bake_tolerance": "bake_tolerance",
    "recording.quantise_notes": "quantise_notes",
    "recording.mode": "mode",
    "recording.keep_mode": "stay",
    "recording.count_in": "count_in",
    "recording.pre_roll": "pre_roll",
    "recording.only_in_span": "punch",
    "recording.return_beats": "glide",
    "recording.tolerance": "take_tolerance",
    "playback.pre_roll": "lead",
    "midi.interval_ms": "midi_gap",
    "midi.interval_ticks": "midi_ticks",
    "midi.tolerance": "midi_tolerance",
    "midi.split": "midi_split",
    "midi.exact_time": "midi_exact_time",
    "audio.kind": "sound_kind",
    "audio.rate": "sound_rate",
    "audio.depth": "sound_depth",
    "audio.tracks": "sound_tracks",
    "audio.selection": "sound_selection",
    "audio.bypass": "sound_bypass",
    "audio.tail": "sound_tail",
    "audio.control_range": "control_swing",
    "tables.time_base": "table_clock",
    "tables.step": "table_step",
    "tables.cells": "table_cells",
    "tables.all_lanes": "data_all",
}


def _paths() -> list[str]:
    """All settings by area and name."""
    return [f"{area}.{name}" for area, part in vars(Settings()).items() for name in vars(part)]


def limit_of(path: str) -> Limit:
    """How far a number may go, by area and name; any finite one where there is no limit."""
    area, _, name = path.partition(".")
    kind: Any = type(getattr(Settings(), area))
    return _limits(kind).get(name, Limit(name, 0.0, 1e9))


@cache
def _limits(area: Any) -> dict[str, Limit]:
    return {name: limit for name, limit, _ in limited(area)}


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
    for name in _paths():
        value = _kept(kept, name, OLDER.get(name, ""))
        default = fresh.get(name)
        kind = str if isinstance(default, str) else type(default)  # a word of an enumeration is a text in the file
        # What is as at the first start needs no look at what it may be, which loads much.
        if type(value) is kind and value != default and _is_known(name, value):
            with suppress(ZolvekError):
                fresh.put(name, value)
    if fresh.editing.grid_kind == GridKind.BARS and fresh.editing.grid_division not in BARS:
        fresh.editing.grid_division = BARS[0]
    return fresh


def _kept(document: object, path: str, older: str) -> object:
    """The value of a setting in a file, where it has areas or was written before there were any."""
    if not isinstance(document, dict):
        return None
    area, _, name = path.partition(".")
    stored = document.get(area)
    return stored.get(name) if isinstance(stored, dict) and name in stored else document.get(older)


@cache
def _words() -> dict[str, tuple[object, ...]]:
    """Of settings that take one of a few values, which."""
    from zolvek.core.curve.point_edits import REPLACE, STOP
    from zolvek.core.movement.recording.passes import MODES
    from zolvek.core.time.grid import DIVISIONS, GRID_KINDS
    from zolvek.formats.audio.sound_writer import DEPTHS, RATES, SOUND_KINDS
    from zolvek.formats.midi.file_out import SPLITS
    from zolvek.formats.tables.lane_table import CELLS, CLOCKS
    from zolvek.sound.analysis.backdrop_kinds import BACKDROP_KINDS
    from zolvek.sound.jobs.control_export import SWINGS
    from zolvek.studio.toolkit.theme import THEMES

    return {
        "window.theme": tuple(THEMES),
        "editing.collisions": (STOP, REPLACE),
        "editing.grid_kind": tuple(GRID_KINDS),
        "editing.grid_division": DIVISIONS,
        "window.backdrop": tuple(BACKDROP_KINDS),
        "recording.mode": tuple(MODES),
        "midi.split": tuple(SPLITS),
        "audio.kind": tuple(SOUND_KINDS),
        "audio.rate": RATES,
        "audio.depth": tuple(DEPTHS),
        "audio.control_range": tuple(SWINGS),
        "tables.time_base": tuple(CLOCKS),
        "tables.cells": tuple(CELLS),
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
    with suppress(OSError, ZolvekError):
        _file().parent.mkdir(parents=True, exist_ok=True)
        write(settings, _file())


def write(settings: Settings, path: Path) -> None:
    """Write the settings to a file. Raises ZolvekError or OSError."""
    write_bytes(path, json.dumps(asdict(settings), indent=1).encode())
