# SPDX-License-Identifier: GPL-3.0-or-later
"""Exact means of a curve over spans of time, by the integrals of its shapes."""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Floats, Numbers, floats
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.rules import present
from zolvek.core.curve.shapes import SHAPES


def mean(curve: Curve, first: float, last: float) -> float:
    """The mean over time from `first` to `last`."""
    return float(means(curve, floats([first, last]))[0])


def means(curve: Curve, edges: Floats) -> Floats:
    """The mean in each span between two neighbouring `edges`, which increase."""
    total = Sums(curve)
    return np.diff(total.at(edges)) / np.diff(edges)


class Sums:
    """The integral of a curve from its first point on, at any beat; before that point it is negative."""

    def __init__(self, curve: Curve) -> None:
        self.curve = curve
        index = np.arange(len(curve) - 1)
        whole = self._part(index, np.ones(len(index)))
        self.upto = np.concatenate(([0.0], np.cumsum(whole)))

    def at(self, beats: Numbers) -> Floats:
        """The integral of the curve from its first point to each beat."""
        curve, at = self.curve, floats(beats)
        flat = np.ravel(at)
        index = np.searchsorted(curve.beat, flat, side="right") - 1
        out = np.empty_like(flat)
        early, late = index < 0, index >= len(curve) - 1
        out[early] = (flat[early] - curve.beat[0]) * curve.value[0]
        out[late] = self.upto[-1] + (flat[late] - curve.beat[-1]) * curve.value[-1]
        inner = ~(early | late)
        i = index[inner]
        out[inner] = self.upto[i] + self._part(i, curve.progress(i, flat[inner]))
        return out.reshape(at.shape)

    def _part(self, index: np.ndarray, u: Floats) -> Floats:
        """The integral of segments from their start to `u` of their way."""
        curve = self.curve
        length = curve.beat[index + 1] - curve.beat[index]
        codes, amount = curve.shape[index], curve.amount[index]
        low, swing = curve.value[index], curve.value[index + 1] - curve.value[index]
        begin, until, base, tilt = np.zeros_like(u), u, np.zeros_like(u), np.zeros_like(u)
        if len(curve.part):
            start, end, _ = curve.part[index].T
            base, swing, tilt = curve.swing(index)
            begin, until = start, start + u * (end - start)
        y = np.empty_like(u)
        for code in present(codes):
            mine = codes == code
            ends = np.minimum(begin[mine], until[mine]), np.maximum(begin[mine], until[mine])
            y[mine] = SHAPES[code].mean(*ends, amount[mine])
        return length * u * (low + swing * (y - base) + 0.5 * tilt * u)
