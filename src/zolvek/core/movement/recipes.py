# SPDX-License-Identifier: GPL-3.0-or-later
"""Recipes: movements said by their roles and by what is heard, not by controls, so that they suit any track.

A part of a recipe says which quality of the sound moves (its role), by how much at most, in the unit in which that is
heard, in which form, and where in the span. Which control does it, and how far it has to go, is found by measuring.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.errors import ZolvekError
from zolvek.core.records import Record

# Role -> the measure that says it, its unit, and the most that is asked for.
ROLES: dict[str, tuple[str, str, float]] = {
    "brightness": ("brightness", "oct", 6.0),
    "level": ("loudness", "LU", 40.0),
    "width": ("width", "dB", 60.0),
    "space": ("space", "dB", 60.0),
    "pitch": ("pitch", "st", 48.0),
    "rate": ("rate", "Hz", 14.0),
}
MOST_PARTS, LONGEST_TEXT = 12, 200


def _pumped(beat: Floats) -> Floats:
    """Down on each beat, back over three quarters of it."""
    return 1.0 - np.minimum((beat % 1.0) / 0.75, 1.0)


def _gated(beat: Floats) -> Floats:
    """Away in every second eighth."""
    return ((beat * 2.0) % 2.0 >= 1.0).astype(float)


def _stuttered(x: Floats) -> Floats:
    """Away for the second half of ever shorter steps: eighths, then sixteenths, then thirty-seconds."""
    steps = np.where(x < 0.5, 4.0, np.where(x < 0.75, 8.0, 16.0))
    return ((x * steps * 2.0) % 2.0 >= 1.0).astype(float)


# Form -> how much of its amount a part has, 0..1: by the share of its span, and by the beat in it; whether it steps.
Form = tuple[Callable[[Floats, Floats], Floats], bool]
FORMS: dict[str, Form] = {
    "rise": (lambda x, _: x, False),
    "late rise": (lambda x, _: x**3, False),
    "fall": (lambda x, _: 1.0 - x, False),
    "arch": (lambda x, _: np.sin(np.pi * x), False),
    "hold": (lambda x, _: np.ones_like(x), True),
    "pump": (lambda _, beat: _pumped(beat), False),
    "gate": (lambda _, beat: _gated(beat), True),
    "stutter": (lambda x, _: _stuttered(x), True),
}


class RecipePart(Record, frozen=True):
    """One role's movement: `amount` in the role's unit, down if negative, between two shares of the span, 0 at its
    beginning and 1 at its end; `before`: beats before the span's end at which it ends already."""

    role: str
    form: str
    amount: float
    first: float = 0.0
    last: float = 1.0
    before: float = 0.0

    def __post_init__(self) -> None:
        if self.role not in ROLES:
            raise ZolvekError(f"There is no role “{self.role}”.", "a recipe", f"Use {', '.join(ROLES)}.")
        if self.form not in FORMS:
            raise ZolvekError(f"There is no form “{self.form}”.", "a recipe", f"Use {', '.join(FORMS)}.")
        most = ROLES[self.role][2]
        if not (np.isfinite(self.amount) and 0.0 < abs(self.amount) <= most):
            raise ZolvekError(f"An amount of {self.amount:g} can't be used.", self.role, f"Use up to ±{most:g}.")
        if not (0.0 <= self.first < self.last <= 1.0 and 0.0 <= self.before <= 16.0):
            raise ZolvekError("A part ends before it begins.", self.role, "Shares go from 0 to 1.")

    def span(self, start: float, end: float) -> tuple[float, float]:
        """Where it moves, in beats, in a span of beats."""
        first, last = (start + share * (end - start) for share in (self.first, self.last))
        return first, max(min(last, end - self.before), first + 1e-3)

    def target(self, beats: Floats, start: float, end: float) -> Floats:
        """How much of its quality is added at each of `beats`, in its unit, within a span."""
        first, last = self.span(start, end)
        share = np.clip((beats - first) / (last - first), 0.0, 1.0)
        inside = (beats >= first - 1e-9) & (beats <= last + 1e-9)
        return np.where(inside, self.amount * FORMS[self.form][0](share, beats - first), 0.0)


class Recipe(Record, frozen=True):
    """Its name, a line on what it does, for how many bars it is meant, and its parts."""

    name: str
    about: str
    bars: int
    parts: tuple[RecipePart, ...]

    def __post_init__(self) -> None:
        if not self.name.strip() or len(self.name) > LONGEST_TEXT or len(self.about) > LONGEST_TEXT:
            raise ZolvekError("A recipe needs a name of up to 200 characters.", "a recipe", "Write one.")
        if not 1 <= self.bars <= 64:
            raise ZolvekError("A recipe is 1 to 64 bars long.", self.name)
        if not 1 <= len(self.parts) <= MOST_PARTS:
            raise ZolvekError(f"A recipe has 1 to {MOST_PARTS} parts.", self.name)


def _part(role: str, form: str, amount: float, first: float = 0.0, before: float = 0.0) -> RecipePart:
    return RecipePart(role, form, amount, first=first, before=before)


# Amounts by common practice, no source.
SHIPPED: tuple[Recipe, ...] = (
    Recipe("Build", "Brighter and louder, evenly, up to the border", 8,
           (_part("brightness", "rise", 1.5), _part("level", "rise", 4.0))),
    Recipe("Late build", "Hardly anything at first, then ever faster", 8,
           (_part("brightness", "late rise", 2.0), _part("level", "late rise", 4.0))),
    Recipe("Drop", "Away for the last bar before the border", 4,
           (_part("level", "hold", -24.0, first=0.75),)),
    Recipe("Breakdown", "Darker and softer, evenly", 8,
           (_part("brightness", "rise", -1.5), _part("level", "rise", -6.0))),
    Recipe("Pump", "Down on every beat and back, as by a kick", 4, (_part("level", "pump", -9.0),)),
    Recipe("Gate", "Every second eighth away", 2, (_part("level", "gate", -30.0),)),
    Recipe("Stutter", "Steps that get shorter towards the border", 1, (_part("level", "stutter", -30.0),)),
    Recipe("Throw", "A tail after the last beat", 2, (_part("space", "hold", 18.0, first=0.875),)),
    Recipe("Rise to the hit", "Higher and brighter, ending a 64th before the border", 4,
           (_part("pitch", "rise", 12.0, before=1 / 16), _part("brightness", "rise", 1.0, before=1 / 16))),
    Recipe("Swell", "Up and down again", 4, (_part("brightness", "arch", 1.0), _part("level", "arch", 3.0))),
)  # fmt: skip
