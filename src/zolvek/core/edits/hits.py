# SPDX-License-Identifier: GPL-3.0-or-later
"""Hits: the beats at which something sounds, as places to snap to, to end at, and to stamp on."""

from __future__ import annotations

from collections.abc import Mapping
from enum import StrEnum
from typing import NamedTuple

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.spans import splice
from zolvek.core.curve.stamps import stamped
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project, Track
from zolvek.core.model.source import SHORTEST_CLIP_S

SAME_HIT_BEATS = 1e-4  # beats within which two hits are one
LEAST_IN_BAND = 0.3  # of the strongest hit of a band: one with less is not in it
DRUMS = "drums"  # the kind of device whose notes are percussion keys
SHORTEST_STAMP_BEATS = 1e-4  # beats that a stamp lasts


class Band(StrEnum):
    """Which hits are meant, by where they are in the spectrum."""

    ALL = "all"
    LOW = "low"
    MIDDLE = "middle"
    HIGH = "high"


BANDS = (Band.LOW, Band.MIDDLE, Band.HIGH)
BAND_LABELS = {
    Band.ALL: "All", Band.LOW: "Low (kick)", Band.MIDDLE: "Middle (snare)", Band.HIGH: "High (hats)",
}  # fmt: skip
# General MIDI level 1 percussion keys by band: the rest are high.
LOW_KEYS, MIDDLE_KEYS = frozenset((35, 36, 41, 43, 45)), frozenset((37, 38, 39, 40, 47, 48, 50))
LOW_PITCH, HIGH_PITCH = 48, 72  # of other notes: below the first they are low, from the second on high


class Hits(NamedTuple):
    """`beats` (n,), increasing, and how strong each hit is in the low, the middle and the high band, `bands` (n, 3),
    0..1."""

    beats: Floats
    bands: Floats


NONE = Hits(np.empty(0), np.empty((0, 3)))


def chosen(hits: Hits, band: Band, least: float = 0.0) -> Floats:
    """The beats of the hits that are at least so strong (0..1) in a band; in any of them for all."""
    strength = hits.bands.max(axis=1) if band == Band.ALL else hits.bands[:, BANDS.index(band)]
    least = least if band == Band.ALL else max(least, LEAST_IN_BAND)
    return hits.beats[strength >= least - 1e-9]


def hits_of(project: Project, track: Track, onsets: Mapping[str, Floats], lengths: Mapping[str, float]) -> Hits:
    """The hits of a track: where its notes begin, and its sounds have onsets; `onsets`: seconds and strength in three
    bands (n, 4) of those in each sound file, and `lengths` the seconds that it lasts, as far as they are known."""
    result = [_of_notes(track)]
    tempo = project.tempo
    for clip in track.clips:
        onset = onsets.get(clip.file)
        if onset is None or not len(onset):
            continue
        begin = float(tempo.seconds(clip.beat))
        rows = onset[onset[:, 0] >= clip.start - 1e-6] - np.array([clip.start, 0.0, 0.0, 0.0])
        length = lengths[clip.file] - clip.start if clip.file in lengths else None
        if clip.seconds is not None:
            length = clip.seconds if length is None else min(clip.seconds, length)
            rows = rows[rows[:, 0] < length]
        if clip.loop_until is not None:
            if length is None or length < SHORTEST_CLIP_S:
                continue  # where it repeats is not known yet
            end = float(tempo.seconds(clip.loop_until)) - begin
            passes = np.arange(int((end + clip.turn) // length) + 1) * length - clip.turn
            seconds = (passes[:, None] + rows[:, 0]).ravel()
            rows = np.column_stack((seconds, np.tile(rows[:, 1:], (len(passes), 1))))
            rows = rows[(seconds >= 0.0) & (seconds < end)]
        result.append(np.column_stack((tempo.beats(begin + rows[:, 0]), rows[:, 1:])))
    every = np.concatenate(result)
    every = every[np.argsort(every[:, 0], kind="stable")]
    every = every[(every[:, 0] >= 0.0) & (every[:, 0] < project.length)]
    if not len(every):
        return NONE
    first = np.flatnonzero(np.append(True, np.diff(every[:, 0]) > SAME_HIT_BEATS))
    return Hits(every[first, 0], np.maximum.reduceat(every[:, 1:], first))


def _of_notes(track: Track) -> Floats:
    """Beat and strength in three bands (n, 4) of each note."""
    is_kit = any(device.row.key == DRUMS for device in track.devices)
    rows = np.zeros((len(track.notes), 4))
    for row, item in zip(rows, track.notes, strict=True):
        row[0] = item.beat
        low = item.pitch in LOW_KEYS if is_kit else item.pitch < LOW_PITCH
        middle = item.pitch in MIDDLE_KEYS if is_kit else item.pitch < HIGH_PITCH
        row[1 if low else 2 if middle else 3] = item.strength
    return rows


def next_hit(hits: Floats, beat: float) -> float | None:
    """The first hit after a beat."""
    later = hits[hits > beat + SAME_HIT_BEATS]
    return float(later[0]) if later.size else None


def stamped_on(
    curve: Curve,
    hits: Floats,
    first: float,
    last: float,
    stamp: str,
    depth: float,
    length: float | None,
    **sliders: float,
) -> tuple[Curve, int]:
    """The curve with a stamp on every hit from beat `first` to `last`, and how many there were. A stamp goes
    `depth` (−1..1) of the way down from the level at its hit (negative: up) and lasts `length` beats, or
    until the next hit where that comes sooner, or where `length` is None. One that does not return goes to
    that level and leaves what follows as it is. Raises ZolvekError where there is no hit."""
    inside = hits[(hits >= first) & (hits < last)]
    if not inside.size:
        raise ZolvekError("The span contains no hits.", remedy="Choose another span, or another track's hits.")
    ends = np.append(inside[1:], last)
    if length is not None:
        ends = np.minimum(ends, inside + length)
    base = curve.at(inside)
    goal = base * (1.0 - depth) if depth >= 0.0 else base - depth * (1.0 - base)
    result = curve
    for hit, end, start, to in zip(inside.tolist(), ends.tolist(), base.tolist(), goal.tolist(), strict=True):
        if end - hit > SHORTEST_STAMP_BEATS:
            put = stamped(stamp, end - hit, start, float(to), **sliders)
            back = float(curve.at(end)) if put.value[-1] == start else float(put.value[-1])
            value = put.value.copy()
            value[-1] = back  # it comes back to where the curve is by then
            result = splice(result, hit, put.having(value=value), end)
    return result, len(inside)
