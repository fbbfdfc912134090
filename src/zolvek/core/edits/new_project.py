# SPDX-License-Identifier: GPL-3.0-or-later
"""Projects to start with: an empty one that sounds, and tracks for imported files."""

from __future__ import annotations

import re

from zolvek.core.edits.chains import add_device, add_track, with_sound
from zolvek.core.edits.replacement import add_lane, with_track
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import LIMITS
from zolvek.core.model.catalogue import DEVICE_KINDS
from zolvek.core.model.project import Note, Project
from zolvek.core.records import replace
from zolvek.core.time.meter import MeterMap, MeterPoint
from zolvek.core.time.tempo import TempoMap, TempoPoint

TEMPO, BARS = 120.0, 32
PITCH = 45  # a low A, so that a filter has something to work on


def meter_of(text: str) -> tuple[int, int]:
    """Count and unit of "4/4". Raises ZolvekError for what is no meter."""
    match = re.fullmatch(r"\s*(\d{1,3})\s*/\s*(\d{1,3})\s*", text)
    if match is None:
        raise ZolvekError(f"“{text}” is not a meter.", "meter", "Type one such as 4/4 or 7/8.")
    return int(match[1]), int(match[2])


def timed(tempo: float = TEMPO, meter: str = "4/4", bars: int = BARS) -> Project:
    """A project with nothing in it but time. Raises ZolvekError for a tempo or meter that is none."""
    limit = LIMITS["bpm"]
    if not limit.holds(tempo):
        raise ZolvekError(
            f"A tempo of {tempo:g} can't be used.",
            "tempo",
            f"Use {limit.low:g} to {limit.high:g} BPM.",
        )
    meter_map = MeterMap((MeterPoint(1, *meter_of(meter)),))
    length = meter_map.bar_beat(bars + 1)
    return Project("Untitled", TempoMap((TempoPoint(0.0, tempo),)), meter_map, length)


def fresh() -> Project:
    """An empty desk, ready to draw: a synth that plays a note a bar, its filter's lane, and a track for
    sound."""
    project, synth = add_track(timed(), "Synth")
    project, device = add_device(project, synth, DEVICE_KINDS["synth"])
    owner = next(track for track in project.tracks if track.id == synth)
    meter = project.meter
    notes = tuple(
        Note(meter.bar_beat(bar), 0.95 * (meter.bar_beat(bar + 1) - meter.bar_beat(bar)), PITCH)
        for bar in range(1, BARS + 1)
    )
    project = with_track(project, replace(owner, notes=notes))
    project, _ = add_lane(project, device, "cutoff")
    return add_track(project, "Sound")[0]


def with_sound_track(project: Project, name: str, file: str, seconds: float) -> Project:
    """A track of its own for a sound file, from bar 1 on; the project goes on to the bar in which the
    sound ends."""
    project, key = add_track(project, name)
    end = float(project.tempo.beats(seconds))
    meter = project.meter
    length = max(project.length, meter.bar_beat(meter.bar_at(max(end - 1e-6, 0.0)) + 1))
    return with_sound(replace(project, length=length), key, file)
