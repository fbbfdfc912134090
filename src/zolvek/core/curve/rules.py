# SPDX-License-Identifier: GPL-3.0-or-later
"""The rules that a curve's columns keep, and what is said of the first point that breaks one."""

from __future__ import annotations

from typing import Any

import numpy as np

from zolvek.core.arrays import Bools, Floats, Ints
from zolvek.core.curve.shapes import SHAPES
from zolvek.core.limits import CLOSEST_POINTS_BEATS, MOST_BEATS
from zolvek.native import loops

COUNTING = np.array([shape.amount.kind == "count" for shape in SHAPES])
Fault = tuple[int, str, str]  # index of a point, what is wrong, the remedy


def plainly_right(beat: Floats, value: Floats, shape: Any, amount: Floats) -> bool:
    """Whether the columns of a few points keep all rules: as `first_fault` finds, but quicker than
    arrays are where there is next to nothing in them."""
    beats, values, codes = beat.tolist(), value.tolist(), shape.tolist()
    for index, (b, v, code) in enumerate(zip(beats, values, codes, strict=True)):
        if not (-MOST_BEATS <= b <= MOST_BEATS and 0.0 <= v <= 1.0 and code < len(SHAPES)):
            return False
        if index:
            step = b - beats[index - 1]
            if (step < CLOSEST_POINTS_BEATS and step != 0.0) or (index > 1 and b == beats[index - 2]):
                return False
    # An amount of 0 suits every shape but those that count something.
    return all(
        SHAPES[code].amount.allowed(a)
        for code, a in zip(codes, amount.tolist(), strict=True)
        if a != 0.0 or SHAPES[code].amount.kind == "count"
    )


def right(beat: Floats, value: Floats, shape: Any, amount: Floats) -> bool:
    """Whether the columns of many points keep all rules: as `first_fault` finds, in few passes."""
    kept = loops.in_order(beat, value, CLOSEST_POINTS_BEATS, MOST_BEATS)
    if kept is None:
        kept = _in_order(beat, value)
    return kept and shape.max() < len(SHAPES) and _amounts_suit(shape, amount)


def _in_order(beat: Floats, value: Floats) -> bool:
    steps = np.diff(beat)
    # Comparisons that a not-a-number fails.
    return bool(
        beat[0] >= -MOST_BEATS
        and beat[-1] <= MOST_BEATS
        and ((steps >= CLOSEST_POINTS_BEATS) | (steps == 0.0)).all()
        and (steps[1:] + steps[:-1]).min() > 0.0
        and value.min() >= 0.0
        and value.max() <= 1.0
    )


def _amounts_suit(shape: Any, amount: Floats) -> bool:
    codes = present(shape)
    if not amount.any():  # 0 suits every shape but those that count something
        return not COUNTING[codes].any()
    if len(codes) == 1:
        return bool(SHAPES[codes[0]].amount.allowed(amount).all())
    return all(SHAPES[code].amount.allowed(amount[shape == code]).all() for code in codes)


def together(beat: Floats) -> tuple[Floats, Ints] | None:
    """Beats of which none are closer than points may be: what is closer to the one before comes onto its beat, where
    the first and the last stay. And the indices of the points that stay. None where nothing is too close."""
    steps = np.diff(beat)
    if not ((steps > 0.0) & (steps < CLOSEST_POINTS_BEATS)).any():
        return None
    beats = beat.tolist()
    for index in range(1, len(beats)):
        if 0.0 < beats[index] - beats[index - 1] < CLOSEST_POINTS_BEATS:
            beats[index] = beats[index - 1]
    moved = np.array(beats)
    middle = np.zeros(len(moved), bool)
    middle[1:-1] = (moved[1:-1] == moved[:-2]) & (moved[1:-1] == moved[2:])
    # Three that shared a beat before are a fault, not too close.
    middle[1:-1] &= beat[2:] > beat[:-2]
    return moved[~middle], np.flatnonzero(~middle)


def first_fault(beat: Floats, value: Floats, shape: Any, amount: Floats, part: Floats | None = None) -> Fault | None:
    """The first point that breaks a curve's rules."""
    tests: list[tuple[Bools, str, str]] = [
        (~np.isfinite(beat), "The beat is not a number.", "Use a number of quarter notes."),
        (
            np.abs(beat) > MOST_BEATS,
            "The beat is out of range.",
            f"Beats go up to {MOST_BEATS:,.0f}.",
        ),
        (
            np.concatenate(([False], beat[1:] < beat[:-1])),
            "The beat is earlier than the one before.",
            "Put the points in order of time.",
        ),
        (
            np.concatenate(([False, False], beat[2:] == beat[:-2]))[: len(beat)],
            "Three points are on the same beat.",
            "A jump has two points. Remove one.",
        ),
        (
            ~((value >= 0.0) & (value <= 1.0)),
            "The value is not between 0 and 1.",
            "Values are positions from 0 to 1.",
        ),
        (shape >= len(SHAPES), "There is no such shape.", shape_help()),
    ]
    for code, row in enumerate(SHAPES):
        mine = shape == code
        if mine.any():
            tests.append(
                (
                    mine & ~row.amount.allowed(amount),
                    f"The amount is wrong for the shape {row.key}.",
                    f"It uses {row.amount.words}.",
                )
            )
    if part is not None and len(part):
        begin, end, swing = part.T
        inside = (begin >= 0.0) & (begin <= 1.0) & (end >= 0.0) & (end <= 1.0)
        tests.append(
            (
                ~(inside & (begin != end) & (np.abs(swing) <= 1.0 + 1e-9)),
                "The part of the shape can't be used.",
                "Its ends are two different positions from 0 to 1, its swing −1 to 1.",
            )
        )
    faults = [(int(np.argmax(bad)), what, remedy) for bad, what, remedy in tests if bad.any()]
    return min(faults, key=lambda fault: fault[0]) if faults else None


def fitting_swing(value: Floats, shape: Any, amount: Floats, part: Floats) -> Floats:
    """The parts, with swings made as small as keeps every value between 0 and 1: the point at either
    end of a cut segment may have been moved since."""
    wild = np.flatnonzero(swings(shape, part))
    wild = wild[wild < len(value) - 1]
    if not wild.size:
        return part
    begin, end, swing = part[wild].T
    least, most = np.full(len(wild), -np.inf), np.full(len(wild), np.inf)
    for v, u in ((value[wild], begin), (value[wild + 1], end)):
        y = risen(shape[wild], u, amount[wild])
        with np.errstate(divide="ignore", invalid="ignore"):
            for share, floor, ceiling in ((y, v - 1.0, v), (1.0 - y, -v, 1.0 - v)):
                some = share > 0.0
                least = np.where(some, np.maximum(least, floor / share), least)
                most = np.where(some, np.minimum(most, ceiling / share), most)
    fitted = part.copy()
    fitted[wild, 2] = np.clip(swing, np.minimum(least, 0.0), np.maximum(most, 0.0))
    return fitted


def swings(shape: Any, part: Floats) -> Bools:
    """Which segments run through a part of a shape whose height their ends don't say: it turns back
    or jumps on its way."""
    steady = np.array([row.steady for row in SHAPES])
    return ~steady[shape] & ((part[:, 0] != 0.0) | (part[:, 1] != 1.0))


def risen(codes: Any, u: Floats, amount: Floats, before: bool = False) -> Floats:
    """How far segments of several shapes have risen at `u`; with `before`, the limit from the left."""
    y = np.empty_like(u)
    for code in present(codes):
        mine = codes == code
        rise = SHAPES[code].rise_before if before else SHAPES[code].rise
        y[mine] = rise(u[mine], amount[mine])
    return y


def present(codes: Any) -> Ints:
    """Which shape codes occur, uint8; a good deal faster than counting, sorting or hashing them."""
    kept = codes.tobytes()
    return np.array([code for code in range(len(SHAPES)) if code in kept], np.intp)


def shape_help() -> str:
    """The names of all shapes, for a message."""
    return "Shapes are " + ", ".join(shape.key for shape in SHAPES) + "."
