# SPDX-License-Identifier: GPL-3.0-or-later
"""Hits: the beats at which something sounds, as places to snap to, to end at, and to stamp on."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.spans import splice
from zolvek.core.curve.stamps import stamped
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project, Track
from zolvek.core.model.source import SHORTEST_CLIP_S

SAME_HIT_BEATS = 1e-4  # beats within which two hits are one
SHORTEST_STAMP_BEATS = 1e-4  # beats that a stamp lasts


def hits_of(project: Project, track: Track, onsets: Mapping[str, Floats], lengths: Mapping[str, float]) -> Floats:
    """The beats at which a track's notes begin, and its sounds have onsets; `onsets`: the seconds of those
    in each sound file, and `lengths` the seconds that it lasts, as far as they are known."""
    result = [np.array([note.beat for note in track.notes], float)]
    tempo = project.tempo
    for clip in track.clips:
        onset = onsets.get(clip.file)
        if onset is None or not len(onset):
            continue
        begin = float(tempo.seconds(clip.beat))
        inside = onset[onset >= clip.start - 1e-6] - clip.start
        length = lengths[clip.file] - clip.start if clip.file in lengths else None
        if clip.seconds is not None:
            length = clip.seconds if length is None else min(clip.seconds, length)
            inside = inside[inside < length]
        if clip.loop_until is not None:
            if length is None or length < SHORTEST_CLIP_S:
                continue  # where it repeats is not known yet
            end = float(tempo.seconds(clip.loop_until)) - begin
            passes = np.arange(int((end + clip.turn) // length) + 1) * length - clip.turn
            inside = (passes[:, None] + inside).ravel()
            inside = inside[(inside >= 0.0) & (inside < end)]
        result.append(tempo.beats(begin + inside))
    beats = np.sort(np.concatenate(result))
    beats = beats[(beats >= 0.0) & (beats < project.length)]
    return beats[np.append(True, np.diff(beats) > SAME_HIT_BEATS)] if beats.size else beats


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
