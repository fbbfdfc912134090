# SPDX-License-Identifier: GPL-3.0-or-later
"""LFOs, and the cycles that they go through.

The number of cycles gone by at each beat is a function that can be turned round, so the place of every
point of a wave is exact.
"""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.pattern import Pattern
from zolvek.core.errors import ZolvekError
from zolvek.core.movement.generators.waves import WAVES
from zolvek.core.records import Record
from zolvek.core.time.rates import Rate
from zolvek.core.time.tempo import TempoMap

QUARTER = Rate(1.0)
TABLE = 65_536  # places at which a rate that changes by a curve is added up


class Lfo(Record, frozen=True):
    """A movement that repeats.

    `phase` in cycles; `amount` and `centre` in 0..1 of the height (amount 1 is from lowest to
    highest); `width` 0..1 of a pulse; `skew` −1..1, how far the middle of the cycle is late;
    `smooth` 0..1, of half a cycle over which a running mean is taken; `soften` seconds that a jump takes;
    `seed` of the random waves, and which of its `stream`s they draw from: 0 as long ago, when they drew
    the numbers of random steps.

    With `rate_end` the rate goes there over the span: evenly in octaves, or with `by_equal_steps`
    in Hz, or by the curve `rate_way` (beats 0..1 of the span; value 0 is the rate, 1 its end).
    `amount_way` is a curve of the same kind that the amount is multiplied by; with `both_ways` its 0..1
    stands for −100 to 100 %.
    """

    wave: str = "sine"
    rate: Rate = QUARTER
    phase: float = 0.0
    amount: float = 1.0
    centre: float = 0.5
    invert: bool = False
    width: float = 0.5
    skew: float = 0.0
    smooth: float = 0.0
    soften: float = 0.0
    seed: int = 1
    stream: int = 0
    rate_end: Rate | None = None
    by_equal_steps: bool = False
    rate_way: Curve | None = None
    amount_way: Curve | None = None
    both_ways: bool = False
    pattern: Pattern | None = None

    def __post_init__(self) -> None:
        faults = (
            (self.wave not in WAVES, f"There is no wave “{self.wave}”."),
            (self.wave == "pattern" and self.pattern is None, "A pattern wave needs a pattern."),
            (not 0.001 <= self.width <= 0.999, "Use a width of 0.1 to 99.9 %."),
            (not -0.99 <= self.skew <= 0.99, "Use a skew of −99 to 99 %."),
            (not 0.0 <= self.smooth <= 1.0, "Use a smoothing of 0 to 100 %."),
            (not 0.0 <= self.soften <= 10.0, "Use an edge smoothing of 0 to 10 s."),
            (not -1.0 <= self.amount <= 1.0, "Use a depth of −100 to 100 %."),
            (not 0.0 <= self.centre <= 1.0, "Use a centre of 0 to 100 %."),
            (not abs(self.phase) <= 1e6, "The phase is out of range."),
            (
                self.rate_end is not None and self.rate_end.timed != self.rate.timed,
                "A rate can't change between note values and seconds.",
            ),
        )
        for wrong, what in faults:
            if wrong:
                raise ZolvekError(what, "LFO", "Change it there.")

    @property
    def steady(self) -> bool:
        """Whether rate and amount stand still."""
        return self.rate_end is None and self.amount_way is None


class Cycles(Record, frozen=True):
    """How many cycles have gone by at each beat of a span, and back: exact inverses."""

    lfo: Lfo
    first: float
    last: float
    tempo: TempoMap

    def __post_init__(self) -> None:
        if not self.last > self.first:
            raise ZolvekError("The span is empty.", remedy="Select a span that ends after it begins.")

    def elapsed(self, beats: Floats) -> Floats:
        """What rates are counted in, beats or seconds, from the start of the span."""
        if not self.lfo.rate.timed:
            return beats - self.first
        return self.tempo.seconds(beats) - self.tempo.seconds(self.first)

    def beats(self, elapsed: Floats) -> Floats:
        """The beats at which so many cycles have gone by."""
        if not self.lfo.rate.timed:
            return elapsed + self.first
        return self.tempo.beats(elapsed + self.tempo.seconds(self.first))

    @property
    def whole(self) -> float:
        """Cycles in the whole span."""
        return float(self.elapsed(np.array(self.last)))

    def gone(self, beats: Floats) -> Floats:
        """Cycles at each of `beats`, the phase counted in."""
        return self.lfo.phase + self._added(self.elapsed(beats))

    def at(self, cycles: Floats) -> Floats:
        """The beat at which so many cycles have gone by; the inverse of `gone`."""
        return self.beats(self._back(cycles - self.lfo.phase))

    def _added(self, elapsed: Floats) -> Floats:
        lfo = self.lfo
        if lfo.rate_end is None:
            return elapsed / lfo.rate.period
        low, ratio = 1.0 / lfo.rate.period, lfo.rate.period / lfo.rate_end.period
        u = elapsed / self.whole
        if lfo.rate_way is not None:
            table = self._table()
            return np.interp(u, table[0], table[1])
        if lfo.by_equal_steps:
            return low * self.whole * (u + 0.5 * (ratio - 1.0) * u * u)
        if abs(ratio - 1.0) < 1e-9:
            return low * elapsed
        return low * self.whole * np.expm1(np.log(ratio) * u) / np.log(ratio)

    def _back(self, cycles: Floats) -> Floats:
        lfo = self.lfo
        if lfo.rate_end is None:
            return cycles * lfo.rate.period
        low, ratio = 1.0 / lfo.rate.period, lfo.rate.period / lfo.rate_end.period
        part = cycles / (low * self.whole)
        if lfo.rate_way is not None:
            table = self._table()
            u = np.interp(cycles, table[1], table[0])
        elif lfo.by_equal_steps and abs(ratio - 1.0) >= 1e-9:
            inside = np.maximum(1.0 + 2.0 * (ratio - 1.0) * part, 0.0)
            u = (np.sqrt(inside) - 1.0) / (ratio - 1.0)
        elif abs(ratio - 1.0) < 1e-9:
            u = part
        else:
            u = np.log1p(np.maximum(part * np.log(ratio), -1.0 + 1e-15)) / np.log(ratio)
        return u * self.whole

    def _table(self) -> tuple[Floats, Floats]:
        """A rate that changes by a curve, added up finely (Simpson's rule): u, and cycles."""
        kept = self.__dict__.get("_kept")
        if kept is None:
            lfo = self.lfo
            assert lfo.rate_end is not None and lfo.rate_way is not None
            u = np.linspace(0.0, 1.0, TABLE + 1)
            share = lfo.rate_way.at(0.5 * (u[1:] + u[:-1])), lfo.rate_way.at(u)
            low, high = 1.0 / lfo.rate.period, 1.0 / lfo.rate_end.period
            middle, ends = (low + (high - low) * s if lfo.by_equal_steps else low * (high / low) ** s for s in share)
            parts = (ends[:-1] + 4.0 * middle + ends[1:]) / 6.0 * np.diff(u) * self.whole
            kept = (u, np.concatenate(([0.0], np.cumsum(parts))))
            self.__dict__["_kept"] = kept
        return kept
