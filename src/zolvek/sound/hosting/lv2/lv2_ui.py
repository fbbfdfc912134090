# SPDX-License-Identifier: GPL-3.0-or-later
"""One running user interface of an LV2 plugin (ui extension 2.22), in a window of ours, by cffi in ABI mode."""

from __future__ import annotations

import struct
from collections.abc import Callable
from pathlib import Path
from typing import Any

from zolvek.core.errors import ZolvekError
from zolvek.sound.hosting.lv2.host_features import Services
from zolvek.sound.hosting.lv2.lilv import loaded, urids
from zolvek.sound.hosting.lv2.lv2_uis import UI, Interface
from zolvek.sound.hosting.lv2.lv2_world import ATOM, LV2

# Of lv2/ui/ui.h (1.18).
DECLARED = """
typedef struct LV2UI_Descriptor_ {
  const char* URI;
  void* (*instantiate)(const struct LV2UI_Descriptor_*, const char*, const char*,
    void (*)(void*, uint32_t, uint32_t, uint32_t, const void*), void*, void**, const LV2_Feature* const*);
  void (*cleanup)(void*);
  void (*port_event)(void*, uint32_t, uint32_t, uint32_t, const void*);
  const void* (*extension_data)(const char*);
} LV2UI_Descriptor;
const LV2UI_Descriptor* lv2ui_descriptor(uint32_t);
typedef struct { void* handle; int (*ui_resize)(void*, int, int); } LV2UI_Resize;
typedef struct { int (*idle)(void*); } LV2UI_Idle_Interface;
typedef struct { void* handle; uint32_t (*port_index)(void*, const char*); } LV2UI_Port_Map;
typedef struct { void* handle; void (*touch)(void*, uint32_t, bool); } LV2UI_Touch;
"""
FLOATS = 0  # the protocol of a control's value
MOST_UIS = 1_024  # of a library
INVALID_PORT = 0xFFFFFFFF
LARGEST_ATOM = 1 << 20  # bytes
SCREEN_RATE = 30.0  # looks a second
Written = Callable[[int, "float | None", bytes], None]


class UserInterface:
    """`port` gives a port's number by its symbol; `written` takes what it asks for: the port, and a control's value, or
    None and an atom. Raises ZolvekError where it can't be made."""

    def __init__(
        self,
        interface: Interface,
        plugin: str,
        parent: int,
        rate: int,
        bundle: Path,
        port: Callable[[str], int],
        written: Written,
        resize: Callable[[int, int], None],
    ) -> None:
        self.ffi, _ = loaded()
        if "LV2UI_Descriptor" not in self.ffi.list_types()[0]:
            self.ffi.cdef(DECLARED)
        self.events = urids().of(f"{ATOM}eventTransfer")
        self.closed = False
        self.library = self._library(interface)
        self.descriptor = self._descriptor(interface)
        self.services = Services(bundle, plugin)
        features = self._features(parent, rate, port, resize)
        self.write = self._writer(written)
        widget, folder = self.ffi.new("void**"), f"{interface.bundle}/".encode()
        self.handle = self.descriptor.instantiate(
            self.descriptor, plugin.encode(), folder, self.write, self.ffi.NULL, widget, features
        )
        if self.handle == self.ffi.NULL:
            raise ZolvekError("The plugin's window can't be shown.", plugin, "Its dials are on the bench.")
        self.idles = self._extension(f"{UI}idleInterface", "LV2UI_Idle_Interface")
        self.resizes = self._extension(f"{UI}resize", "LV2UI_Resize")

    def _library(self, interface: Interface) -> Any:
        try:
            return self.ffi.dlopen(interface.library)
        except OSError as error:
            raise ZolvekError("The plugin's window can't be loaded.", interface.library, f"{error}") from error

    def _descriptor(self, interface: Interface) -> Any:
        for index in range(MOST_UIS):
            descriptor = self.library.lv2ui_descriptor(index)
            if descriptor == self.ffi.NULL:
                break
            if self.ffi.string(descriptor.URI).decode(errors="replace") == interface.uri:
                return descriptor
        raise ZolvekError("The plugin's window is not in its library.", interface.uri, "Install the plugin again.")

    def _features(self, parent: int, rate: int, port: Callable[[str], int], resize: Callable[[int, int], None]) -> Any:
        ffi, numbers = self.ffi, urids()

        @ffi.callback("int(void*, int, int)")
        def resized(_: Any, width: int, height: int) -> int:
            resize(width, height)
            return 0

        @ffi.callback("uint32_t(void*, const char*)")
        def port_index(_: Any, symbol: Any) -> int:
            index = port(ffi.string(symbol).decode(errors="replace"))
            return index if index >= 0 else INVALID_PORT

        @ffi.callback("void(void*, uint32_t, bool)")
        def touched(_: Any, index: int, held: bool) -> None:
            """What is moved is touched."""

        self.callbacks = resized, port_index, touched
        self.numbers = ffi.new("float[]", [float(rate), SCREEN_RATE])
        real = numbers.of(f"{ATOM}Float")
        rows = ((f"{LV2}ext/parameters#sampleRate", 0), (f"{UI}updateRate", 1))
        self.options = ffi.new("LV2_Options_Option[]", len(rows) + 1)
        for index, (key, number) in enumerate(rows):
            self.options[index] = (0, 0, numbers.of(key), 4, real, ffi.cast("void*", self.numbers + number))
        self.structs: dict[str, Any] = {
            f"{LV2}ext/urid#map": numbers.map,
            f"{LV2}ext/urid#unmap": numbers.unmap,
            f"{LV2}ext/options#options": self.options,
            f"{UI}parent": ffi.cast("void*", parent),
            f"{UI}resize": ffi.new("LV2UI_Resize*", {"ui_resize": resized}),
            f"{UI}portMap": ffi.new("LV2UI_Port_Map*", {"port_index": port_index}),
            f"{UI}touch": ffi.new("LV2UI_Touch*", {"touch": touched}),
            f"{UI}idleInterface": ffi.NULL,
            **self.services.rows,
        }
        self.names = [ffi.new("char[]", uri.encode()) for uri in self.structs]
        self.rows = [
            ffi.new("LV2_Feature*", {"URI": name, "data": ffi.cast("void*", data)})
            for name, data in zip(self.names, self.structs.values(), strict=True)
        ]
        self.features = ffi.new("LV2_Feature*[]", [*self.rows, ffi.NULL])
        return self.features

    def _writer(self, written: Written) -> Any:
        ffi = self.ffi

        @ffi.callback("void(void*, uint32_t, uint32_t, uint32_t, const void*)")
        def write(_: Any, port: int, size: int, protocol: int, data: Any) -> None:
            if protocol == FLOATS and size == 4:
                written(port, float(ffi.cast("float*", data)[0]), b"")
            elif protocol == self.events and 8 <= size <= LARGEST_ATOM:
                written(port, None, bytes(ffi.buffer(data, size)))

        return write

    def _extension(self, uri: str, kind: str) -> Any:
        ask = self.descriptor.extension_data
        if ask == self.ffi.NULL:
            return self.ffi.NULL
        name = self.ffi.new("char[]", uri.encode())
        self.names.append(name)
        return self.ffi.cast(f"const {kind}*", ask(name))

    def set_control(self, port: int, value: float) -> None:
        """A control's value, to be shown."""
        if self.descriptor.port_event != self.ffi.NULL:
            number = self.ffi.new("float*", value)
            self.descriptor.port_event(self.handle, port, 4, FLOATS, number)

    def send_atom(self, port: int, atom: bytes) -> None:
        """An event that the plugin has written, with its head of size and type."""
        if self.descriptor.port_event != self.ffi.NULL and len(atom) >= 8:
            size = 8 + struct.unpack_from("<I", atom)[0]
            words = self.ffi.new("uint64_t[]", (len(atom) + 7) // 8)
            self.ffi.memmove(words, atom, len(atom))
            self.descriptor.port_event(self.handle, port, size, self.events, words)

    def idle(self) -> bool:
        """Let it work; False where it wants to close."""
        if self.idles == self.ffi.NULL:
            return True
        return int(self.idles.idle(self.handle)) == 0

    def close(self) -> None:
        """End it."""
        if not self.closed:
            self.closed = True
            self.descriptor.cleanup(self.handle)
