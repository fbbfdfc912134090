# SPDX-License-Identifier: GPL-3.0-or-later
"""What becomes of a span of time (a layer's, a take's, a choice's) in another order of time: it goes along with the
stretches that it lies in, in as many parts as they leave of it."""

from __future__ import annotations

from typing import NamedTuple

from zolvek.core.edits.stretches import Order
from zolvek.core.limits import CLOSEST_BEATS

LEAST = 10 * CLOSEST_BEATS  # beats: less is nothing


class Part(NamedTuple):
    """New beats `first` to `last`, and the old beats `old_first` to `old_last` that they were. `filled`: empty time
    lies within, or right after, which it goes on through."""

    first: float
    last: float
    old_first: float
    old_last: float
    filled: float = 0.0


def parts_of(order: Order, first: float, last: float, through: bool = True, joined: bool = True) -> list[Part]:
    """The parts of a span, in the new order. Where new, empty time comes within, they go on `through` it; `joined`:
    parts that follow one another in old and new time are one, whatever was taken out, or put in, between."""
    parts: list[Part] = []
    for index, (item, begin) in enumerate(zip(order.stretches, order.begins, strict=True)):
        if item.empty:
            before = parts[-1] if parts else None
            goes_on = before is not None and before.last >= begin - LEAST and before.old_last < last - LEAST
            if before is not None and goes_on and through and _follows(order, index, before.old_last):
                parts[-1] = before._replace(last=begin + item.length, filled=before.filled + item.length)
            continue
        low, high = max(first, item.first), min(last, item.last)
        if high - low < LEAST:
            continue
        shift = begin - item.first
        part = Part(low + shift, high + shift, low, high)
        before = parts[-1] if parts else None
        if before is not None and abs(before.last - part.first) < LEAST and low >= before.old_last - LEAST:
            whole = abs(low - before.old_last) < LEAST and not before.filled
            if joined or whole:
                parts[-1] = Part(before.first, part.last, before.old_first, high, before.filled)
                continue
        parts.append(part)
    return parts


def _follows(order: Order, index: int, beat: float) -> bool:
    """Whether what comes after empty time is what came before it in the old time."""
    following = next((stretch for stretch in order.stretches[index + 1 :] if not stretch.empty), None)
    return following is not None and abs(following.first - beat) < LEAST
