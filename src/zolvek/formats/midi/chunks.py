# SPDX-License-Identifier: GPL-3.0-or-later
"""The bytes of a Standard MIDI File (SMF 1.0): chunks, variable-length quantities, events, meta events.

Read by one plain loop over the bytes, as a file may hold a million events.
"""

from __future__ import annotations

import struct
from operator import itemgetter
from typing import NamedTuple

from zolvek.core.errors import ZolvekError

MOST_EVENTS = 500_000  # some five seconds until they are curves
META, SYSEX, ESCAPE = 0xFF, 0xF0, 0xF7
# Meta events that are read or written, by name (SMF 1.0; 0x09 is a device's name, RP-019; 0x21 a port's
# number, in wide use).
NAME, MARKER, DEVICE, PORT, END, TEMPO, METER = 0x03, 0x06, 0x09, 0x21, 0x2F, 0x51, 0x58
# How many data bytes follow the status of a system message that has no place in a file.
SYSTEM_DATA = {0xF1: 1, 0xF2: 2, 0xF3: 1}


# Tick, track, status, two data bytes, and what a meta event holds (the first data byte is its kind then).
# A plain tuple: there may be a million of them.
Event = tuple[int, int, int, int, int, bytes]


class Midi(NamedTuple):
    """A file: its format, its division (ticks a quarter note, or frames and ticks where negative), its
    number of tracks, and all events in order of time."""

    format: int
    division: int
    tracks: int
    events: list[Event]


def read(data: bytes) -> Midi:
    """The file in the bytes; chunks of other kinds are passed over, as the standard wants it. Raises
    ZolvekError saying what is damaged."""
    start = data.find(b"MThd")
    if start < 0 or len(data) < start + 14:
        raise ZolvekError("The MIDI file is damaged: it has no header.", remedy="Export it again.")
    size, format_, _, division = struct.unpack(">IHHh", data[start + 4 : start + 14])
    if size < 6:
        raise ZolvekError("The MIDI file is damaged: its header is cut.", remedy="Export it again.")
    offset, tracks = start + 8 + size, 0
    events: list[Event] = []
    while offset + 8 <= len(data):
        kind, length = data[offset : offset + 4], int.from_bytes(data[offset + 4 : offset + 8], "big")
        offset += 8
        if kind == b"MTrk":
            body = data[offset : offset + length]
            try:
                _track(body, tracks, events)
            except IndexError:
                raise ZolvekError(
                    f"The MIDI file is damaged: track {tracks + 1} ends inside an event.",
                    remedy="Export it again, or open another copy.",
                ) from None
            tracks += 1
        elif not (kind.isascii() and kind.isalnum()):
            raise ZolvekError(
                f"The MIDI file is damaged: at byte {offset - 8:,} there should be a track.",
                remedy="Export it again, or open another copy.",
            )
        offset += length
    events.sort(key=itemgetter(0))
    return Midi(format_, division, tracks, events)


def _track(body: bytes, number: int, events: list[Event]) -> None:
    """Put a track's events behind the others. Raises IndexError where the bytes end too early.

    Long: it is gone through once for each of up to half a million messages, and every call would be
    made as often.
    """
    offset, tick, running, end = 0, 0, 0, len(body)
    put, most = events.append, MOST_EVENTS - len(events)
    while offset < end:
        byte = body[offset]
        offset += 1
        delta = byte & 127
        while byte > 127:
            byte = body[offset]
            offset += 1
            delta = delta << 7 | (byte & 127)
        tick += delta
        status = body[offset]
        if status < 0x80:
            status = running
            if not status:
                raise ZolvekError(
                    f"The MIDI file is damaged: a message of track {number + 1} has no status.",
                    remedy="Export it again, or open another copy.",
                )
        else:
            offset += 1
        if status < 0xF0:
            running = status
            first = body[offset]
            if first > 127:  # damaged, but only a little
                first = 127
            if 0xC0 <= status < 0xE0:
                offset += 1
                put((tick, number, status, first, 0, b""))
            else:
                second = body[offset + 1]
                put((tick, number, status, first, second if second < 128 else 127, b""))
                offset += 2
        elif status in (META, SYSEX, ESCAPE):
            kind = 0
            if status == META:
                kind = body[offset]
                offset += 1
            byte = body[offset]
            offset += 1
            size = byte & 127
            while byte > 127:
                byte = body[offset]
                offset += 1
                size = size << 7 | (byte & 127)
            if offset + size > end:
                raise IndexError
            held = body[offset : offset + size] if status == META else b""
            put((tick, number, status, kind, 0, held))
            offset += size
        else:
            offset += SYSTEM_DATA.get(status, 0)
            put((tick, number, status, 0, 0, b""))
        most -= 1
        if most < 0:
            raise ZolvekError(
                f"The MIDI file holds more than {MOST_EVENTS:,} events.",
                remedy="Use a shorter one.",
            )


def quantity(value: int) -> bytes:
    """A variable-length quantity: seven bits a byte, all but the last with bit 7 set."""
    out = [value & 127]
    while value := value >> 7:
        out.append(128 | (value & 127))
    return bytes(reversed(out))


def meta(kind: int, data: bytes) -> bytes:
    """A meta event without its delta time."""
    return bytes((META, kind)) + quantity(len(data)) + data


def chunk(kind: bytes, body: bytes) -> bytes:
    """The bytes of a chunk of an SMF (SMF 1.0): its kind, length and body."""
    return kind + struct.pack(">I", len(body)) + body


def header(tracks: int, division: int) -> bytes:
    """Of a file of type 1."""
    return chunk(b"MThd", struct.pack(">HHH", 1, tracks, division))
