# SPDX-License-Identifier: GPL-3.0-or-later
"""Identifies a process: a number alone is used again after a restart, or in another container."""

from __future__ import annotations

import os
from pathlib import Path


def _first_line(path: str) -> str:
    try:
        return Path(path).read_text().strip()
    except (OSError, UnicodeDecodeError):
        return ""


def boot() -> str:
    """The machine's present start (Linux's random boot id); "" where it is not given."""
    return _first_line("/proc/sys/kernel/random/boot_id")


def began(process: int) -> str:
    """When a process began, in the kernel's ticks since the start; "" for one there is none of.
    (proc(5): the 22nd field of its stat, counted after the name, which may hold anything.)"""
    fields = _first_line(f"/proc/{process}/stat").rpartition(")")[2].split()
    return fields[19] if len(fields) > 19 else ""


def own() -> str:
    """This process's identity: its number, when it began, the machine's start."""
    return identity_of(os.getpid())


def identity_of(process: int) -> str:
    """An identity that no later process has: number, start time and boot."""
    return f"{process}-{began(process)}-{boot()}"


def alive(identity: str) -> bool:
    """Whether the very process runs, as far as can be seen from here."""
    number = identity.partition("-")[0]
    if not (number.isascii() and number.isdigit()) or len(number) > 10:
        return False
    return bool(began(int(number))) and identity == identity_of(int(number))
