# SPDX-License-Identifier: GPL-3.0-or-later
"""Event buffers of LV2: an atom sequence (lv2/atom/atom.h) as words of eight bytes."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import numpy as np

from zolvek.sound.hosting.lv2.lilv import urids
from zolvek.sound.hosting.lv2.lv2_world import ATOM, MIDI_EVENT

EVENTS_BYTES = 8_192  # bytes of an event buffer


@lru_cache(maxsize=1)
def event_kinds() -> tuple[int, int, int]:
    """The numbers of a sequence, a MIDI event and a chunk."""
    numbers = urids()
    return numbers.of(f"{ATOM}Sequence"), numbers.of(MIDI_EVENT), numbers.of(f"{ATOM}Chunk")


def empty(buffer: np.ndarray) -> None:
    """No events in it."""
    buffer[0] = 8 | event_kinds()[0] << 32  # size of the body, and its kind
    buffer[1] = 0


def room(buffer: np.ndarray) -> None:
    """An output's: how much may be written there."""
    buffer[0] = (EVENTS_BYTES - 8) | event_kinds()[2] << 32


def write(buffer: np.ndarray, messages: list[tuple[int, bytes]], events: Sequence[list[int]]) -> None:
    """Replace what is in it by MIDI `messages` at frames, increasing, and by events as words, in order of time."""
    sequence, midi, _ = event_kinds()
    rows = list(events)
    for frame, data in messages:
        rows.append([frame, len(data) | midi << 32, int.from_bytes(data.ljust(8, b"\0"), "little", signed=True)])
    offset = 2
    for row in sorted(rows, key=lambda words: words[0]) if events else rows:
        if 8 * (offset + len(row)) > EVENTS_BYTES:
            break
        buffer[offset : offset + len(row)] = row
        offset += len(row)
    buffer[0] = 8 * (offset - 1) | sequence << 32
    buffer[1] = 0
