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
# glibc keeps some small blocks ready for each thread (tcache: 7 of each size), and gives those as they are: all of
# them are taken first.
SMALL, READY = range(24, 1_040, 16), 7


@lru_cache(maxsize=1)
def _library() -> Any:
    library = ctypes.CDLL(None)
    library.malloc.restype, library.malloc.argtypes = ctypes.c_void_p, [ctypes.c_size_t]
    return library


@contextmanager
def settled(seed: str) -> Iterator[None]:
    """While a plugin is made: what it allocates is zero-filled."""
    library = _library()
    number = crc32(seed.encode())
    for begin in (library.srand, library.srandom):
        begin(ctypes.c_uint(number))
    library.srand48(ctypes.c_long(number))
    if not hasattr(library, "mallopt"):
        yield
        return
    library.mallopt(FILLED, ZEROS)
    held = [library.malloc(size) for size in SMALL for _ in range(READY)]
    try:
        yield
    finally:
        for place in held:
            library.free(ctypes.c_void_p(place))
        library.mallopt(FILLED, AS_IT_COMES)
