# SPDX-License-Identifier: GPL-3.0-or-later
"""An LV2 plugin's own window, in a process of its own: run as `python -m zolvek.sound.hosting.windows.lv2_window`.

It reads commands and writes reports (`window_messages`, pickled). The plugin that the window belongs to is another
instance than the one that is heard, and plays silence: it answers what the window asks of it.
"""

from __future__ import annotations

import contextlib
import os
import pickle
import queue
import sys
import threading
import time
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np

from zolvek.core.errors import ZolvekError
from zolvek.core.model.plugin import Plugin, fitted, real
from zolvek.core.model.project import Device
from zolvek.sound.hosting.catalogue import installed
from zolvek.sound.hosting.lv2.lv2_description import described
from zolvek.sound.hosting.lv2.lv2_instance import Instance
from zolvek.sound.hosting.lv2.lv2_ui import UserInterface
from zolvek.sound.hosting.lv2.lv2_uis import interface_of
from zolvek.sound.hosting.lv2.lv2_world import world_of
from zolvek.sound.hosting.plugin.control_events import BLOCK_FRAMES, Driver
from zolvek.sound.hosting.windows.window_messages import (
    Command,
    LastState,
    Moved,
    Open,
    Report,
    SetDevice,
    SetPositions,
    Shown,
    WindowFailure,
)
from zolvek.sound.hosting.windows.x11_window import TopLevel
from zolvek.storage.python_process import own_output

RATE = 48_000
POLL_INTERVAL_S = 0.03
STATE_INTERVAL_S = 1.0  # seconds between looks whether what the plugin holds has changed
MOVED = 1e-6  # of a port's value, relative: less is no change


class HostedWindow:
    """The plugin, its window, and what its controls were last set to or found at, by port. Raises ZolvekError where
    there is no window."""

    def __init__(self, device: Device, out: BinaryIO) -> None:
        plugin = device.row.plugin
        assert plugin is not None
        bundle = installed.bundle_of(plugin.uri, plugin.path)
        there = described(plugin.uri, bundle)
        assert there.plugin is not None
        self.device, self.out, self.there = device, out, there
        self.plugin: Plugin = fitted(plugin, there.plugin)
        self.keys = {binding.index: key for key, binding in self.plugin.ports.items()}
        world = world_of(bundle)
        interface, reason = interface_of(world, world.plugin(plugin.uri))
        if interface is None:
            why = f"Its own window can't be shown: {reason}." if reason else "It has no window of its own."
            raise ZolvekError(why, device.name, "Its dials are on the bench.")
        self.instance = Instance(self.plugin, bundle, RATE, device.id, device.state)
        self.instance.begin(self._values(device))
        self.known = dict(self._values(device))
        self.before = self.state = self.instance.state
        self.looked, self.asked = time.monotonic(), False
        self.moved: dict[int, float] = {}
        self.top = TopLevel(device.name)
        self.ui = UserInterface(
            interface,
            self.plugin.uri,
            self.top.window,
            RATE,
            Path(interface.bundle),
            self._port,
            self._written,
            self.top.resize,
        )
        for port, value in self.known.items():
            self.ui.set_control(port, value)

    def _values(self, device: Device) -> list[tuple[int, float]]:
        return Driver(self.plugin, RATE, self.there).present(device)

    def _port(self, symbol: str) -> int:
        return next((b.index for b in self.plugin.ports.values() if b.symbol == symbol), -1)

    def _written(self, port: int, value: float | None, atom: bytes) -> None:
        """What the window asks for: a control's value, or an event for a port."""
        if value is None:
            self.instance.send(port, atom)
            self.asked = True
        elif port in self.keys and np.isfinite(value):
            self.known[port] = self.moved[port] = value
            self.instance.set([(port, value)])

    def set(self, device: Device) -> None:
        """Turned elsewhere: seen here."""
        self.device = device
        for port, value in self._values(device):
            if abs(self.known.get(port, np.inf) - value) > MOVED * max(abs(value), 1.0):
                self.known[port] = value
                self.instance.set([(port, value)])
                self.ui.set_control(port, value)

    def look(self) -> None:
        """Say what has been moved here; let the plugin answer, and the window show it."""
        if self.moved:
            moved, self.moved = self.moved, {}
            self.report(Moved({self.keys[port]: self._position(port, value) for port, value in moved.items()}))
        self.instance.audio[:] = 0.0
        self.instance.run(BLOCK_FRAMES, [])
        for port, atoms in self.instance.written():
            for atom in atoms:
                self.ui.send_atom(port, atom)
        now = time.monotonic()
        if self.asked and now - self.looked > STATE_INTERVAL_S:
            self.asked, self.looked = False, now
            self._say_state()

    def _say_state(self) -> None:
        """What the plugin holds, where the window has changed that: it is to be heard."""
        state = self.instance.state
        if state != self.state:
            self.state = state
            self.report(LastState(state))

    def _position(self, port: int, value: float) -> float:
        key = self.keys[port]
        parameter = self.device.parameter(key)
        position = float(parameter.position(real(parameter, self.plugin.ports[key], value, RATE)))
        return min(max(position, 0.0), 1.0)

    def report(self, report: Report) -> None:
        """Send a report to the program."""
        pickle.dump(report, self.out)
        self.out.flush()

    def close(self) -> None:
        """Say what it was left at, and take the window off the screen."""
        self.look()
        state = self.instance.state
        self.report(LastState(state if state != self.before else self.device.state))
        self.ui.close()
        self.top.close()


def _read(source: BinaryIO, commands: queue.Queue[Command | None]) -> None:
    with contextlib.suppress(EOFError, OSError, pickle.UnpicklingError):
        while True:
            commands.put(pickle.load(source))
    commands.put(None)


def _given(shown: HostedWindow, commands: queue.Queue[Command | None]) -> bool:
    """Take what is given from outside; whether the window stays."""
    with contextlib.suppress(queue.Empty):
        while True:
            command = commands.get_nowait()
            if isinstance(command, SetDevice):
                shown.set(command.device)
            elif isinstance(command, SetPositions):
                shown.set(shown.device.at(command.positions))
            else:
                return False
    return True


def run(source: BinaryIO, out: BinaryIO) -> None:
    """Show the window that `source` asks for, and report to `out`."""
    first: Open = pickle.load(source)
    try:
        shown = HostedWindow(first.device, out)
    except ZolvekError as error:
        pickle.dump(WindowFailure(error), out)
        return
    commands: queue.Queue[Any] = queue.Queue()
    threading.Thread(target=_read, args=(source, commands), daemon=True).start()
    shown.top.show()
    shown.report(Shown())
    while _given(shown, commands) and not shown.top.closed and shown.ui.idle():
        shown.top.poll()
        shown.look()
        time.sleep(POLL_INTERVAL_S)
    shown.close()


if __name__ == "__main__":
    with contextlib.suppress(BrokenPipeError, KeyboardInterrupt, EOFError):
        own = own_output()
        run(sys.stdin.buffer, own)
        own.flush()
    os._exit(0)
