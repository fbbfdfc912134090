# SPDX-License-Identifier: GPL-3.0-or-later
"""A take: one recorded pass next to a lane, and what has been chosen of takes."""

from __future__ import annotations

from zolvek.core.curve.curve import Curve
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import Beat, Colour
from zolvek.core.records import Record

BEST = 5  # highest rating


class Take(Record, frozen=True):
    """One recorded pass, raw: `curve` over the project's beats, from `first` to `last`."""

    id: str
    name: str
    curve: Curve
    first: Beat
    last: Beat
    muted: bool = False
    rating: int = 0
    colour: Colour = 0

    def __post_init__(self) -> None:
        if not (self.last > self.first and 0 <= self.rating <= BEST):
            raise ZolvekError("The take's span or rating is out of range.", f"take {self.id}")


class Choice(Record, frozen=True):
    """From beat `first` to `last` the lane's curve is a take's."""

    first: Beat
    last: Beat
    take: str


class Comp(Record, frozen=True):
    """What has been chosen, and the curve `under` it, which comes back where a choice is released.
    Joins glide over `glide` beats inside the chosen span, or cut at 0."""

    under: Curve
    choices: tuple[Choice, ...] = ()
    glide: Beat = 0.0
