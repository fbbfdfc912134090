# SPDX-License-Identifier: GPL-3.0-or-later
"""Files given to a plugin: messages of LV2's patch extension (1.8), which set a property to a path."""

from __future__ import annotations

import os
import struct

from zolvek.sound.hosting.lv2.lilv import urids
from zolvek.sound.hosting.lv2.lv2_world import ATOM, LV2, World

PATCH = f"{LV2}ext/patch#"


def file_events(files: dict[str, str]) -> list[list[int]]:
    """For each property (by URI) and path an event as words of eight bytes: when, size and type, and the object."""
    return [_set_event(key, path) for key, path in files.items()]


def _set_event(key: str, path: str) -> list[int]:
    numbers = urids()
    text = os.fsencode(path) + b"\0"
    body = struct.pack("<II", 0, numbers.of(f"{PATCH}Set"))
    body += struct.pack("<IIII", numbers.of(f"{PATCH}property"), 0, 4, numbers.of(f"{ATOM}URID"))
    body += struct.pack("<II", numbers.of(key), 0)
    body += struct.pack("<IIII", numbers.of(f"{PATCH}value"), 0, len(text), numbers.of(f"{ATOM}Path"))
    size = len(body) + len(text)
    body += text.ljust((len(text) + 7) // 8 * 8, b"\0")
    words = struct.unpack(f"<{len(body) // 8}q", body)
    return [0, size | numbers.of(f"{ATOM}Object") << 32, *words]


def patch_port(world: World, plugin: object, count: int) -> int:
    """The port that takes what is asked of a plugin; -1 for none."""
    core = f"{LV2}lv2core#"
    for index in range(count):
        port = world.port(plugin, index)
        is_input = world.is_a(plugin, index, f"{ATOM}AtomPort") and world.is_a(plugin, index, f"{core}InputPort")
        if is_input and world.lib.lilv_port_supports_event(plugin, port, world.uri(f"{PATCH}Message")):
            return index
    return -1
