# SPDX-License-Identifier: GPL-3.0-or-later
"""A plugin's own window: a process that receives the values of controls and reports what is moved."""

from __future__ import annotations

import contextlib
import pickle
import subprocess
import threading
from collections.abc import Callable

from zolvek.core.errors import Failure
from zolvek.core.model.project import Device
from zolvek.sound.hosting.windows.window_messages import (
    Closed,
    Command,
    LastState,
    Leave,
    Open,
    Report,
    SetDevice,
    SetPositions,
    WindowFailure,
)
from zolvek.storage.python_process import begin, command, kill, shut

CLOSE_TIMEOUT_S = 1.0  # seconds that it has to say its state and end
OWN_WINDOWS = {
    "vst3": "zolvek.sound.hosting.windows.vst3_window",
    "lv2": "zolvek.sound.hosting.windows.lv2_window",
}
SAY_SHOWN = {"lv2"}  # of which formats a window says that it has come up
OnReport = Callable[[Report], None]


class OwnWindow:
    """`on_report` is called from another thread; `Closed` comes last, once, whatever happens there."""

    def __init__(self, device: Device, on_report: OnReport) -> None:
        assert device.row.plugin is not None
        self.device, self.on_report = device, on_report
        self.leaving = self.ending = False
        self.process = begin(command(OWN_WINDOWS[device.row.plugin.format]))
        self._send(Open(device))
        self.thread = threading.Thread(target=self._read, name="plugin window", daemon=True)
        self.thread.start()

    def set(self, device: Device, tell: bool = True) -> None:
        """Where the controls stand now. Not given is what the window itself has moved: meanwhile the user is
        further on, and would be pulled back."""
        if device is not self.device:
            self.device = device
            if tell:
                self._send(SetDevice(device))

    def show_positions(self, positions: dict[str, float]) -> None:
        """Where lanes have its controls now."""
        self._send(SetPositions(positions))

    def leave(self) -> None:
        """Let it close by itself."""
        self.leaving = True
        self._send(Leave())

    def _send(self, command: Command) -> None:
        assert self.process.stdin is not None
        with contextlib.suppress(OSError, ValueError):  # it is gone: the reader says
            pickle.dump(command, self.process.stdin)
            self.process.stdin.flush()

    def _read(self) -> None:
        assert self.process.stdout is not None
        whole = False  # it came to an end of its own
        with contextlib.suppress(EOFError, OSError, ValueError, pickle.UnpicklingError):
            while True:
                report: Report = pickle.load(self.process.stdout)
                whole = whole or isinstance(report, (LastState, WindowFailure))
                self.on_report(report)
        if not whole and not self.ending:
            what = "The plugin's window has closed. The sound continues."
            self.on_report(WindowFailure(Failure(what, self.device.name, "Open it again.")))
        self.on_report(Closed())

    def close(self) -> None:
        """End it; what was moved there has been given."""
        self.leave()
        with contextlib.suppress(subprocess.TimeoutExpired):
            self.process.wait(timeout=CLOSE_TIMEOUT_S)
        self.ending = True
        kill(self.process)
        if self.thread is not threading.current_thread():
            self.thread.join(timeout=CLOSE_TIMEOUT_S)
        shut(self.process, self.thread)
