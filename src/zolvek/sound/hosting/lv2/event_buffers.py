# SPDX-License-Identifier: GPL-3.0-or-later
"""Event buffers of LV2: an atom sequence (lv2/atom/atom.h) as words of eight bytes."""

from __future__ import annotations

import struct
from collections.abc import Iterator, Sequence
from functools import lru_cache

import numpy as np

from zolvek.sound.hosting.lv2.lilv import urids
from zolvek.sound.hosting.lv2.lv2_world import ATOM, LV2, MIDI_EVENT, World

EVENTS_BYTES, MOST_BYTES = 8_192, 1 << 22  # bytes of an event buffer
LONGEST_MIDI = 4_096  # bytes of a message that a plugin gives
CHANNEL_BYTES = {0x80: 3, 0x90: 3, 0xA0: 3, 0xB0: 3, 0xC0: 2, 0xD0: 2, 0xE0: 3}  # of a channel's messages (MIDI 1.0)
SYSTEM = 0xF0
MINIMUM_SIZE = f"{LV2}ext/resize-port#minimumSize"


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
    buffer[0] = (buffer.nbytes - 8) | event_kinds()[2] << 32


def write(buffer: np.ndarray, messages: list[tuple[int, bytes]], events: Sequence[list[int]]) -> None:
    """Replace what is in it by MIDI `messages` at frames, increasing, and by events as words, in order of time."""
    sequence, midi, _ = event_kinds()
    rows = list(events)
    for frame, data in messages:
        rows.append([frame, len(data) | midi << 32, *_words(data)])
    offset = 2
    for row in sorted(rows, key=lambda words: words[0]) if events else rows:
        if offset + len(row) > len(buffer):
            break
        buffer[offset : offset + len(row)] = row
        offset += len(row)
    buffer[0] = 8 * (offset - 1) | sequence << 32
    buffer[1] = 0


def _words(data: bytes) -> tuple[int, ...]:
    """Bytes as words of eight, the last one filled up."""
    padded = data.ljust((len(data) + 7) // 8 * 8, b"\0")
    return struct.unpack(f"<{len(padded) // 8}q", padded)


def _events(buffer: np.ndarray) -> Iterator[tuple[int, int, bytes]]:
    """When, what type and what body, of the events that a plugin has written; what does not fit is left out."""
    sequence, _, _ = event_kinds()
    size, kind = struct.unpack_from("<II", buffer[:1].tobytes())
    if kind != sequence:
        return
    end, offset = min(8 + size, buffer.nbytes), 16
    data = buffer.view(np.uint8)[:end].tobytes()
    while offset + 16 <= end:
        frame, length, event = struct.unpack_from("<qII", data, offset)
        if length > end - offset - 16:
            return
        yield frame, event, data[offset + 16 : offset + 16 + length]
        offset += 16 + (length + 7) // 8 * 8


def midi(buffer: np.ndarray, frames: int) -> list[tuple[int, bytes]]:
    """The MIDI messages that a plugin has written, each at a frame; what is none is left out."""
    kind = event_kinds()[1]
    return [
        (min(max(frame, 0), frames - 1), body)
        for frame, event, body in _events(buffer)
        if event == kind and 0 < len(body) <= LONGEST_MIDI and _is_message(body)
    ]


def _is_message(data: bytes) -> bool:
    """Whether bytes are one whole message: a plugin may write anything."""
    if data[0] >= SYSTEM:
        return True
    return len(data) == CHANNEL_BYTES.get(data[0] & 0xF0) and max(data[1:]) < 0x80


def atoms(buffer: np.ndarray) -> list[bytes]:
    """All that a plugin has written, each with its head of size and type."""
    return [struct.pack("<II", len(body), event) + body for _, event, body in _events(buffer)]


def event_of(atom: bytes) -> list[int]:
    """An atom as an event at frame 0, as words of eight bytes."""
    return [0, *_words(atom)]


def words_of(world: World, plugin: object, port: int) -> int:
    """Words of the buffer of an atom port: as many as it asks for (LV2 resize-port extension), within limits."""
    text = world.text_of(plugin, port, MINIMUM_SIZE)
    wanted = int(text) if text.isdecimal() and len(text) < 10 else 0
    return min(max(wanted, EVENTS_BYTES), MOST_BYTES) // 8
