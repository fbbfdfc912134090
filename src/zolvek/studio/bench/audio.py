"""Sound out: Qt's default output where there is one, else the silent clock."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from PyQt6.QtCore import QIODevice, QObject

from zolvek.sound.playback import Playback
from zolvek.sound.silent_clock import SilentClock

if TYPE_CHECKING:
    from PyQt6.QtMultimedia import QAudioSink

FRAME_BYTES = 8  # two float32
BUFFER_FRAMES = 2_048
BEGINS = 0.1  # seconds from an order to play to the first sound


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


class AudioOut(QObject):
    """A Transport of sound.transport: the playback itself. `silent` tells whether there is no sound device; time
    is kept all the same."""

    shared = steered = False

    def __init__(self, playback: Playback, parent: QObject) -> None:
        super().__init__(parent)
        self.playback = self.clock = playback
        self.pace: SilentClock | None = None
        self.sink = self._sink()
        if self.sink is None:
            self.pace = SilentClock(playback)
            self.pace.start()

    @property
    def silent(self) -> bool:
        return self.sink is None

    def _sink(self) -> QAudioSink | None:
        """The default output, started; None where there is none or its libraries are missing."""
        try:
            from PyQt6.QtMultimedia import QAudioFormat, QAudioSink, QMediaDevices
        except ImportError:
            return None
        wanted = QAudioFormat()
        wanted.setSampleRate(self.playback.rate)
        wanted.setChannelCount(2)
        wanted.setSampleFormat(QAudioFormat.SampleFormat.Float)
        device = QMediaDevices.defaultAudioOutput()
        if device.isNull() or not device.isFormatSupported(wanted):
            return None
        self.source = PlaybackDevice(self.playback, self)
        self.source.open(QIODevice.OpenModeFlag.ReadOnly | QIODevice.OpenModeFlag.Unbuffered)
        sink = QAudioSink(device, wanted, self)
        sink.setBufferSize(BUFFER_FRAMES * FRAME_BYTES)
        sink.start(self.source)
        return sink

    def start(self, beat: float, clicks: int = 0) -> None:
        self.playback.play(beat, clicks)

    def start_at(self, beat: float, moment: float) -> None:
        tempo = self.playback.project.tempo
        late = time.perf_counter() + BEGINS - moment
        self.playback.play(max(float(tempo.beats(float(tempo.seconds(beat)) + late)), 0.0))

    def set_speed(self, speed: float) -> None:
        """It goes as fast as the device does."""

    def stop(self) -> None:
        self.playback.stop()

    def locate(self, beat: float) -> None:
        if self.playback.playing:
            self.playback.play(beat)

    def set_loop(self, span: tuple[float, float] | None) -> None:
        self.playback.set_loop(span)

    def edited(self) -> None:
        """The playback goes on with it by itself."""

    def close(self) -> None:
        if self.pace:
            self.pace.close()
        if self.sink:
            self.sink.stop()
