# SPDX-License-Identifier: GPL-3.0-or-later
"""Edits of a project's time: tempo, meter and end."""

from __future__ import annotations

import re
from collections.abc import Sequence
from statistics import median
from typing import NamedTuple

import numpy as np

from zolvek.core.edits.edit_scope import counted
from zolvek.core.edits.rearrangement import Lengths, rearranged
from zolvek.core.edits.stretches import Stretch
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import CLOSEST_BEATS, LIMITS, MOST_BEATS
from zolvek.core.model.project import Clip, Project, Section
from zolvek.core.records import replace
from zolvek.core.time.durations import beats_of
from zolvek.core.time.meter import MeterMap, MeterPoint
from zolvek.core.time.tempo import TempoMap, TempoPoint

TEMPO_HELP = "Type a tempo such as 112, or 112→116 over 8 bars."
NEAREST = 1.0 / 64.0  # beats that a dragged tempo point keeps from its neighbours
LONGEST_TAP_S = 4.0  # seconds after which tapping begins again


class TempoText(NamedTuple):
    """What is written as a tempo: BPM, and where it goes over how many beats, if it does."""

    bpm: float
    end: float | None = None
    beats: float = 0.0


def parse_tempo(text: str, project: Project, beat: float) -> TempoText:
    """ "112", "112→116 over 8 bars". Raises ZolvekError where it can't be read."""
    number = r"(\d{1,4}(?:[.,]\d{1,9})?)"
    clean = text.strip().lower().removesuffix("bpm").strip()
    match = re.fullmatch(rf"{number}(?:\s*(?:→|->|–|-|to)\s*{number}\s*(?:over|in)\s+(.+))?", clean)
    if match is None:
        raise ZolvekError(f"“{text}” is not a tempo.", "tempo", TEMPO_HELP)
    bpm = [float(item.replace(",", ".")) for item in (match[1], match[2]) if item]
    for item in bpm:
        LIMITS["bpm"].need(item, "tempo")
    if match[2] is None:
        return TempoText(bpm[0])
    beats = beats_of(match[3], project.tempo, project.meter, beat)
    if beats is None or not 0.0 < beats < MOST_BEATS:
        raise ZolvekError(f"“{match[3]}” is not a length.", "tempo", TEMPO_HELP)
    return TempoText(bpm[0], bpm[1], beats)


def with_tempo(project: Project, tempo: TempoMap, keep_sound: bool = False) -> Project:
    """Another tempo: what is counted in beats stays there. With `keep_sound` the clips stay at
    their seconds."""
    if not keep_sound:
        return replace(project, tempo=tempo)
    old = project.tempo

    def kept(beat: float) -> float:
        return min(float(tempo.beats(float(old.seconds(beat)))), MOST_BEATS)

    def block(clip: Clip) -> Clip:
        until = clip.loop_until
        return replace(clip, beat=kept(clip.beat), loop_until=None if until is None else kept(until))

    tracks = tuple(
        replace(track, clips=tuple(block(clip) for clip in track.clips)) if track.clips else track
        for track in project.tracks
    )
    return replace(project, tempo=tempo, tracks=tracks)


def tempo_put(tempo: TempoMap, beat: float, bpm: float, ramp: bool | None = None) -> TempoMap:
    """A tempo point at a beat, in the place of one that lies there. It goes on as the one before it did,
    unless `ramp` says otherwise."""
    LIMITS["bpm"].need(bpm, "tempo")
    rest = [p for p in tempo.points if abs(p.beat - beat) >= CLOSEST_BEATS or p.beat == 0.0 < beat]
    rest = [p for p in rest if p.beat != beat]
    before = max((p for p in tempo.points if p.beat <= beat), key=lambda p: p.beat)
    point = TempoPoint(beat, bpm, before.ramp if ramp is None else ramp)
    return TempoMap(tuple(sorted((*rest, point), key=lambda p: p.beat)))


def tempo_typed(project: Project, beat: float, text: str) -> TempoMap:
    """The tempo with what is typed at a beat. Raises ZolvekError where it can't be read."""
    typed = parse_tempo(text, project, beat)
    if typed.end is None:
        return tempo_put(project.tempo, beat, typed.bpm, ramp=False)
    last = beat + typed.beats
    rest = [
        p
        for p in project.tempo.points
        if not beat - CLOSEST_BEATS < p.beat < last + CLOSEST_BEATS or p.beat == 0.0 < beat
    ]
    points = (*rest, TempoPoint(beat, typed.bpm, True), TempoPoint(last, typed.end))
    return TempoMap(tuple(sorted(points, key=lambda p: p.beat)))


def tempo_moved(tempo: TempoMap, index: int, beat: float, bpm: float) -> TempoMap:
    """A tempo point moved, between its neighbours; the first one stays at the start."""
    points = list(tempo.points)
    low = points[index - 1].beat + NEAREST if index else 0.0
    high = points[index + 1].beat - NEAREST if index + 1 < len(points) else MOST_BEATS
    beat = points[index].beat if high < low else min(max(beat, low), high)
    points[index] = replace(points[index], beat=beat if index else 0.0, bpm=LIMITS["bpm"].kept(bpm))
    return TempoMap(tuple(points))


def with_meter(project: Project, meter: MeterMap) -> tuple[Project, tuple[str, ...]]:
    """The project with another meter, its contents where they are in beats. Sections that begin on bar lines begin on
    the nearest bar lines of the new meter. Returns the names of those that moved."""
    sections: list[Section] = []
    moved: list[str] = []
    for section in project.sections:
        nearest = _nearest_bar_line(meter, section.beat)
        was_on = abs(_nearest_bar_line(project.meter, section.beat) - section.beat) < CLOSEST_BEATS
        taken = bool(sections) and nearest <= sections[-1].beat + CLOSEST_BEATS
        if was_on and abs(nearest - section.beat) >= CLOSEST_BEATS and not taken and nearest < project.length:
            section = replace(section, beat=nearest)
            moved.append(section.name)
        sections.append(section)
    return replace(project, meter=meter, sections=tuple(sections)), tuple(moved)


def _nearest_bar_line(meter: MeterMap, beat: float) -> float:
    bar = meter.bar_at(beat + CLOSEST_BEATS)
    return min((meter.bar_beat(bar), meter.bar_beat(bar + 1)), key=lambda line: abs(line - beat))


def tempo_without(tempo: TempoMap, index: int) -> TempoMap:
    """Raises ZolvekError for the first point."""
    if index == 0:
        raise ZolvekError("The first tempo can't be removed.", "tempo", "Type another one.")
    return TempoMap(tempo.points[:index] + tempo.points[index + 1 :])


def tempo_ramped(tempo: TempoMap, index: int) -> TempoMap:
    """The point's tempo holding until the next one, or ramping to it: the other way than now."""
    if index + 1 >= len(tempo.points):
        raise ZolvekError("There is no later tempo to ramp to.", "tempo", "Add a tempo point there first.")
    points = list(tempo.points)
    points[index] = replace(points[index], ramp=not points[index].ramp)
    return TempoMap(tuple(points))


def tapped(seconds: Sequence[float]) -> float | None:
    """The tempo of taps at these times: the middle of the last eight distances; None of too few, or of
    what is no tempo."""
    gaps = np.diff(np.asarray(seconds, float))
    late = np.flatnonzero(gaps > LONGEST_TAP_S)
    gaps = gaps[late[-1] + 1 if late.size else 0 :][-8:]
    if gaps.size < 1 or not (gaps > 0.0).all():
        return None
    bpm = 60.0 / median(gaps.tolist())
    return round(bpm, 1) if LIMITS["bpm"].holds(bpm) else None


def meter_put(meter: MeterMap, bar: int, count: int, unit: int) -> MeterMap:
    """Another meter from a bar on, up to the next change, which keeps the number of its bar. Raises
    ZolvekError where it is no meter."""
    rest = [point for point in meter.points if point.bar != bar]
    points = sorted((*rest, MeterPoint(bar, count, unit)), key=lambda point: point.bar)
    kept: list[MeterPoint] = []
    for point in points:
        if not kept or (kept[-1].count, kept[-1].unit) != (point.count, point.unit):
            kept.append(point)
    return MeterMap(tuple(kept))


def meter_without(meter: MeterMap, bar: int) -> MeterMap:
    """The bar no longer begins another meter. Raises ZolvekError for the first bar."""
    if bar == 1:
        raise ZolvekError("The first meter can't be removed.", "meter", "Type another one.")
    return MeterMap(tuple(point for point in meter.points if point.bar != bar))


def beyond(project: Project, length: float) -> str:
    """What lies after a beat, in words; "" when nothing does."""
    late = [int((lane.curve.beat > length + 1e-9).sum()) for lane in project.lanes()]
    rows = (
        (sum(late), "point"),
        (sum(n.beat >= length for t in project.tracks for n in t.notes), "note"),
        (sum(c.beat >= length for t in project.tracks for c in t.clips), "block"),
        (sum(s.beat >= length for s in project.sections), "section"),
    )
    return ", ".join(counted(count, noun) for count, noun in rows if count)


def with_end(project: Project, length: float, cut: bool, lengths: Lengths | None = None) -> Project:
    """The project ending at a beat. What lies beyond is `cut`, or stays and is unheard until the end goes
    back."""
    LIMITS["length"].need(length, "end")
    if cut and length < project.length:
        return rearranged(project, (Stretch(0.0, length),), lengths or {})
    return replace(project, length=length)
