# SPDX-License-Identifier: GPL-3.0-or-later
"""What glibc does with memory that arrays have freed. By default every array of over 128 kB is mapped by itself, and
each of its pages is fetched by a fault, which takes as long as the work on it: edits of 100,000 points were half as
fast. Here it is kept for the next array, up to a limit."""

from __future__ import annotations

import contextlib
import ctypes

MAPPED_FROM_BYTES, KEPT_BYTES = 32 << 20, 64 << 20  # of a block that is mapped by itself; freed at the heap's end
M_TRIM_THRESHOLD, M_MMAP_THRESHOLD = -1, -3  # malloc.h
# The same for a process that is started (glibc's manual, "Memory allocation tunables").
TUNABLES = f"glibc.malloc.mmap_threshold={MAPPED_FROM_BYTES}:glibc.malloc.trim_threshold={KEPT_BYTES}"


def keep() -> None:
    """Keep freed memory in this process from now on; nothing where the C library is another one."""
    with contextlib.suppress(OSError, AttributeError):
        library = ctypes.CDLL(None)
        library.mallopt(M_MMAP_THRESHOLD, MAPPED_FROM_BYTES)
        library.mallopt(M_TRIM_THRESHOLD, KEPT_BYTES)
