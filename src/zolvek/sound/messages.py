"""What is sent to another process: values without what they have worked out for themselves.

Projects keep results with their parts (a lane its played curve, a layer its own). Those may come
to be while the project is being sent by another thread, and would make messages large.
"""

from __future__ import annotations

import copyreg
import pickle
from dataclasses import fields, is_dataclass
from functools import lru_cache
from typing import IO, Any


@lru_cache
def _names(kind: type) -> tuple[str, ...]:
    return tuple(field.name for field in fields(kind))


class _Pickler(pickle.Pickler):
    def reducer_override(self, value: Any) -> Any:
        if isinstance(value, type) or not is_dataclass(value):
            return NotImplemented
        state = {name: getattr(value, name) for name in _names(type(value))}  # type: ignore[arg-type]
        return copyreg.__newobj__, (type(value),), state  # type: ignore[attr-defined]


def send(message: object, stream: IO[bytes]) -> None:
    """Write a message, which pickle.load reads on the other side. Raises OSError or ValueError
    when nobody reads any more."""
    _Pickler(stream, protocol=pickle.HIGHEST_PROTOCOL).dump(message)
    stream.flush()
