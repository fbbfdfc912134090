# SPDX-License-Identifier: GPL-3.0-or-later
"""The grid fitted to a recording: a tempo from places in it that are bar lines."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from typing import NamedTuple

from zolvek.core.edits.clips import shifted_sound
from zolvek.core.edits.time_maps import with_tempo
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import LIMITS
from zolvek.core.model.project import Project
from zolvek.core.time.tempo import TempoMap, TempoPoint


class Mark(NamedTuple):
    """A place in the project's sound, in seconds from the start as it plays now, and the bar that begins
    there."""

    seconds: float
    bar: int


def fitted(project: Project, marks: Sequence[Mark]) -> Project:
    """The project with a tempo at which each mark's bar begins at its place, exactly: held from mark to
    mark, before the first one and after the last as next to them. Sound stays as it is; it moves, all of
    it, so that the first mark is where its bar begins. Raises ZolvekError where marks contradict each
    other or make a tempo that is none."""
    rows = sorted(marks)
    if len(rows) < 2:
        raise ZolvekError("At least two marks are needed.", remedy="Mark another bar line.")
    if any(b.seconds <= a.seconds or b.bar <= a.bar for a, b in itertools.pairwise(rows)):
        raise ZolvekError("Two marks are at the same position or bar.", remedy="Give each mark a later bar.")
    beats = [project.meter.bar_beat(mark.bar) for mark in rows]
    bpm = []
    for index in range(len(rows) - 1):
        seconds = rows[index + 1].seconds - rows[index].seconds
        needed_bpm = 60.0 * (beats[index + 1] - beats[index]) / seconds
        if not LIMITS["bpm"].holds(needed_bpm):
            a, b = rows[index].bar, rows[index + 1].bar
            raise ZolvekError(
                f"Bars {a} to {b} would have {needed_bpm:.4g} BPM.",
                remedy="Set how many bars are between the marks.",
            )
        bpm.append(needed_bpm)
    points = [TempoPoint(0.0, bpm[0])]
    points += [TempoPoint(beat, tempo) for beat, tempo in zip(beats[:-1], bpm, strict=True) if beat > 0.0]
    tempo = TempoMap(tuple(p for i, p in enumerate(points) if not i or p.bpm != points[i - 1].bpm))
    late = rows[0].seconds - float(tempo.seconds(beats[0]))
    return shifted_sound(with_tempo(project, tempo, keep_sound=True), late)


def at_tempo(project: Project, bpm: float, first: float) -> Project:
    """The project at one tempo, with its sound's beat at `first` seconds moved to the start."""
    LIMITS["bpm"].need(bpm, "tempo")
    tempo = TempoMap((TempoPoint(0.0, bpm),))
    return shifted_sound(with_tempo(project, tempo, keep_sound=True), first)
