# SPDX-License-Identifier: GPL-3.0-or-later
"""A morph: how a device's parameters go from state to state."""

from __future__ import annotations

from zolvek.core.curve.shapes import CODES
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import Beat
from zolvek.core.model.state import Values
from zolvek.core.records import Record

MOMENTS = {
    "start": "At the start",
    "middle": "In the middle",
    "end": "At the end",
    "beat": "At the beat nearest the middle",
}
STAGGERS = {"none": "All together", "starts": "Groups start one after another",
            "ends": "Groups arrive one after another"}  # fmt: skip


class Course(Record, frozen=True):
    """How parameters go: the shape and amount of their segment, when choices jump, how groups
    follow one another, and whether the new values stay after the span or the old curve comes back.
    `apart` gives single parameters a shape and amount of their own; `left_out` ones do not move."""

    shape: str = "line"
    amount: float = 0.0
    moment: str = "middle"
    stagger: str = "none"
    stays: bool = True
    apart: dict[str, tuple[str, float]] | None = None
    left_out: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        known = (
            (self.shape in CODES, f"There is no shape “{self.shape}”."),
            (self.moment in MOMENTS, f"There is no moment “{self.moment}”."),
            (self.stagger in STAGGERS, f"There is no stagger “{self.stagger}”."),
        )
        for fine, what in known:
            if not fine:
                raise ZolvekError(what, "morph", "Choose an existing one.")


class Morph(Record, frozen=True):
    """A morph that is linked to its states: `states` are their ids in order ("" for what was there
    before, kept in `start`), at `beats`."""

    id: str
    device: str
    states: tuple[str, ...]
    beats: tuple[Beat, ...]
    way: Course
    start: Values
    moved: tuple[str, ...] = ()  # the parameters that it has written
