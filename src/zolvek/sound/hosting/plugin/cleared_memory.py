# SPDX-License-Identifier: GPL-3.0-or-later
"""A plugin begins the same every time, where it leaves things to chance by oversight: memory that it never
set is zero, and the C library's random numbers begin with its device's own seed."""

from __future__ import annotations

import ctypes
from collections.abc import Iterator
from contextlib import contextmanager
from functools import lru_cache
from typing import Any
from zlib import crc32

FILLED = -6  # M_PERTURB of mallopt(3): new memory is filled with the complement of a byte
ZEROS, AS_IT_COMES = 0xFF, 0


@lru_cache(maxsize=1)
def _library() -> Any:
    return ctypes.CDLL(None)


@contextmanager
def settled(seed: str) -> Iterator[None]:
    """While a plugin is made: what it allocates is zero-filled (in processes of process.environment)."""
    library = _library()
    number = crc32(seed.encode())
    for begin in (library.srand, library.srandom):
        begin(ctypes.c_uint(number))
    library.srand48(ctypes.c_long(number))
    if not hasattr(library, "mallopt"):
        yield
        return
    library.mallopt(FILLED, ZEROS)
    try:
        yield
    finally:
        library.mallopt(FILLED, AS_IT_COMES)
