# SPDX-License-Identifier: GPL-3.0-or-later
"""Sound out: the machine's output, fed by a process of its own (`device_process`), or the silent clock where there is
none."""

from __future__ import annotations

import os
import shutil
import time
from collections import deque
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QSocketNotifier
from PyQt6.sip import voidptr

from zolvek.sound.playback.internal_transport import OwnTransport
from zolvek.sound.playback.playback import Playback
from zolvek.sound.playback.silent_clock import SilentClock
from zolvek.storage.python_process import begin, command, end, shut
from zolvek.studio.services.playback.device_process import PACED
from zolvek.studio.session.settings import PlaybackSettings

if TYPE_CHECKING:
    import subprocess

MODULE = "zolvek.studio.services.playback.device_process"
CLOSE_TIMEOUT_S = 0.3
MOST_LOSSES, LOSSES_WITHIN_S = 3, 60.0  # of the device's process, after which it is not started again by itself


def output_names() -> list[str]:
    """The audio outputs there are."""
    try:
        from PyQt6.QtMultimedia import QMediaDevices
    except ImportError:
        return []
    return [device.description() for device in QMediaDevices.audioOutputs()]


def may_have_outputs() -> bool:
    """Whether it is worth a look: a sound server can be reached or started, or the kernel knows a card."""
    runtime = Path(os.environ.get("XDG_RUNTIME_DIR", f"/run/user/{os.getuid()}"))
    sockets = (Path(os.environ.get("PULSE_RUNTIME_PATH", runtime / "pulse")) / "native", Path("/run/pulse/native"))
    cards = Path("/proc/asound/pcm")
    return (
        "PULSE_SERVER" in os.environ
        or any(path.exists() for path in sockets)
        or shutil.which("pulseaudio") is not None
        or (cards.exists() and "playback" in cards.read_text(errors="replace"))
    )


class AudioOut(OwnTransport):
    """`silent` says whether there is no sound device; time is kept all the same. `output`: the name of the one in
    use, "" for none, None until that is known."""

    def __init__(
        self,
        playback: Playback,
        parent: QObject,
        settings: PlaybackSettings,
        on_change: Callable[[], None] = lambda: None,
    ) -> None:
        self.playback, self.parent, self.on_change = playback, parent, on_change
        self.device, self.buffer_frames = settings.device, settings.buffer_frames
        self.pace: SilentClock | None = None
        self.process: subprocess.Popen[bytes] | None = None
        self.notifier: QSocketNotifier | None = None
        self.output: str | None = None
        self.losses: deque[float] = deque(maxlen=MOST_LOSSES)
        self._find()

    @property
    def silent(self) -> bool:
        """Whether there is no audio device."""
        return self.pace is not None

    def start(self, beat: float, clicks: int = 0) -> None:
        """Start from a beat after so many clicks; a device that has come meanwhile is used."""
        self._find()
        super().start(beat, clicks)

    def _find(self) -> None:
        if self.process is None and (self.device == PACED or may_have_outputs()):
            self._begin()
        elif self.process is None:
            self._use("")

    def _begin(self) -> None:
        words = (str(self.playback.ring.path), self.device, str(self.buffer_frames), str(self.playback.rate))
        self.process = begin(command(MODULE, *words))
        assert self.process.stdout is not None
        self.notifier = QSocketNotifier(voidptr(self.process.stdout.fileno()), QSocketNotifier.Type.Read, self.parent)
        self.notifier.activated.connect(self._read)

    def _read(self) -> None:
        assert self.process is not None and self.process.stdout is not None
        text = os.read(self.process.stdout.fileno(), 4_096).decode(errors="replace")
        if text:
            self._use(text.splitlines()[-1])
            return
        self._end()
        now = time.monotonic()
        often = len(self.losses) == MOST_LOSSES and now - self.losses[0] < LOSSES_WITHIN_S
        self.losses.append(now)
        if often:
            self._use("")
        else:
            self._begin()

    def _use(self, output: str) -> None:
        """The device's process plays through this output, or, without one, the silent clock keeps time."""
        self.output = output
        if output and self.pace is not None:
            self.pace.close()
            self.pace = None
        elif not output and self.pace is None:
            self.pace = SilentClock(self.playback)
            self.pace.start()
        self.on_change()

    def _end(self) -> None:
        if self.notifier is not None:
            self.notifier.setEnabled(False)
            self.notifier.deleteLater()
            self.notifier = None
        if self.process is not None:
            assert self.process.stdin is not None
            self.process.stdin.close()
            end(self.process, CLOSE_TIMEOUT_S)
            shut(self.process)
            self.process = None

    def close(self) -> None:
        """Close the device."""
        if self.pace:
            self.pace.close()
        self._end()
