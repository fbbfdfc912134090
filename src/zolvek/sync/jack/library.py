# SPDX-License-Identifier: GPL-3.0-or-later
"""The JACK library of the system: the server's own, or the one that PipeWire has in its place.

Its functions are given once, for Python (ctypes) and, by the same names, for compiled code.
"""

from __future__ import annotations

import ctypes
import ctypes.util
import os
from ctypes import (
    CFUNCTYPE,
    POINTER,
    c_char_p,
    c_double,
    c_int,
    c_uint32,
    c_uint64,
    c_ulong,
    c_void_p,
)
from functools import lru_cache
from glob import glob
from typing import Any

from zolvek.core.errors import ZolvekError

CHOSEN = "ZOLVEK_JACK"  # of the environment: the library's file, where it is not to be looked for
SYSTEM = "libjack.so.0"
PIPEWIRE = (
    "/usr/lib/*/pipewire-0.3/jack/libjack.so.0",
    "/usr/lib*/pipewire-0.3/jack/libjack.so.0",
)
AUDIO, MIDI = b"32 bit float mono audio", b"8 bit raw midi"
IS_INPUT, IS_OUTPUT, IS_PHYSICAL, IS_TERMINAL = 1, 2, 4, 16  # jack/types.h
SIGNAL_TYPE = b"http://jackaudio.org/metadata/signal-type"
NO_START, NO_SUCH_CLIENT = 1, 64  # options and states of opening

# Name -> what it gives, and what it takes (jack/jack.h, transport.h, midiport.h).
FUNCTIONS: dict[str, tuple[Any, tuple[Any, ...]]] = {
    "jack_client_open": (c_void_p, (c_char_p, c_int, POINTER(c_int))),
    "jack_client_close": (c_int, (c_void_p,)),
    "jack_get_client_name": (c_char_p, (c_void_p,)),
    "jack_activate": (c_int, (c_void_p,)),
    "jack_deactivate": (c_int, (c_void_p,)),
    "jack_is_realtime": (c_int, (c_void_p,)),
    "jack_get_sample_rate": (c_uint32, (c_void_p,)),
    "jack_get_buffer_size": (c_uint32, (c_void_p,)),
    "jack_get_version_string": (c_char_p, ()),
    "jack_set_process_callback": (c_int, (c_void_p, c_void_p, c_void_p)),
    "jack_set_freewheel_callback": (c_int, (c_void_p, c_void_p, c_void_p)),
    "jack_set_buffer_size_callback": (c_int, (c_void_p, c_void_p, c_void_p)),
    "jack_set_sample_rate_callback": (c_int, (c_void_p, c_void_p, c_void_p)),
    "jack_set_xrun_callback": (c_int, (c_void_p, c_void_p, c_void_p)),
    "jack_set_port_connect_callback": (c_int, (c_void_p, c_void_p, c_void_p)),
    "jack_set_port_registration_callback": (c_int, (c_void_p, c_void_p, c_void_p)),
    "jack_on_shutdown": (None, (c_void_p, c_void_p, c_void_p)),
    "jack_port_register": (c_void_p, (c_void_p, c_char_p, c_char_p, c_ulong, c_ulong)),
    "jack_port_unregister": (c_int, (c_void_p, c_void_p)),
    "jack_port_rename": (c_int, (c_void_p, c_void_p, c_char_p)),
    "jack_port_name": (c_char_p, (c_void_p,)),
    "jack_port_flags": (c_int, (c_void_p,)),
    "jack_port_type": (c_char_p, (c_void_p,)),
    "jack_port_by_name": (c_void_p, (c_void_p, c_char_p)),
    "jack_port_connected": (c_int, (c_void_p,)),
    "jack_port_get_all_connections": (POINTER(c_char_p), (c_void_p, c_void_p)),
    "jack_get_ports": (POINTER(c_char_p), (c_void_p, c_char_p, c_char_p, c_ulong)),
    "jack_free": (None, (c_void_p,)),
    "jack_connect": (c_int, (c_void_p, c_char_p, c_char_p)),
    "jack_disconnect": (c_int, (c_void_p, c_char_p, c_char_p)),
    "jack_set_sync_callback": (c_int, (c_void_p, c_void_p, c_void_p)),
    "jack_set_timebase_callback": (c_int, (c_void_p, c_int, c_void_p, c_void_p)),
    "jack_release_timebase": (c_int, (c_void_p,)),
    "jack_transport_start": (None, (c_void_p,)),
    "jack_transport_stop": (None, (c_void_p,)),
    "jack_transport_locate": (c_int, (c_void_p, c_uint32)),
    "jack_transport_query": (c_int, (c_void_p, c_void_p)),
    "jack_set_freewheel": (c_int, (c_void_p, c_int)),
    "jack_get_time": (c_uint64, ()),
    "jack_cpu_load": (c_double, (c_void_p,)),
    "jack_port_uuid": (c_uint64, (c_void_p,)),
    "jack_set_property": (c_int, (c_void_p, c_uint64, c_char_p, c_char_p, c_char_p)),
    "jack_set_error_function": (None, (c_void_p,)),
    "jack_set_info_function": (None, (c_void_p,)),
}  # fmt: skip
_silent = CFUNCTYPE(None, c_char_p)(lambda _: None)


@lru_cache(maxsize=1)
def path() -> str:
    """The library's file; "" where there is none."""
    named = os.environ.get(CHOSEN)
    if named:
        return named
    for wanted in (SYSTEM, *(found for pattern in PIPEWIRE for found in sorted(glob(pattern)))):
        try:
            ctypes.CDLL(wanted)
        except OSError:
            continue
        return wanted
    return ""


@lru_cache(maxsize=1)
def library() -> Any:
    """The library with its functions declared. Raises ZolvekError where there is none."""
    this_path = path()
    try:
        if not this_path:
            raise OSError("neither JACK nor PipeWire is installed")
        loaded = ctypes.CDLL(this_path, mode=ctypes.RTLD_GLOBAL)
        for name, (gives, takes) in FUNCTIONS.items():
            function = getattr(loaded, name)
            function.restype, function.argtypes = gives, takes
    except (OSError, AttributeError) as error:
        raise ZolvekError(
            "JACK can't be used.", str(error), "Install libjack-jackd2-0, or PipeWire's pipewire-jack."
        ) from error
    # What it has to say it says in its results too; on the error output it would repeat itself.
    loaded.jack_set_error_function(_silent)
    loaded.jack_set_info_function(_silent)
    return loaded


def is_pipewire() -> bool:
    """Whether the library that is loaded speaks to PipeWire."""
    return "pipewire" in os.path.realpath(path()) or b"PipeWire" in (library().jack_get_version_string() or b"")


def mark_voltage(client: int, port: int) -> bool:
    """Whether a port for sound is marked as one of control voltages (JACK metadata API), for others to see."""
    this_library = library()
    uuid = this_library.jack_port_uuid(port)
    return bool(this_library.jack_set_property(client, uuid, SIGNAL_TYPE, b"CV", b"text/plain") == 0)


def names(found: Any) -> list[str]:
    """The texts of a list that the library has given, which is released."""
    if not found:
        return []
    result: list[str] = []
    while found[len(result)] is not None:
        result.append(found[len(result)].decode(errors="replace"))
    library().jack_free(found)
    return result
