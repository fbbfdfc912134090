# SPDX-License-Identifier: GPL-3.0-or-later
"""Lanes as OSC (Open Sound Control 1.0, opensoundcontrol.stanford.edu): their addresses, and what they send while
they play."""

from __future__ import annotations

import re
import time

import numpy as np

from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project

ROOT = "/zolvek"
RATES = (10.0, 30.0, 60.0, 120.0, 250.0)  # times a second that a lane which moves is sent
NEVER = re.compile(r"[^\x21-\x7e]|[#*,/?\[\]{}]")  # what an address may not have (OSC 1.0, Address Spaces)
BUNDLE, DEEPEST = b"#bundle\0", 8  # how a bundle begins, and bundles in bundles at most
NTP_EPOCH_S = 2_208_988_800  # seconds from 1900, from which time tags count, to 1970
MOST_APART_S = 10.0  # seconds that a time tag may be off: another clock than ours is meant by one that is further
MOST_BYTES = 1_400  # of a bundle: it goes in one piece through any network


def addresses(project: Project) -> dict[str, tuple[str, str]]:
    """Address -> device and parameter, of every parameter there is; those of lanes among them."""
    result: dict[str, tuple[str, str]] = {}
    tracks: dict[str, str] = {}
    for track in project.tracks:
        address = _free(tracks, f"{ROOT}/{_word(track.name)}", track.id)
        devices: dict[str, str] = {}
        for device in track.devices:
            base = _free(devices, f"{address}/{_word(device.name)}", device.id)
            parameters: dict[str, str] = {}
            for parameter in device.parameters:
                whole = _free(parameters, f"{base}/{_word(parameter.name)}", parameter.id)
                result[whole] = device.id, parameter.id
    return result


def read_timed(packet: bytes, came: float) -> list[tuple[str, float, float]]:
    """As `read`, each with the time at which it is meant, of time.perf_counter: that of its bundle's time tag (OSC 1.0,
    Temporal Semantics), where it is within MOST_APART_S of when it came."""
    moment = _moment(packet)
    if moment is None:
        return [(address, number, came) for address, number in read(packet)]
    meant = moment - time.time() + time.perf_counter()
    at = meant if abs(meant - came) < MOST_APART_S else came
    return [(address, number, at) for address, number in read(packet)]


def _moment(packet: bytes) -> float | None:
    """The time tag of a bundle in seconds since the epoch; None for a message, and where it means at once."""
    if not packet.startswith(BUNDLE) or len(packet) < len(BUNDLE) + 8:
        return None
    tag = int.from_bytes(packet[len(BUNDLE) : len(BUNDLE) + 8], "big")
    return None if tag <= 1 else tag / 2**32 - NTP_EPOCH_S


def read(packet: bytes) -> list[tuple[str, float]]:
    """Address and first number of each message of a packet; one that is not a number (NaN, infinite) is left out.
    Raises ZolvekError for what is not a packet."""
    if not _is_sound(packet):
        raise ZolvekError("This is not an OSC packet.", f"{len(packet)} bytes")
    from pythonosc.osc_packet import OscPacket

    try:
        messages = [timed.message for timed in OscPacket(packet).messages]
        return [
            (str(message.address), float(message.params[0]))
            for message in messages
            if message.params and isinstance(message.params[0], (int, float)) and np.isfinite(float(message.params[0]))
        ]
    except Exception as error:  # the library's own, of any kind: the packet comes from outside
        raise ZolvekError("This is not an OSC packet.", f"{len(packet)} bytes") from error


def address_of(packet: bytes) -> str:
    """The address of a message, read without looking further; "" for a bundle, and for what is not a message."""
    end = packet.find(b"\0")
    if end < 1 or packet[:1] != b"/":
        return ""
    return packet[:end].decode("ascii", "replace")


def _is_sound(packet: bytes, deep: int = 0) -> bool:
    """Whether a packet's sizes are such that a reader can come to its end: a message begins with an address and has
    type tags; a bundle's elements are of sizes that are in it (OSC 1.0, Bundles)."""
    if len(packet) % 4 or len(packet) < 4 or deep > DEEPEST:
        return False
    if not packet.startswith(BUNDLE):
        comma = (packet.find(b"\0") // 4 + 1) * 4
        return packet[:1] == b"/" and 0 < comma < len(packet) and packet[comma : comma + 1] == b","
    at = len(BUNDLE) + 8
    if len(packet) < at:
        return False
    while at < len(packet):
        size = int.from_bytes(packet[at : at + 4], "big", signed=True)
        at += 4
        if size < 4 or at + size > len(packet) or not _is_sound(packet[at : at + size], deep + 1):
            return False
        at += size
    return True


def place(text: str) -> tuple[str, int]:
    """Host and port of "host:port". Raises ZolvekError for what is not one."""
    host, _, port = text.strip().rpartition(":")
    if not host or not port.isdecimal() or not 0 < int(port) < 65_536:
        raise ZolvekError(f"“{text}” is not an address.", "OSC", "Type it as 127.0.0.1:9000.")
    return host.strip("[]"), int(port)


def _word(name: str) -> str:
    return NEVER.sub("_", name.strip()) or "_"


def _free(taken: dict[str, str], wanted: str, key: str) -> str:
    result, number = wanted, 2
    while result in taken:
        result, number = f"{wanted}-{number}", number + 1
    taken[result] = key
    return result
