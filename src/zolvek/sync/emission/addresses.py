# SPDX-License-Identifier: GPL-3.0-or-later
"""Numbers at an address in memory, counted from 0: what compiled code has as single machine instructions
(`zolvek/native/emission.h`)."""

from __future__ import annotations

from ctypes import c_double, c_int64, c_uint8


def int64_at(address: int, index: int) -> int:
    """The 64-bit number `index` at an address."""
    return c_int64.from_address(int(address) + 8 * int(index)).value


def put_int64(address: int, index: int, value: int) -> None:
    """Write a 64-bit number."""
    c_int64.from_address(int(address) + 8 * int(index)).value = int(value)


def byte_at(address: int, index: int) -> int:
    """The byte `index` at an address."""
    return c_uint8.from_address(int(address) + int(index)).value


def put_byte(address: int, index: int, value: int) -> None:
    """Write a byte."""
    c_uint8.from_address(int(address) + int(index)).value = int(value)


def real_at(address: int, index: int) -> float:
    """The float64 `index` at an address."""
    return c_double.from_address(int(address) + 8 * int(index)).value
