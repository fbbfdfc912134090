# SPDX-License-Identifier: GPL-3.0-or-later
"""Bars inserted and removed: everything after them moves, in every lane, block, note, take, morph and
pad."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from zolvek.core.edits.edit_scope import counted
from zolvek.core.edits.rearrangement import Lengths, contents, rearranged
from zolvek.core.edits.stretches import END, Stretch
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import LAST_BAR
from zolvek.core.model.project import Project

NO_LENGTHS: Lengths = {}


class Done(NamedTuple):
    """What became of the project, and in words what was moved or taken out."""

    project: Project
    words: str


def insert_bars(project: Project, bar: int, count: int, lengths: Lengths = NO_LENGTHS) -> Done:
    """`count` empty bars before `bar`, of the meter of the bar before them. Curves hold their level through
    them. Raises ZolvekError where there is no such bar."""
    _need_count(count)
    meter = project.meter
    at = _beat_of(project, bar, last=True)
    before = meter.meter_at(meter.bar_beat(max(bar - 1, 1)))
    length = count * before.count * 4.0 / before.unit
    parts = (Stretch(0.0, at), Stretch(0.0, length, empty=True), Stretch(at, END))
    return Done(rearranged(project, parts, lengths), _moved(project, at))


def remove_bars(project: Project, bar: int, count: int, lengths: Lengths = NO_LENGTHS) -> Done:
    """The project without `count` bars from `bar` on. Raises ZolvekError where they are not all there."""
    _need_count(count)
    first = _beat_of(project, bar)
    last = _beat_of(project, bar + count, last=True)
    result = rearranged(project, (Stretch(0.0, first), Stretch(last, END)), lengths)
    before, after = contents(project), contents(result)
    gone = {noun: before[noun] - after[noun] for noun in before if after[noun] < before[noun]}
    words = _words(gone)
    return Done(result, f"Removed: {words}" if words else "Their contents were empty")


def _need_count(count: int) -> None:
    if not 1 <= count <= LAST_BAR:
        raise ZolvekError(f"{count} bars?", remedy=f"Use 1 to {LAST_BAR:,}.")


def _beat_of(project: Project, bar: int, last: bool = False) -> float:
    """The beat of a bar line of the project; `last`: its end is one of them."""
    beat = project.meter.bar_beat(bar) if 1 <= bar <= LAST_BAR else -1.0
    end = project.length
    within = 0.0 <= beat <= end + 1e-9 if last else 0.0 <= beat < end - 1e-9
    # The last bar may be a part of one.
    if last and not within and 1 < bar <= LAST_BAR:
        within = project.meter.bar_beat(bar - 1) < end
        beat = min(beat, end)
    if not within:
        bars = project.meter.bar_at(max(end - 1e-9, 0.0))
        raise ZolvekError(f"There is no bar {bar}.", remedy=f"The project has bars 1 to {bars}.")
    return beat


def _moved(project: Project, at: float) -> str:
    """What lies from a beat on, in words."""
    lanes = list(project.lanes())
    points = sum(len(own.curve) - int(np.searchsorted(own.curve.beat, at)) for own in lanes)
    result = {
        "point": points,
        "note": sum(note.beat >= at for track in project.tracks for note in track.notes),
        "clip": sum(c.beat >= at for track in project.tracks for c in track.clips),
        "layer": sum(layer.first >= at for lane in lanes for layer in lane.layers),
        "take": sum(take.first >= at for lane in lanes for take in lane.takes),
        "morph": sum(morph.beats[0] >= at for morph in project.morphs),
        "section": sum(section.beat >= at for section in project.sections),
    }
    words = _words(result)
    return f"Moved: {words}" if words else "Nothing moved"


def _words(found: dict[str, int]) -> str:
    plural = {"switch": "switches", "clip": "clips"}
    return ", ".join(
        f"{count:,} {plural[noun]}" if count != 1 and noun in plural else counted(count, noun)
        for noun, count in found.items()
        if count
    )
