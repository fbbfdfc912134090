# SPDX-License-Identifier: GPL-3.0-or-later
"""How devices sound: one registry for all of them.

`make(device, rate)` gives what a device does to the sound of its track. An effect changes what comes in;
an instrument adds its own; one that nobody here can play, such as a described plugin, lets the sound pass.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Protocol
from zlib import crc32

from zolvek.core.arrays import Floats
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Device
from zolvek.core.model.source import Note
from zolvek.sound.effects.processors import PROCESSORS, Processor
from zolvek.sound.instruments.drums import Drums
from zolvek.sound.instruments.synth import NewNote, Synth
from zolvek.sound.signal.automation import COARSE, FINE_FRAMES, Controls
from zolvek.sound.signal.device_unit import Incoming, Unit, UnitOutput
from zolvek.sound.signal.new_note import LIVE_NOTE_S, Message


class Instrument(Protocol):
    def play(self, notes: list[NewNote], controls: Controls, now: float) -> Floats:
        """The sound of a stretch, float64 (2, frames)."""
        ...

    def release_all(self, now: float) -> None:
        """All keys up, at a time in seconds."""
        ...

    def release(self, pitch: int, now: float) -> None:
        """A key up, at a time in seconds."""
        ...


class Effect:
    """What comes in goes through a processor."""

    latency = 0

    def __init__(self, processor: Processor) -> None:
        self.processor, self.spacing = processor, processor.spacing

    def play(self, block: Incoming) -> UnitOutput:
        """The processed block."""
        sound = self.processor.process(block.sound, block.controls)
        return UnitOutput(sound, self.processor.sent)

    def release_all(self, now: float) -> None:
        """Nothing: an effect has no keys."""

    def release(self, pitch: int, now: float) -> None:
        """Nothing: an effect has no keys."""


class Source:
    """An instrument's sound is added to what comes in."""

    spacing, latency = FINE_FRAMES, 0

    def __init__(self, instrument: Instrument) -> None:
        self.instrument = instrument

    def play(self, block: Incoming) -> UnitOutput:
        """The sound of the block's notes, and of those that a MIDI device gives."""
        rate = block.controls.stretch.rate
        begun, ended = notes_of(block.messages, rate)
        for pitch, frame in ended:
            if pitch < 0:
                self.instrument.release_all(block.now + frame / rate)
            else:
                self.instrument.release(pitch, block.now + frame / rate)
        played = self.instrument.play([*block.notes, *begun], block.controls, block.now)
        return UnitOutput(block.sound + played)

    def release_all(self, now: float) -> None:
        """All keys up, at a time in seconds."""
        self.instrument.release_all(now)

    def release(self, pitch: int, now: float) -> None:
        """A key up, at a time in seconds."""
        self.instrument.release(pitch, now)


def notes_of(messages: Sequence[Message], rate: int) -> tuple[list[NewNote], list[tuple[int, int]]]:
    """Notes that MIDI messages of a stretch begin; and pitches of earlier ones (−1 for all) that end, at frames."""
    begun: list[NewNote] = []
    ended: list[tuple[int, int]] = []
    down: dict[int, int] = {}  # pitch -> which of `begun`
    for frame, data in messages:
        kind = data[0] & 0xF0
        if kind == NOTE_ON and data[2]:
            down[data[1]] = len(begun)
            note = Note(0.0, 1.0, data[1], data[2] / 127.0)
            begun.append(NewNote(note, frame / rate, 2.0 * LIVE_NOTE_S))
        elif kind in (NOTE_ON, NOTE_OFF):
            index = down.pop(data[1], None)
            if index is None:
                ended.append((data[1], frame))
            else:
                begun[index] = _until(begun[index], frame / rate)
        elif kind == CONTROL and data[1] in ALL_OFF:
            for index in down.values():
                begun[index] = _until(begun[index], frame / rate)
            down.clear()
            ended.append((-1, frame))
    return begun, ended


def _until(note: NewNote, end: float) -> NewNote:
    return note._replace(seconds=max(end - note.after, 0.0))


class PassThrough:
    """Sound goes through as it is."""

    spacing, latency = COARSE, 0

    def play(self, block: Incoming) -> UnitOutput:
        """The sound that comes in."""
        return UnitOutput(block.sound)

    def release_all(self, now: float) -> None:
        """Nothing to release."""

    def release(self, pitch: int, now: float) -> None:
        """Nothing to release."""


NOTE_ON, NOTE_OFF, CONTROL = 0x90, 0x80, 0xB0
ALL_OFF = (120, 123)  # controllers
Maker = Callable[[Device, int], Unit]


def _effect(device: Device, rate: int) -> Unit:
    return Effect(PROCESSORS[device.kind](device.kind, rate))


def _seed(device: Device) -> int:
    """The device's own name seeds its noise: the same at every render, and unlike others'."""
    return crc32(device.id.encode())


MAKERS: dict[str, Maker] = {
    "synth": lambda device, rate: Source(Synth(_seed(device), rate)),
    "drums": lambda device, rate: Source(Drums(_seed(device), rate)),
    **dict.fromkeys(PROCESSORS, _effect),
}


def make(device: Device, rate: int) -> Unit:
    """What the device does to sound, at `rate` frames a second."""
    if device.row.plugin is not None:
        return _hosted(device, rate)
    maker = None if device.described is not None else MAKERS.get(device.kind)
    return maker(device, rate) if maker else PassThrough()


LEFT_OUT: dict[str, str] = {}  # devices whose plugins are not run in this process, and why


def _hosted(device: Device, rate: int) -> Unit:
    """The plugin; where it is not there, or has brought a process down, sound bypasses it."""
    from zolvek.sound.hosting.catalogue import loading

    if device.id in LEFT_OUT:
        return PassThrough()
    try:
        return loading.unit(device, rate)
    except ZolvekError as error:
        LEFT_OUT[device.id] = str(error)
    except Exception as error:  # a plugin's, or of what runs it: it must not be silent for ever
        LEFT_OUT[device.id] = f"It could not be made ({type(error).__name__}: {error})."
    return PassThrough()
