# SPDX-License-Identifier: GPL-3.0-or-later
"""The emission of messages, compiled for the callbacks."""

from __future__ import annotations

from types import FunctionType
from typing import Any

from zolvek.core.compilation import machine_copies
from zolvek.sync.emission import message_emission
from zolvek.sync.jack import native

_functions = {
    name: function
    for name, function in vars(message_emission).items()
    if isinstance(function, FunctionType) and function.__module__ == message_emission.__name__
}
_instructions = {name: getattr(native, name) for name in ("byte_at", "int64_at", "put_byte", "put_int64", "real_at")}
# Untyped on purpose: what is compiled is called from compiled code alone.
COMPILED: dict[str, Any] = machine_copies(_functions, native.compiled, _instructions)

before, chase_changed, emit_messages = (COMPILED[name] for name in ("before", "chase_changed", "emit_messages"))
hush = COMPILED["hush"]
notes_off, send_position, send_rest = (COMPILED[name] for name in ("notes_off", "send_position", "send_rest"))
stop_messages = COMPILED["stop_messages"]
