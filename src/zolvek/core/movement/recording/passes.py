# SPDX-License-Identifier: GPL-3.0-or-later
"""Recording: the moves of controls during a pass, and the curves that they write.

A pass gathers moves with the beats they were made at. Writing it is a plain function: from the
lane's curve and the moves to the new curve and the raw take.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.curve.construction import joined
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.shapes import HOLD, LINE
from zolvek.core.curve.spans import splice
from zolvek.core.curve.thinning import thinned

if TYPE_CHECKING:
    from array import array


class PassMode(StrEnum):
    """What a pass records; its values are those of the settings."""

    READ = "read"
    TOUCH = "touch"
    LATCH = "latch"
    WRITE = "write"


# Mode -> what it is called and what it does, as the trade has them.
MODES: dict[str, tuple[str, str]] = {
    PassMode.READ: ("Read", "Plays the lane and records nothing"),
    PassMode.TOUCH: ("Touch", "Records while a control is held, then returns to the curve"),
    PassMode.LATCH: ("Latch", "Records from the first touch until stop"),
    PassMode.WRITE: ("Write", "Records from start to stop"),
}
REST_SECONDS = 0.06  # a control not moved for longer has stood still until its next move
BEFORE_MOVE_S = 0.004  # seconds before the move that ends a rest
TAKE_TOLERANCE = 0.004  # of the height, within which a pass is thinned as it goes
LEAST_SPAN_BEATS = 1e-3  # beats
LOOP_BACK_BEATS = 0.25  # beats
SAME_TIME_BEATS = 1e-6  # beats between moves that are given of one time


class Move(NamedTuple):
    """A control stood at `position` (0..1 of the lane's height) at `beat`; `held` says whether a
    hand was on it from then on."""

    beat: float
    position: float
    held: bool


def _numbers() -> tuple[array[float], array[float]]:
    from array import array  # loaded with the first pass

    return array("d"), array("d")


@dataclass
class Pass:
    """What one lane is given during a pass, as it comes; nothing of it is lost. A move at the time
    of the one before, or earlier, came late and follows that at once; where the pass `loops` and
    it goes back a good deal, it begins another round."""

    lane: str
    loops: bool = False
    rounds: list[list[Move]] = field(default_factory=lambda: [[]])
    # Beats and positions of the last round, as numbers alone, to be drawn many times a second.
    trace: tuple[array[float], array[float]] = field(default_factory=_numbers)

    def add(self, beat: float, position: float, held: bool = True) -> None:
        """Add a move of the control: a position 0..1 at a beat, and whether the control is held."""
        moves = self.rounds[-1]
        if moves and self.loops and moves[-1].beat - beat > LOOP_BACK_BEATS:
            self.new_round()
            moves = self.rounds[-1]
        elif moves:
            beat = max(beat, moves[-1].beat + SAME_TIME_BEATS)
        position = min(max(position, 0.0), 1.0)
        moves.append(Move(beat, position, held))
        self.trace[0].append(beat)
        self.trace[1].append(position)

    def new_round(self) -> None:
        """The loop begins again: what is held goes on in the next take."""
        if self.rounds[-1]:
            self.rounds.append([])
            self.trace = _numbers()

    def drawn(self) -> tuple[Floats, Floats]:
        """Beats and positions of the last round."""
        return np.array(self.trace[0]), np.array(self.trace[1])

    @property
    def count(self) -> int:
        """How many moves there are."""
        return sum(len(moves) for moves in self.rounds)


class PassResult(NamedTuple):
    """`curve`: the lane's, changed from `first` to `last` only; `raw`: the pass as it was, from
    `first` to where the user released."""

    curve: Curve
    raw: Curve
    first: float
    last: float


def raw_curve(moves: list[Move], beats_a_second: float, stepped: bool) -> Curve:
    """The moves as points: lines between those that follow closely; where the control rested it
    held still until just before its next move. Stepped ones hold."""
    beat = np.array([move.beat for move in moves])
    value = np.array([move.position for move in moves])
    code = HOLD if stepped else LINE
    if not stepped and len(beat) > 1:
        rest = np.diff(beat) > REST_SECONDS * beats_a_second
        at = np.flatnonzero(rest)
        before = beat[at + 1] - BEFORE_MOVE_S * beats_a_second
        beat, value = np.insert(beat, at + 1, before), np.insert(value, at + 1, value[at])
    shape = np.full(len(beat), code, np.uint8)
    shape[-1] = LINE
    return joined(np.maximum.accumulate(beat), value, shape, np.zeros(len(beat)))


def spans_held(moves: list[Move], mode: str, start: float, stop: float) -> list[tuple[float, float]]:
    """The stretches that a mode writes, from the moves between `start` and `stop`."""
    if not moves or mode == PassMode.READ:
        return []
    if mode == PassMode.WRITE:
        return [(start, stop)]
    if mode == PassMode.LATCH:
        return [(max(moves[0].beat, start), stop)]
    spans, begun = [], None
    for move in moves:
        if move.held and begun is None:
            begun = move.beat
        elif not move.held and begun is not None:
            spans.append((begun, move.beat))
            begun = None
    if begun is not None:
        spans.append((begun, stop))
    return [(a, min(b, stop)) for a, b in spans if a < stop]


def written(
    curve: Curve,
    moves: list[Move],
    mode: str,
    start: float,
    stop: float,
    glide: float,
    beats_a_second: float,
    stepped: bool = False,
    tolerance: float = TAKE_TOLERANCE,
) -> PassResult | None:
    """What a round of a pass from beat `start` to `stop` makes of a lane's curve; None when it
    writes nothing. `glide` is how many beats the way back to the curve takes, so that no join
    jumps by accident; stepped controls go back at once.
    """
    moves = [move for move in moves if start - 1e-9 <= move.beat <= stop + 1e-9]
    spans = spans_held(moves, mode, start, stop)
    spans = [(a, max(b, a + LEAST_SPAN_BEATS)) for a, b in spans]
    if not spans:
        return None
    raw = raw_curve(moves, beats_a_second, stepped)
    result = curve
    first, last = spans[0][0], spans[-1][1]
    for index, (begin, end) in enumerate(spans):
        following = spans[index + 1][0] if index + 1 < len(spans) else np.inf
        back = 0.0 if stepped else min(glide, following - end)
        piece = _piece(raw, begin, end, stepped, tolerance)
        if back > LEAST_SPAN_BEATS:
            goal = float(curve.at(end + back))
            piece = joined(
                np.append(piece.beat, end - begin + back),
                np.append(piece.value, goal),
                np.append(piece.shape, LINE).astype(np.uint8),
                np.append(piece.amount, 0.0),
            )
            last = max(last, end + back) if index == len(spans) - 1 else last
        result = splice(result, begin, piece)
    return PassResult(result, raw, first, last)


def _piece(raw: Curve, first: float, last: float, stepped: bool, tolerance: float) -> Curve:
    """The raw pass over a stretch, from beat 0, thinned."""
    inside = (raw.beat > first) & (raw.beat < last)
    beat = np.concatenate(([first], raw.beat[inside], [last])) - first
    value = np.concatenate((raw.at([first]), raw.value[inside], raw.at([last])))
    shape = np.concatenate(([HOLD if stepped else LINE], raw.shape[inside], [LINE])).astype(np.uint8)
    new_curve = joined(beat, value, shape, np.zeros(len(beat)))
    return new_curve if stepped else thinned(new_curve, tolerance, shapes=True).curve


def count_in_times(beats: int, bpm: float, unit: int) -> Floats:
    """Seconds at which a count-in of so many of the meter's beats clicks, and its end last.

    A count-in of one bar is four clicks in 4/4 (common practice, no source).
    """
    return np.arange(beats + 1, dtype=float) * (240.0 / (bpm * unit))
