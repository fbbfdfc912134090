# SPDX-License-Identifier: GPL-3.0-or-later
"""What compiled code needs of the system: numbers as places in memory, and the library's functions by name."""

from __future__ import annotations

from typing import Any

import numpy as np
from llvmlite import binding, ir
from numba import carray, njit, types
from numba.core import cgutils
from numba.extending import intrinsic

from zolvek.sync.jack import library

binding.load_library_permanently(library.path())

# Places are whole numbers here: a pointer is passed as one on every 64-bit system.
port_get_buffer: Any = types.ExternalFunction("jack_port_get_buffer", types.int64(types.int64, types.uint32))
midi_clear_buffer: Any = types.ExternalFunction("jack_midi_clear_buffer", types.void(types.int64))
midi_event_write: Any = types.ExternalFunction(
    "jack_midi_event_write", types.int32(types.int64, types.uint32, types.int64, types.uint64)
)
midi_get_event_count: Any = types.ExternalFunction("jack_midi_get_event_count", types.uint32(types.int64))
midi_event_get: Any = types.ExternalFunction("jack_midi_event_get", types.int32(types.int64, types.int64, types.uint32))
transport_query: Any = types.ExternalFunction("jack_transport_query", types.int32(types.int64, types.int64))
transport_locate: Any = types.ExternalFunction("jack_transport_locate", types.int32(types.int64, types.uint32))
clock_gettime: Any = types.ExternalFunction("clock_gettime", types.int32(types.int32, types.int64))
usleep: Any = types.ExternalFunction("usleep", types.int32(types.uint32))


# Untyped on purpose: what it gives is called from compiled code alone.
compiled: Any = njit(cache=True, error_model="numpy")


@intrinsic
def _pointer(typingctx: Any, address: Any) -> Any:
    """A whole number as a pointer."""

    def made(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        return builder.inttoptr(arguments[0], cgutils.voidptr_t)

    return types.voidptr(types.int64), made


pointer: Any = _pointer  # called from compiled code, which gives the typing context itself


def _place(builder: Any, kind: ir.Type, address: Any, index: Any) -> Any:
    return builder.gep(builder.inttoptr(address, ir.PointerType(kind)), [index])


def _read(kind: ir.Type, numba_type: types.Type, whole: bool) -> Any:
    """Number `index` of those of a kind that lie at an address; whole ones as int64. An array made of the address
    would do the same, and take the compiler twenty times as long."""

    @intrinsic
    def read(typingctx: Any, address: Any, index: Any) -> Any:
        def made(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
            result = builder.load(_place(builder, kind, *arguments), align=1)
            narrow = whole and kind.width < 64
            return builder.zext(result, ir.IntType(64)) if narrow else result

        return (types.int64 if whole else numba_type)(types.int64, types.int64), made

    return read


def _write(kind: ir.Type, numba_type: types.Type, whole: bool) -> Any:
    @intrinsic
    def write(typingctx: Any, address: Any, index: Any, value: Any) -> Any:
        def made(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
            address, index, value = arguments
            narrow = whole and kind.width < 64
            number = builder.trunc(value, kind) if narrow else value
            builder.store(number, _place(builder, kind, address, index), align=1)
            return context.get_dummy_value()

        return types.void(types.int64, types.int64, types.int64 if whole else numba_type), made

    return write


_INT64, _UINT32, _UINT8 = ir.IntType(64), ir.IntType(32), ir.IntType(8)
int64_at, put_int64 = _read(_INT64, types.int64, True), _write(_INT64, types.int64, True)
uint32_at, put_uint32 = _read(_UINT32, types.uint32, True), _write(_UINT32, types.uint32, True)
byte_at, put_byte = _read(_UINT8, types.uint8, True), _write(_UINT8, types.uint8, True)
real_at, put_real = _read(ir.DoubleType(), types.float64, False), _write(ir.DoubleType(), types.float64, False)
single_at, put_single = _read(ir.FloatType(), types.float32, False), _write(ir.FloatType(), types.float32, False)


@compiled
def words(address: Any, count: Any) -> Any:
    """An int64 array at an address."""
    return carray(pointer(address), count, np.int64)


@compiled
def reals(address: Any, count: Any) -> Any:
    """A float64 array at an address."""
    return carray(pointer(address), count, np.float64)
