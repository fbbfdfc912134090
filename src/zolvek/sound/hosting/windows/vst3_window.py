# SPDX-License-Identifier: GPL-3.0-or-later
"""A VST3 plugin's own window, in a process of its own: run as `python -m zolvek.sound.hosting.windows.vst3_window`.

It reads commands and writes reports (`window_messages`, pickled). The plugin that is seen is another instance than
the one that is heard: values go back and forth.
"""

from __future__ import annotations

import contextlib
import ctypes
import os
import pickle
import sys
import threading
from typing import Any, BinaryIO

from zolvek.core.errors import ZolvekError
from zolvek.core.model.plugin import USUAL_RATE, fitted, real
from zolvek.core.model.project import Device
from zolvek.sound.hosting.catalogue.loading import described
from zolvek.sound.hosting.plugin.control_events import Driver
from zolvek.sound.hosting.vst3.vst3_library import loaded, state_of, with_state
from zolvek.sound.hosting.windows.window_messages import (
    Command,
    LastState,
    Moved,
    Open,
    Report,
    SetDevice,
    SetPositions,
    WindowFailure,
)
from zolvek.storage.python_process import own_output

POLL_INTERVAL_S = 0.03  # seconds
NAMING_INTERVAL_S = 0.05
REPLACED = 0  # PropModeReplace
LIBRARY = b"Pedalboard"  # the title it gives
MOVED = 1e-5  # of the travel: less is no hand's doing


class HostedWindow:
    """The plugin, and what its controls were last set to or found at, by port."""

    def __init__(self, device: Device, out: BinaryIO) -> None:
        plugin = device.row.plugin
        assert plugin is not None
        there = described(plugin.uri)
        assert there.plugin is not None
        self.device, self.out = device, out
        self.plugin = fitted(plugin, there.plugin)
        self.made = loaded(self.plugin.path, there.name)
        if device.state:
            with_state(self.made, device.state)
        self.parameters = self.made._parameters
        self.keys = {binding.index: key for key, binding in self.plugin.ports.items()}
        self.lock = threading.Lock()
        self.known: dict[int, float] = {}
        self.closed = threading.Event()
        self.set(device)

    def set(self, device: Device) -> None:
        """Turned elsewhere: seen here."""
        with self.lock:
            self.device = device
            for port, value in Driver(self.plugin, int(USUAL_RATE)).present(device):
                if abs(self.known.get(port, -1.0) - value) > MOVED:
                    self.parameters[port].raw_value = value
                    self.known[port] = float(self.parameters[port].raw_value)

    def look(self) -> None:
        """Say what has been moved here since the last look."""
        with self.lock:
            now = {port: float(self.parameters[port].raw_value) for port in self.keys}
            moved = [port for port, value in now.items() if abs(self.known[port] - value) > MOVED]
            self.known.update(now)
        if moved:
            self.report(Moved({self.keys[port]: self._position(port, now[port]) for port in moved}))

    def _position(self, port: int, value: float) -> float:
        key = self.keys[port]
        parameter = self.device.parameter(key)
        port_value = real(parameter, self.plugin.ports[key], value, USUAL_RATE)
        return float(parameter.position(port_value))

    def report(self, report: Report) -> None:
        """Send a report to the program."""
        pickle.dump(report, self.out)
        self.out.flush()

    def watch(self) -> None:
        """Report what is moved, until the window closes."""
        with contextlib.suppress(OSError, ValueError):
            while not self.closed.wait(POLL_INTERVAL_S):
                self.look()

    def follow(self, source: BinaryIO) -> None:
        """What is given from outside, until it ends or says so."""
        with contextlib.suppress(EOFError, OSError, pickle.UnpicklingError):
            while True:
                command: Command = pickle.load(source)
                if isinstance(command, SetDevice):
                    self.set(command.device)
                elif isinstance(command, SetPositions):
                    self.set(self.device.at(command.positions))
                else:
                    break
        self.closed.set()


X_ERROR = ctypes.CFUNCTYPE(ctypes.c_int, ctypes.c_void_p, ctypes.c_void_p)
_ignored = X_ERROR(lambda display, event: 0)  # held, as libX11 calls it at any time


def outlive_x_errors() -> None:
    """Xlib ends the process at any error. Without a desktop's settings there is one each time: the library
    asks for a property of window 0."""
    with contextlib.suppress(OSError):
        ctypes.CDLL("libX11.so.6").XSetErrorHandler(_ignored)


class _Text(ctypes.Structure):
    """XTextProperty."""

    _fields_ = (
        ("value", ctypes.c_char_p), ("encoding", ctypes.c_ulong), ("format", ctypes.c_int), ("nitems", ctypes.c_ulong),
    )  # fmt: skip


def name_windows(title: str, over: threading.Event) -> None:
    """The library calls every window by its own name: those of this process get the plugin's, as they come."""
    try:
        x11 = ctypes.CDLL("libX11.so.6")
    except OSError:
        return
    x11.XOpenDisplay.restype = ctypes.c_void_p
    x11.XDefaultRootWindow.restype = ctypes.c_ulong
    x11.XDefaultRootWindow.argtypes = [ctypes.c_void_p]
    x11.XQueryTree.argtypes = [ctypes.c_void_p, ctypes.c_ulong, *(ctypes.c_void_p,) * 4]
    x11.XGetWMName.argtypes = [ctypes.c_void_p, ctypes.c_ulong, ctypes.c_void_p]
    x11.XStoreName.argtypes = [ctypes.c_void_p, ctypes.c_ulong, ctypes.c_char_p]
    x11.XInternAtom.restype = ctypes.c_ulong
    x11.XInternAtom.argtypes = [ctypes.c_void_p, ctypes.c_char_p, ctypes.c_int]
    x11.XChangeProperty.argtypes = [
        ctypes.c_void_p, *(ctypes.c_ulong,) * 3, ctypes.c_int, ctypes.c_int, ctypes.c_char_p, ctypes.c_int,
    ]  # fmt: skip
    x11.XFlush.argtypes = [ctypes.c_void_p]
    x11.XFree.argtypes = [ctypes.c_void_p]
    display = x11.XOpenDisplay(None)
    if not display:
        return
    root = x11.XDefaultRootWindow(display)
    named = False
    while not named and not over.wait(NAMING_INTERVAL_S):
        for window in _below(x11, display, root, 3):
            result = _Text()
            if x11.XGetWMName(display, window, ctypes.byref(result)) and result.value == LIBRARY:
                x11.XStoreName(display, window, title.encode("latin-1", "replace"))
                # What window managers of today show (Extended Window Manager Hints, _NET_WM_NAME).
                name, text = (x11.XInternAtom(display, atom, 0) for atom in (b"_NET_WM_NAME", b"UTF8_STRING"))
                data = title.encode()
                x11.XChangeProperty(display, window, name, text, 8, REPLACED, data, len(data))
                named = True
        x11.XFlush(display)


def _below(x11: Any, display: Any, window: int, deep: int) -> list[int]:
    """The windows in a window, and in those."""
    root, parent = ctypes.c_ulong(), ctypes.c_ulong()
    children, count = ctypes.POINTER(ctypes.c_ulong)(), ctypes.c_uint()
    replies = (ctypes.byref(item) for item in (root, parent, children, count))
    if not x11.XQueryTree(display, window, *replies):
        return []
    windows = [int(children[index]) for index in range(count.value)]
    if windows:
        x11.XFree(children)
    return windows + [item for one in windows if deep > 1 for item in _below(x11, display, one, deep - 1)]


def run(source: BinaryIO, out: BinaryIO) -> None:
    """Show the window that `source` asks for, and report to `out`."""
    first: Open = pickle.load(source)
    device = first.device
    try:
        shown = HostedWindow(device, out)
        naming = lambda: name_windows(device.name, shown.closed)  # noqa: E731  # one of three alike
        for work in (shown.watch, lambda: shown.follow(source), naming):
            threading.Thread(target=work, daemon=True).start()
        outlive_x_errors()
        before = state_of(shown.made)
        shown.made.show_editor(shown.closed)
    except (RuntimeError, ValueError, OSError) as error:
        pickle.dump(WindowFailure(ZolvekError("The plugin's window can't be shown.", device.name, f"{error}")), out)
        return
    except ZolvekError as error:
        pickle.dump(WindowFailure(error), out)
        return
    shown.closed.set()
    shown.look()
    after = state_of(shown.made)
    # One that was only looked at is as it was: nothing to keep, nothing to undo.
    shown.report(LastState(after if after != before else device.state))


if __name__ == "__main__":
    with contextlib.suppress(BrokenPipeError, KeyboardInterrupt, EOFError):
        own = own_output()
        run(sys.stdin.buffer, own)
        own.flush()
    os._exit(0)
