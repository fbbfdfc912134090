# SPDX-License-Identifier: GPL-3.0-or-later
"""What a JACK server calls, in C (zolvek/native/audio_server.c): built once, loaded after the server's library."""

from __future__ import annotations

import ctypes
from functools import lru_cache
from types import ModuleType

from zolvek.core.errors import ZolvekError
from zolvek.native import building
from zolvek.sync.emission import layout
from zolvek.sync.jack import library, shared_layout
from zolvek.sync.timeline.clock_messages import LAST_POSITION

CALLBACKS = (
    "process",
    "sync",
    "timebase",
    "freewheel",
    "buffer_size",
    "sample_rate",
    "xrun",
    "shutdown",
    "connected",
    "registered",
)


def header() -> str:
    """Every whole number of the memory's layout by its name, for the sources to include."""
    numbers = {**_numbers(layout), **_numbers(shared_layout), "LAST_POSITION": LAST_POSITION}
    rows = "".join(f"#define {name} ((int64_t){value})\n" for name, value in sorted(numbers.items()))
    return f"#include <stdint.h>\n{rows}"


def _numbers(module: ModuleType) -> dict[str, int]:
    return {name: value for name, value in vars(module).items() if name.isupper() and type(value) is int}


@lru_cache(maxsize=1)
def addresses() -> dict[str, int]:
    """Where each callback is. Raises ZolvekError where they can't be built."""
    library.library()  # whose functions they call
    try:
        loaded = building.library("audio-server", ("audio_server.c",), header())
    except building.NotBuilt as error:
        raise ZolvekError("JACK's callbacks can't be built.", "JACK", str(error)) from error
    return {name: ctypes.cast(loaded[f"zolvek_{name}"], ctypes.c_void_p).value or 0 for name in CALLBACKS}
