"""What there is on the server, without having ports of our own there."""

from __future__ import annotations

import ctypes

from zolvek.beside.jack import library as jack
from zolvek.core.errors import ZolvekError

NAME = b"Zolvek looks"


def ports() -> list[tuple[str, str, str]]:
    """Kind ("jack sound", "jack midi"), "in" for what gives and "out" for what takes, and name, of each port of other
    programs; none where there is no server."""
    try:
        library = jack.library()
    except ZolvekError:
        return []
    client = library.jack_client_open(NAME, jack.NO_START, ctypes.byref(ctypes.c_int(0)))
    if not client:
        return []
    found = []
    try:
        for name in jack.names(library.jack_get_ports(client, None, None, 0)):
            port = library.jack_port_by_name(client, name.encode())
            if port:
                takes = library.jack_port_flags(port) & jack.IS_INPUT
                kind = "jack midi" if library.jack_port_type(port) == jack.MIDI else "jack sound"
                found.append((kind, "out" if takes else "in", name))
    finally:
        library.jack_client_close(client)
    return found
