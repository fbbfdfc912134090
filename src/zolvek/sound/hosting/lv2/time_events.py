# SPDX-License-Identifier: GPL-3.0-or-later
"""The song's position as an event of LV2 (time extension 1.6, atom extension 1.18): an object that a plugin reads
tempo, bar and beat from."""

from __future__ import annotations

import struct

from zolvek.sound.hosting.lv2.lilv import urids
from zolvek.sound.hosting.lv2.lv2_world import ATOM, LV2, World
from zolvek.sound.signal.song_position import SongPosition

TIME = f"{LV2}ext/time#"
POSITION = f"{TIME}Position"
FREE_WHEELING = f"{LV2}lv2core#freeWheeling"
# Property -> its type, how its bytes are packed, and which field of a position it is.
PROPERTIES = (
    ("frame", "Long", "<q", "frame"),
    ("speed", "Float", "<f", "speed"),
    ("bar", "Long", "<q", "bar"),
    ("barBeat", "Float", "<f", "bar_beat"),
    ("beat", "Double", "<d", "beat"),
    ("beatUnit", "Int", "<i", "unit"),
    ("beatsPerBar", "Float", "<f", "beats_a_bar"),
    ("beatsPerMinute", "Float", "<f", "bpm"),
)
DESIGNATED = {f"{TIME}{name}": field for name, _, _, field in PROPERTIES}


def position_event(position: SongPosition, at: int) -> list[int]:
    """The event as words of eight bytes: when, size and type, and the object."""
    numbers = urids()
    words = [numbers.of(POSITION) << 32]  # the object has no id of its own
    for name, kind, packing, field in PROPERTIES:
        data = struct.pack(packing, getattr(position, field))
        words += [numbers.of(f"{TIME}{name}"), len(data) | numbers.of(f"{ATOM}{kind}") << 32]
        words.append(int.from_bytes(data.ljust(8, b"\0"), "little", signed=True))
    return [at, 8 * len(words) | numbers.of(f"{ATOM}Object") << 32, *words]


def designated(world: World, plugin: object, count: int) -> dict[int, str]:
    """Control inputs that a host sets to where the song is: port -> field of a position, "" for one that says whether
    sound is made faster than real time."""
    result: dict[int, str] = {}
    core = f"{LV2}lv2core#"
    for index in range(count):
        if world.is_a(plugin, index, f"{core}ControlPort") and world.is_a(plugin, index, f"{core}InputPort"):
            designation = world.text_of(plugin, index, f"{core}designation")
            if designation in DESIGNATED:
                result[index] = DESIGNATED[designation]
            elif designation == FREE_WHEELING:
                result[index] = ""
    return result


def time_port(world: World, plugin: object, count: int) -> int:
    """The port at which a plugin takes positions; -1 for none."""
    core = f"{LV2}lv2core#"
    for index in range(count):
        port = world.port(plugin, index)
        is_input = world.is_a(plugin, index, f"{ATOM}AtomPort") and world.is_a(plugin, index, f"{core}InputPort")
        if is_input and world.lib.lilv_port_supports_event(plugin, port, world.uri(POSITION)):
            return index
    return -1
