# SPDX-License-Identifier: GPL-3.0-or-later
"""Lists the ports of the server, without ports of our own there."""

from __future__ import annotations

import ctypes
from typing import Any

from zolvek.core.errors import ZolvekError
from zolvek.sync.jack import library as jack

NAME = b"Zolvek looks"


def _client() -> Any:
    """A client for a moment; None where there is no server. Raises ZolvekError where there is no library."""
    status = ctypes.c_int(0)
    return jack.library().jack_client_open(NAME, jack.NO_START, ctypes.byref(status))


def server() -> None:
    """Raises ZolvekError where there is no server."""
    client = _client()
    if not client:
        raise ZolvekError("No JACK server is running.", "JACK", "Start one, or PipeWire.")
    jack.library().jack_client_close(client)


def ports() -> list[tuple[str, str, str]]:
    """Kind ("jack audio", "jack midi"), "in" for what gives and "out" for what takes, and name, of each port of other
    programs; none where there is no server."""
    try:
        client = _client()
    except ZolvekError:
        return []
    if not client:
        return []
    library, result = jack.library(), []
    try:
        for name in jack.names(library.jack_get_ports(client, None, None, 0)):
            port = library.jack_port_by_name(client, name.encode())
            if port:
                takes = library.jack_port_flags(port) & jack.IS_INPUT
                kind = "jack midi" if library.jack_port_type(port) == jack.MIDI else "jack audio"
                result.append((kind, "out" if takes else "in", name))
    finally:
        library.jack_client_close(client)
    return result
