# SPDX-License-Identifier: GPL-3.0-or-later
"""OSC packets as another program makes them, by python-osc; and what our own arrays say, a row for each value."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, NamedTuple

from pythonosc.osc_bundle_builder import OscBundleBuilder
from pythonosc.osc_message_builder import OscMessageBuilder

from zolvek.sync.timeline.osc_lanes import OscLanes, Values


class Row(NamedTuple):
    """A lane's control: its position 0..1 and its real value."""

    seconds: float
    address: str
    position: float
    value: float


def rows_of(lanes: OscLanes, values: Values) -> list[Row]:
    """Values, a row each."""
    named = [lanes.addresses[number] for number in values.lane]
    columns = values.seconds.tolist(), named, values.position.tolist(), values.value.tolist()
    return [Row(*row) for row in zip(*columns, strict=True)]


def message(address: str, *numbers: float) -> Any:
    """A message of 32-bit floats."""
    builder = OscMessageBuilder(address)
    for number in numbers:
        builder.add_arg(number, "f")
    return builder.build()


def packet(messages: Iterable[tuple[str, float]], moment: float) -> bytes:
    """A bundle that is meant at a moment, in seconds since the epoch."""
    builder = OscBundleBuilder(moment)  # type: ignore[arg-type]  # a float is meant
    for address, number in messages:
        builder.add_content(message(address, number))
    made: bytes = builder.build().dgram
    return made
