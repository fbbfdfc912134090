# SPDX-License-Identifier: GPL-3.0-or-later
"""What is sent to another process: values without what they have worked out for themselves, and
what was sent before by its number alone.

Projects keep results with their parts (a lane its played curve, a layer its own). Those may come
to be while the project is being sent by another thread, and would make messages large. Of a
project in which one point has moved, one lane is new: the rest is on the other side already, with
what has been worked out from it there.

The stream is pickled frames: `("part", number, value)`, then named in other frames by its number;
`("forget",)`, after which numbers begin again; `("message", value)`.
"""

from __future__ import annotations

import copyreg
import pickle
from dataclasses import fields, is_dataclass
from functools import lru_cache
from io import BytesIO
from typing import IO, Any

from zolvek.core.curve.curve import Curve
from zolvek.core.model.layer import Layer
from zolvek.core.model.project import Device, Lane
from zolvek.core.time.meter import MeterMap
from zolvek.core.time.tempo import TempoMap

PARTS = frozenset((TempoMap, MeterMap, Device, Lane, Curve, Layer))
LONG = 8  # a tuple of more than this (notes, values) is a part too
MOST_BYTES = 16_000_000  # of parts that both sides hold; then they forget them, and begin again


class Sender:
    """Writes messages to a stream, which a `Receiver` reads on the other side. Another sender may
    take its place: it names nothing that it has not sent itself."""

    def __init__(self, stream: IO[bytes]) -> None:
        self.stream = stream
        # By identity; each is held, so that no other object comes to have its identity.
        self.known: dict[int, tuple[int, object]] = {}
        self.held = 0  # bytes

    def send(self, message: object) -> None:
        """Raises OSError or ValueError when nobody reads any more."""
        if self.held > MOST_BYTES:
            self.known.clear()
            self.held = 0
            self._write(("forget",), None)
        self._write(("message", message), None)
        self.stream.flush()

    def number(self, part: object) -> int:
        """The number of a part; one that is new is sent ahead of what it is in."""
        result = self.known.get(id(part))
        if result is None:
            number = len(self.known)
            self.known[id(part)] = result = number, part
            self.held += self._write(("part", number, part), part)
        return result[0]

    def _write(self, frame: object, own: object) -> int:
        """Write a frame after the parts in it, but for its `own`; returns its bytes."""
        out = BytesIO()
        _Pickler(out, self, own).dump(frame)
        return self.stream.write(out.getbuffer())


class Receiver:
    """Reads what a `Sender` has written."""

    def __init__(self, stream: IO[bytes]) -> None:
        self.stream = stream
        self.parts: dict[int, object] = {}

    def receive(self) -> Any:
        """The next message. Raises EOFError, OSError or pickle.UnpicklingError at its end."""
        while True:
            frame = _Unpickler(self.stream, self.parts).load()
            if frame[0] == "message":
                return frame[1]
            if frame[0] == "part":
                self.parts[frame[1]] = frame[2]
            else:
                self.parts.clear()


class _Pickler(pickle.Pickler):
    def __init__(self, out: IO[bytes], sender: Sender, own: object) -> None:
        super().__init__(out, protocol=pickle.HIGHEST_PROTOCOL)
        self.sender, self.own = sender, own

    def persistent_id(self, value: Any) -> int | None:
        kind = type(value)
        if (kind in PARTS or (kind is tuple and len(value) > LONG)) and value is not self.own:
            return self.sender.number(value)
        return None

    def reducer_override(self, value: Any) -> Any:
        if isinstance(value, type) or not is_dataclass(value):
            return NotImplemented
        state = {name: getattr(value, name) for name in _names(type(value))}  # type: ignore[arg-type]  # kind is a dataclass here
        return copyreg.__newobj__, (type(value),), state  # type: ignore[attr-defined]  # copyreg's stub lacks it


class _Unpickler(pickle.Unpickler):
    def __init__(self, stream: IO[bytes], parts: dict[int, object]) -> None:
        super().__init__(stream)
        self.parts = parts

    def persistent_load(self, number: int) -> object:
        return self.parts[number]


@lru_cache
def _names(kind: type) -> tuple[str, ...]:
    return tuple(field.name for field in fields(kind))
