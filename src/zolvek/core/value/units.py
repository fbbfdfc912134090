# SPDX-License-Identifier: GPL-3.0-or-later
"""Units: how a real value is written as text, and parsed.

Each unit has scales, smallest first: a suffix, what one of it is worth in the unit a
parameter counts in, and from which size on it is used in writing.
"""

from __future__ import annotations

import math
import re
from typing import NamedTuple

MINUS = "−"
NUMBER = re.compile(r"([+-]?)(\d+(?:[.]\d*)?|[.]\d+)\s*([^\d\s].*)?")


class Scale(NamedTuple):
    suffix: str
    worth: float
    from_size: float


class Unit(NamedTuple):
    """`places` decimals, or as many as three significant figures need when None;
    `signed` writes a plus before what is above zero."""

    key: str
    scales: tuple[Scale, ...]
    places: int | None = None
    signed: bool = False
    also: tuple[tuple[str, float], ...] = ()  # further suffixes that are read
    singular: str = ""  # of one


UNITS: dict[str, Unit] = {
    unit.key: unit
    for unit in (
        Unit("", (Scale("", 1.0, 0.0),)),
        Unit("Hz", (Scale("Hz", 1.0, 0.0), Scale("kHz", 1e3, 999.5)), also=(("k", 1e3),)),
        Unit("s", (Scale("ms", 1e-3, 0.0), Scale("s", 1.0, 0.9995))),
        Unit("dB", (Scale("dB", 1.0, 0.0),), places=1, signed=True),
        Unit("st", (Scale("st", 1.0, 0.0),), places=2, signed=True),
        Unit("%", (Scale("%", 1.0, 0.0),), places=1),
        Unit("±%", (Scale("%", 1.0, 0.0),), places=1, signed=True),
        Unit("°", (Scale("°", 1.0, 0.0),)),
        Unit("BPM", (Scale("BPM", 1.0, 0.0),), places=2),
        Unit("m", (Scale("cm", 1e-2, 0.0), Scale("m", 1.0, 0.9995))),
        Unit("samples", (Scale("samples", 1.0, 0.0),), also=(("sample", 1.0),), singular="sample"),
        Unit("note", (Scale("note", 1.0, 0.0),), places=2),
        Unit("ratio", (Scale(": 1", 1.0, 0.0),), also=((":1", 1.0),)),
        Unit("beats", (Scale("beats", 1.0, 0.0),), also=(("beat", 1.0),), singular="beat"),
        Unit("bars", (Scale("bars", 1.0, 0.0),), also=(("bar", 1.0),), singular="bar"),
        Unit("°C", (Scale("°C", 1.0, 0.0),)),
    )
}


def write(value: float, key: str) -> str:
    """`value`, counted in the unit's own measure, as a person would write it."""
    if math.isinf(value):
        return f"{MINUS if value < 0 else ''}∞ {UNITS[key].scales[0].suffix}".strip()
    unit = UNITS[key]
    scale = [s for s in unit.scales if abs(value) >= s.from_size][-1]
    size = abs(value) / scale.worth
    places = unit.places if unit.places is not None else _places(size)
    digits = f"{size:.{places}f}"
    if "." in digits and key != "dB":
        digits = digits.rstrip("0").rstrip(".")
    sign = ""
    if float(digits) != 0.0:
        sign = MINUS if value < 0 else "+" if unit.signed else ""
    suffix = unit.singular if unit.singular and digits == "1" else scale.suffix
    return f"{sign}{digits} {suffix}".strip()


def _places(size: float) -> int:
    if size == 0.0:
        return 0
    return int(min(max(2 - math.floor(math.log10(size)), 0), 6))


def read(text: str, key: str) -> float | None:
    """The value that `text` gives in the unit's own measure, or None when it can't be read.

    A bare number counts in the unit itself ("1200" is 1200 Hz, "0.25" is 0.25 s).
    """
    clean = text.strip().replace(MINUS, "-").replace("–", "-").replace(",", ".")
    unit = UNITS[key]
    names = {scale.suffix.lower(): scale.worth for scale in unit.scales} | dict(unit.also)
    body = re.sub(r"\s*[a-z%]+$", "", clean.lower()).strip()
    if (body in ("-inf", "-∞", "-") and key == "dB") or clean.lower() in ("-inf", "-infinity"):
        return -math.inf
    match = NUMBER.fullmatch(clean)
    if not match:
        return None
    suffix = (match[3] or "").strip().lower()
    if suffix and suffix not in names:
        return None
    number = float(match[2]) * names.get(suffix, 1.0)
    return -number if match[1] == "-" else number
