# SPDX-License-Identifier: GPL-3.0-or-later
"""How far values may go: the one table, for the records, the file, its schema, the window's fields
and the tests.

A record's field of one of these types is checked wherever the record is made; the project file is
checked by the same rows (msgspec reads them), and so says its schema.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from typing import Annotated, Any, NamedTuple, get_args

from msgspec import Meta

from zolvek.core.errors import ZolvekError

MOST_BEATS = 1_000_000.0  # two months at 12 BPM, six days at 120
CLOSEST_BEATS = 1e-6  # that tempo points lie apart; a file's finest tick is 1/32,767 of a beat
CLOSEST_POINTS_BEATS = 1e-9  # beats, half a nanosecond at 120 BPM: points that are closer lie on one beat
LAST_BAR = 100_000


class Limit(NamedTuple):
    """From `low` to `high`, both included, in `unit`; `what` it is called."""

    what: str
    low: float
    high: float
    unit: str = ""

    @property
    def words(self) -> str:
        """The limits as text: "20 to 20,000 Hz"."""
        ends = " to ".join(f"{end:,.10g}" for end in (self.low, self.high))
        return f"{ends} {self.unit}".strip()

    def holds(self, value: float) -> bool:
        """Whether a value is finite and within the limits."""
        return bool(self.low <= value <= self.high)  # not for NaN

    def kept(self, value: float) -> float:
        """The value, or the end that it lies beyond."""
        return min(max(value, self.low), self.high)

    def need(self, value: float, where: str = "") -> None:
        """Raises ZolvekError when the value lies beyond."""
        if not self.holds(value):
            shown = f"{value:,.10g} {self.unit}".strip()
            raise ZolvekError(f"{self.what} of {shown} can't be used.", where, f"Use {self.words}.")


LIMITS: dict[str, Limit] = {
    "beat": Limit("A position", 0.0, MOST_BEATS, "beats"),
    "length": Limit("A length", CLOSEST_BEATS, MOST_BEATS, "beats"),
    "bpm": Limit("A tempo", 4.0, 999.0, "BPM"),
    "bar": Limit("A bar", 1, LAST_BAR),
    "gain": Limit("A gain", -144.0, 24.0, "dB"),
    "pitch": Limit("A pitch", 0, 127),
    "share": Limit("A value", 0.0, 1.0),
    "amount": Limit("An amount", -2.0, 2.0),
    "factor": Limit("A factor", -1_000.0, 1_000.0),
    "value": Limit("A parameter's value", -1e12, 1e12),
    "colour": Limit("A colour's number", 0, 255),
    "wait": Limit("A length", 0.0, 256.0, "beats"),
    "seconds": Limit("A time", 0.0, 1_000_000.0, "s"),
    "clock_step": Limit("A step", 0.0001, 1_000.0),
    "clicks": Limit("A count", 0, 32, "clicks"),
    "milliseconds": Limit("A time", 0.0, 1_000.0, "ms"),
    "ticks": Limit("A distance", 1, 3_840, "ticks"),
    "rate": Limit("A sample rate", 1_000, 768_000, "Hz"),
    "frames": Limit("A buffer", 256, 16_384, "frames"),
    "pixels": Limit("A size", 0, 10_000, "pixels"),
    "text": Limit("The size of text", 0, 120, "%"),
    "megabytes": Limit("An amount of memory", 16, 65_536, "MB"),
    "division": Limit("A note value's part", 1, 128),
}


def _meta(key: str) -> Meta:
    low, high = LIMITS[key].low, LIMITS[key].high
    return Meta(ge=low, le=high, extra={"limit": key})


Beat = Annotated[float, _meta("beat")]
Length = Annotated[float, _meta("length")]
Bpm = Annotated[float, _meta("bpm")]
Bar = Annotated[int, _meta("bar")]
Gain = Annotated[float, _meta("gain")]
Pitch = Annotated[int, _meta("pitch")]
Share = Annotated[float, _meta("share")]
Amount = Annotated[float, _meta("amount")]
Factor = Annotated[float, _meta("factor")]
Real = Annotated[float, _meta("value")]
Colour = Annotated[int, _meta("colour")]
Wait = Annotated[float, _meta("wait")]
Seconds = Annotated[float, _meta("seconds")]
ClockStep = Annotated[float, _meta("clock_step")]
Clicks = Annotated[int, _meta("clicks")]
Milliseconds = Annotated[float, _meta("milliseconds")]
Ticks = Annotated[int, _meta("ticks")]
SampleRate = Annotated[int, _meta("rate")]
Frames = Annotated[int, _meta("frames")]
Pixels = Annotated[int, _meta("pixels")]
TextPercent = Annotated[int, _meta("text")]
Megabytes = Annotated[int, _meta("megabytes")]
Division = Annotated[int, _meta("division")]

BY_NAME: dict[str, Limit] = {
    name: LIMITS[part.extra["limit"]]
    for name, kind in list(globals().items())
    for part in get_args(kind)[1:]
    if isinstance(part, Meta) and part.extra
}


def limited(cls: type) -> list[tuple[str, Limit, bool]]:
    """The fields of a record or dataclass whose type is one of these, or a tuple of one: name, limit,
    and whether None is allowed too."""
    result = []
    for name, kind in _annotations(cls).items():
        words = set(re.findall(r"\w+", kind))
        if words & BY_NAME.keys() and words <= BY_NAME.keys() | {"tuple", "None"}:
            result.append((name, BY_NAME[(words & BY_NAME.keys()).pop()], "None" in words))
    return result


def _annotations(cls: type) -> dict[str, str]:
    return {name: str(kind) for name, kind in vars(cls).get("__annotations__", {}).items()}


def checker(cls: type) -> Callable[[Any], None] | None:
    """What checks a record's limited fields; None where it has none."""
    rows = limited(cls)
    if not rows:
        return None
    kind = re.sub(r"(?<!^)([A-Z])", r" \1", cls.__name__).lower()

    plain = [(name, limit.low, limit.high, limit, optional) for name, limit, optional in rows]

    def check(record: Any) -> None:
        for name, low, high, limit, optional in plain:
            value = getattr(record, name)
            if value.__class__ is float and low <= value <= high:
                continue
            if value is None and optional:
                continue
            for item in _flat(value) if isinstance(value, tuple) else (value,):
                try:
                    fits = limit.low <= item <= limit.high
                except TypeError:
                    fits = False
                if not fits:
                    _refuse(limit, item, f"{kind}, {name}")

    return check


def _flat(values: tuple[Any, ...]) -> Iterator[Any]:
    for value in values:
        yield from _flat(value) if isinstance(value, tuple) else (value,)


def _refuse(limit: Limit, value: Any, where: str) -> None:
    if isinstance(value, (int, float)):
        limit.need(value, where)
    raise ZolvekError(f"{limit.what} can't be {value!r}.", where, f"Use {limit.words}.")
