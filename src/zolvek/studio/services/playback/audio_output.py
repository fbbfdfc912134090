# SPDX-License-Identifier: GPL-3.0-or-later
"""Sound out: Qt's default output where there is one, else the silent clock."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QIODevice, QObject

from zolvek.sound.playback.internal_transport import OwnTransport
from zolvek.sound.playback.playback import Playback
from zolvek.sound.playback.silent_clock import SilentClock

if TYPE_CHECKING:
    from PyQt6.QtMultimedia import QAudioSink

FRAME_BYTES = 8  # two float32
BUFFER_FRAMES = 2_048


class PlaybackDevice(QIODevice):
    """What the audio sink reads from."""

    def __init__(self, playback: Playback, parent: QObject) -> None:
        super().__init__(parent)
        self.playback = playback

    def readData(self, maxlen: int) -> bytes:
        frames = min(maxlen // FRAME_BYTES, BUFFER_FRAMES)
        return self.playback.pull(frames).tobytes() if frames > 0 else b""

    def writeData(self, data: object) -> int:
        return -1

    def bytesAvailable(self) -> int:
        return BUFFER_FRAMES * FRAME_BYTES + super().bytesAvailable()


def output_names() -> list[str]:
    """The audio outputs there are."""
    try:
        from PyQt6.QtMultimedia import QMediaDevices
    except ImportError:
        return []
    return [device.description() for device in QMediaDevices.audioOutputs()]


class AudioOut(OwnTransport):
    """`silent` says whether there is no sound device; time is kept all the same."""

    def __init__(self, playback: Playback, parent: QObject, device: str = "", buffer_frames: int = 2_048) -> None:
        self.playback, self.parent = playback, parent
        self.device, self.buffer_frames = device, buffer_frames
        self.pace: SilentClock | None = None
        self.sink = self._sink()
        if self.sink is None:
            self.pace = SilentClock(playback)
            self.pace.start()

    @property
    def silent(self) -> bool:
        """Whether there is no audio device."""
        return self.sink is None

    def _sink(self) -> QAudioSink | None:
        """The output of that name, else the default one, started; None without one, or without its libraries."""
        try:
            from PyQt6.QtMultimedia import QAudioFormat, QAudioSink, QMediaDevices
        except ImportError:
            return None
        wanted = QAudioFormat()
        wanted.setSampleRate(self.playback.rate)
        wanted.setChannelCount(2)
        wanted.setSampleFormat(QAudioFormat.SampleFormat.Float)
        named = [item for item in QMediaDevices.audioOutputs() if item.description() == self.device]
        device = named[0] if named else QMediaDevices.defaultAudioOutput()
        if device.isNull() or not device.isFormatSupported(wanted):
            return None
        self.source = PlaybackDevice(self.playback, self.parent)
        self.source.open(QIODevice.OpenModeFlag.ReadOnly | QIODevice.OpenModeFlag.Unbuffered)
        sink = QAudioSink(device, wanted, self.parent)
        sink.setBufferSize(self.buffer_frames * FRAME_BYTES)
        sink.start(self.source)
        return sink

    def close(self) -> None:
        """Close the device."""
        if self.pace:
            self.pace.close()
        if self.sink:
            self.sink.stop()
