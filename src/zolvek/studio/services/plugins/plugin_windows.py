# SPDX-License-Identifier: GPL-3.0-or-later
"""Plugins' own windows: opened and closed, updated when controls move elsewhere, and followed when they move there."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from zolvek.core.edits import chains
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Device
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.records import replace
from zolvek.sound.hosting.windows.window_messages import Closed, LastState, Moved, Report, Shown, WindowFailure
from zolvek.studio.services.io.midi_io import MidiIO
from zolvek.studio.session.session import Session

if TYPE_CHECKING:
    from zolvek.sound.hosting.windows.own_window import OwnWindow


OPENS_MS = 20_000  # within which a window comes up
SHOWN_INTERVAL_S = 0.04  # seconds between positions that lanes play


class PluginWindows(QObject):
    """`open`: by device. A window of another project's device is closed."""

    changed = pyqtSignal()
    reported = pyqtSignal(str, int, object)  # device, number of the window, Report

    def __init__(self, session: Session, midi_io: MidiIO) -> None:
        super().__init__()
        self.session, self.midi_io = session, midi_io
        self.open: dict[str, OwnWindow] = {}
        self.numbers: dict[str, int] = {}
        self.count = 0
        self.seen: set[int] = set()  # numbers of windows that have come up
        self.shown = 0.0  # when lanes were shown last
        self.played: dict[str, dict[str, float]] = {}  # and where, by device
        self.taking = ""  # the device whose window has moved something: it knows
        self.known = session.document.opened
        self.reported.connect(self._take)
        session.document.changed.connect(self._follow)
        session.playhead.changed.connect(self._play)

    def toggle(self, device: Device) -> None:
        """Open or close a device's window."""
        window = self.open.get(device.id)
        if window is not None and not window.leaving:
            window.leave()  # it says what it holds, and that it is closed
            return
        self._close(device.id)
        from zolvek.sound.hosting.windows.own_window import SAY_SHOWN, OwnWindow

        self.count += 1
        key, number = device.id, self.count
        self.numbers[key] = number
        self.open[key] = OwnWindow(device, lambda report: self.reported.emit(key, number, report))
        self.session.notices.say(f"{device.name} opens its window.")
        plugin = device.row.plugin
        if plugin is not None and plugin.format in SAY_SHOWN:
            QTimer.singleShot(OPENS_MS, lambda: self._end_unseen(key, number))
        self.changed.emit()

    def _take(self, device: str, number: int, report: Report) -> None:
        if self.numbers.get(device) != number or not self.session.project.has_device(device):
            return
        match report:
            case Moved(positions):
                self.taking = device
                for key, position in positions.items():
                    self.midi_io.turned((device, key), position)
                self.taking = ""
            case Shown():
                self.seen.add(number)
            case LastState(state):
                self._keep(device, state)
            case WindowFailure(error):
                self.session.notices.report(error)
            case Closed():
                self._close(device)

    def _end_unseen(self, device: str, number: int) -> None:
        """A window that has not come up by now never will."""
        if self.numbers.get(device) == number and device in self.open and number not in self.seen:
            name = self.open[device].device.name
            self._close(device)
            seconds = OPENS_MS // 1_000
            what = f"The plugin's window did not open within {seconds} s."
            self.session.notices.report(ZolvekError(what, name, "Its dials are on the bench."))

    def _keep(self, device: str, state: str) -> None:
        """What it holds beyond its parameters, as it was left."""
        this_device = self.session.project.device_track(device).device(device)
        if this_device.state != state:
            kept = chains.with_device(self.session.project, replace(this_device, state=state))
            self.session.document.edit(f"Settings of {this_device.name}", kept)

    def _follow(self) -> None:
        """Dials may have been turned here; devices may be gone."""
        document = self.session.document
        if self.known is not document.opened:
            self.known = document.opened
            for key in list(self.open):
                self._close(key)
        for key, window in list(self.open.items()):
            if not document.project.has_device(key):
                self._close(key)
            else:
                window.set(document.project.device_track(key).device(key), tell=key != self.taking)

    def _play(self) -> None:
        """What lanes play is shown there."""
        now = time.monotonic()
        if not self.open or now - self.shown < SHOWN_INTERVAL_S:
            return
        self.shown = now
        session, beat = self.session, np.array([self.session.playhead.beat])
        for key, window in self.open.items():
            if not session.project.has_device(key):
                continue
            track = session.project.device_track(key)
            lanes = [lane for lane in track.lanes if lane.device == key and not lane.bypassed]
            positions = {lane.parameter: float(played(lane, session.project).at(beat)[0]) for lane in lanes}
            if positions and positions != self.played.get(key):
                self.played[key] = positions
                window.show_positions(positions)

    def _close(self, device: str) -> None:
        window = self.open.pop(device, None)
        if window is not None:
            window.close()
            self.changed.emit()

    def close(self) -> None:
        """Close all windows."""
        for key in list(self.open):
            self._close(key)
