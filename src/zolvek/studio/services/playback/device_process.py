# SPDX-License-Identifier: GPL-3.0-or-later
"""The process that feeds the sound device, and does nothing else: a window that stands still is not heard. Run as
`python -m zolvek.studio.services.playback.device_process RING DEVICE FRAMES RATE`.

It reports on its standard output, a line each, the name of the output in use, or an empty line where there is none.
It ends with its standard input. Where DEVICE is `PACED`, no device is opened: sound is taken at the pace of one.
"""

from __future__ import annotations

import os
import sys
import time
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QCoreApplication, QIODevice, QObject, QSocketNotifier, Qt, QTimer
from PyQt6.sip import voidptr

from zolvek.sound.processes.sound_ring import SoundReader, SoundRing
from zolvek.storage.python_process import own_output

if TYPE_CHECKING:
    from PyQt6.QtMultimedia import QAudioDevice, QAudioSink

FRAME_BYTES = 8  # two float32
PACED = "(paced)"


class RingDevice(QIODevice):
    """What the audio sink reads from."""

    def __init__(self, reader: SoundReader, frames: int, parent: QObject) -> None:
        super().__init__(parent)
        self.reader, self.frames = reader, frames

    def readData(self, maxlen: int) -> bytes:
        frames = min(maxlen // FRAME_BYTES, self.frames)
        return self.reader.pull(frames).tobytes() if frames > 0 else b""

    def writeData(self, data: object) -> int:
        return -1

    def bytesAvailable(self) -> int:
        return self.frames * FRAME_BYTES + super().bytesAvailable()


class DeviceOutput(QObject):
    """The output of that name, else the default one; another one where it goes away."""

    def __init__(self, reader: SoundReader, name: str, frames: int, rate: int) -> None:
        from PyQt6.QtMultimedia import QMediaDevices

        super().__init__()
        self.name, self.frames, self.rate = name, frames, rate
        self.source = RingDevice(reader, frames, self)
        self.source.open(QIODevice.OpenModeFlag.ReadOnly | QIODevice.OpenModeFlag.Unbuffered)
        self.sink: QAudioSink | None = None
        self.opened = b""  # the id of the device in use
        self.out = own_output()
        self.devices = QMediaDevices(self)
        self.devices.audioOutputsChanged.connect(self.open)
        self.open()

    def open(self) -> None:
        """Start the wanted output, unless it is in use."""
        from PyQt6.QtMultimedia import QAudio, QAudioFormat, QAudioSink

        wanted = QAudioFormat()
        wanted.setSampleRate(self.rate)
        wanted.setChannelCount(2)
        wanted.setSampleFormat(QAudioFormat.SampleFormat.Float)
        device = self._wanted()
        usable = not device.isNull() and device.isFormatSupported(wanted)
        key = device.id().data() if usable else b""
        if self.sink is not None:
            if key == self.opened and self.sink.error() == QAudio.Error.NoError:
                return
            self.sink.stop()
            self.sink = None
        self.opened = key
        if usable:
            self.sink = QAudioSink(device, wanted, self)
            self.sink.setBufferSize(self.frames * FRAME_BYTES)
            self.sink.start(self.source)
        self.out.write(((device.description() if usable else "") + "\n").encode())
        self.out.flush()

    def _wanted(self) -> QAudioDevice:
        named = [item for item in self.devices.audioOutputs() if item.description() == self.name]
        return named[0] if named else self.devices.defaultAudioOutput()


class PacedOutput(QObject):
    """Takes sound as a device with that buffer would."""

    def __init__(self, reader: SoundReader, frames: int, rate: int) -> None:
        super().__init__()
        self.reader, self.frames, self.rate = reader, frames, rate
        self.began, self.taken = time.monotonic(), 0
        self.timer = QTimer(self)
        self.timer.setTimerType(Qt.TimerType.PreciseTimer)
        self.timer.timeout.connect(self._take)
        self.timer.start(max(500 * frames // rate, 1))
        print(PACED, flush=True)

    def _take(self) -> None:
        due = (time.monotonic() - self.began) * self.rate
        while self.taken + self.frames <= due:
            self.taken += self.frames
            self.reader.pull(self.frames)


def main(path: str, name: str, frames: int, rate: int) -> None:
    """Play until the standard input ends."""
    app = QCoreApplication(["zolvek"])
    end = QSocketNotifier(voidptr(0), QSocketNotifier.Type.Read)
    end.activated.connect(app.quit)
    reader = SoundReader(SoundRing(Path(path)))
    output = PacedOutput(reader, frames, rate) if name == PACED else DeviceOutput(reader, name, frames, rate)
    app.exec()
    del output


if __name__ == "__main__":
    main(sys.argv[1], sys.argv[2], int(sys.argv[3]), int(sys.argv[4]))
    os._exit(0)
