# SPDX-License-Identifier: GPL-3.0-or-later
"""A hosted plugin as a device of a track: notes at their frame, parameters every 64 frames and at every jump,
cut on a grid of the song's own frames."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple, Protocol

import numpy as np

from zolvek.core.arrays import Floats, Ints
from zolvek.core.model.device_kind import DeviceKind, DeviceRole
from zolvek.core.model.plugin import Plugin
from zolvek.core.model.project import Device
from zolvek.sound.hosting.plugin import work_mark
from zolvek.sound.hosting.plugin.control_events import BLOCK_FRAMES, Driver
from zolvek.sound.hosting.plugin.midi_parameters import MidiDriver
from zolvek.sound.hosting.plugin.note_events import Keys, in_order
from zolvek.sound.signal.automation import Controls
from zolvek.sound.signal.device_unit import Incoming, UnitOutput
from zolvek.sound.signal.new_note import Message
from zolvek.sound.signal.song_position import SongPosition

LONGEST_LATENCY_S = 10.0  # seconds
MOST_OUTPUTS = 32


class Stretch(NamedTuple):
    """What an instance is given for a stretch: float32 sound (sides, frames), of a side-chain too or None;
    where to write its own; the frames at which it is cut; the ports that move, and their values, a row for
    each cut; messages at their frames; and where the song is, at the beginning and after each jump. `more`: where to
    write outputs beyond left and right (outputs, frames); `given`: where to add the messages that it gives."""

    sound: np.ndarray
    side: np.ndarray | None
    out: np.ndarray
    bounds: list[int]
    ports: Ints
    values: Floats
    messages: list[Message]
    positions: list[SongPosition]
    more: np.ndarray
    given: list[Message]


class Instance(Protocol):
    """A plugin that has been made, by one of the hosts."""

    def set(self, values: list[tuple[int, float]]) -> None:
        """Ports to values of theirs."""

    def begin(self, values: list[tuple[int, float]]) -> None:
        """Set its ports and let it begin: it knows then how late it is."""

    @property
    def latency(self) -> int:
        """Frames by which its sound is late."""
        ...

    def through(self, stretch: Stretch) -> None:
        """Run a stretch through the plugin."""
        ...

    def begin_again(self) -> bool:
        """Release what it holds of sound; False where it can't."""

    def close(self) -> None:
        """End the plugin."""
        ...


class HostedUnit:
    """`there`: the plugin as it is installed; `plugin`: as the project has it, fitted to that; `make` makes an
    instance, at its defaults. Raises ZolvekError where it can't."""

    spacing = BLOCK_FRAMES

    def __init__(
        self, device: Device, there: DeviceKind, plugin: Plugin, rate: int, make: Callable[[], Instance]
    ) -> None:
        self.device, self.there, self.plugin, self.rate, self.make = (
            device.id, there, plugin, rate, make,
        )  # fmt: skip
        self.last = device  # as it was played last
        self._forget()
        self.made = self._all(device)

    @property
    def latency(self) -> int:
        """As the plugin says itself, now."""
        return min(self.made[0].latency, round(LONGEST_LATENCY_S * self.rate))

    def _forget(self) -> None:
        self.keys = Keys(self.rate)
        self.driver = Driver(self.plugin, self.rate, self.there)
        self.midi_driver = MidiDriver(self.last.row)

    def _all(self, device: Device) -> list[Instance]:
        """One instance; two where it is mono, for two sides."""
        mono = len(self.plugin.inputs) == 1 and len(self.plugin.outputs) == 1
        with work_mark.phase(self.device, work_mark.STARTING):
            instances = [self.make() for _ in range(2 if mono else 1)]
            for instance in instances:
                instance.begin(self.driver.present(device))
        return instances

    def release_all(self, now: float) -> None:
        """All keys up."""
        self.keys.release_all()

    def release(self, pitch: int, now: float) -> None:
        """A key up."""
        self.keys.release(pitch, now)

    def begin_again(self) -> bool:
        """As if it had just been made: what rings on is gone. Not all let themselves be reset."""
        self._forget()
        with work_mark.phase(self.device, work_mark.STARTING):
            for instance in self.made:
                instance.set(self.driver.present(self.last))
            return all(instance.begin_again() for instance in self.made)

    def play(self, block: Incoming) -> UnitOutput:
        """The block through the plugin."""
        device, stretch = block.controls.device, block.controls.stretch
        self.last = device
        controls = Controls(device, block.controls.lanes, stretch, BLOCK_FRAMES)
        to_set, ports, values = self.driver.still(controls)
        keys = self.keys.messages(block.notes, block.now, stretch.frames)
        messages = in_order(self.midi_driver.messages(controls), keys, list(block.messages))
        given: list[Message] = []
        more = np.zeros((len(self.plugin.outputs[2:MOST_OUTPUTS]), stretch.frames), np.float32)
        bounds, positions = [*controls.cuts.tolist(), stretch.frames], stretch.positions
        out = np.zeros((2, stretch.frames), np.float32)
        twice = len(self.made) > 1
        sound = self._taken(block.sound, len(self.plugin.inputs), twice)
        side = None if block.side is None else self._taken(block.side, len(self.plugin.side), False)
        with work_mark.phase(self.device, work_mark.PLAYING):
            for which, instance in enumerate(self.made):
                channels = slice(which, which + 1) if twice else slice(None)
                instance.set(to_set)
                instance.through(
                    Stretch(
                        sound[channels], side, out[channels], bounds, ports, values, messages, positions, more, given
                    )
                )
        if not (np.isfinite(out).all() and np.isfinite(more).all()):
            out = np.nan_to_num(out, nan=0.0, posinf=0.0, neginf=0.0)
            more = np.nan_to_num(more, nan=0.0, posinf=0.0, neginf=0.0)
            self._remake(device)
        adds = device.role != DeviceRole.EFFECT  # what comes in goes on
        return UnitOutput(
            block.sound + out if adds else out.astype(float),
            None,
            given if self.plugin.midi_out >= 0 else None,
            more.astype(float) if len(more) else None,
        )

    def _taken(self, sound: Floats, inputs: int, twice: bool) -> np.ndarray:
        """What inputs are given, float32: a single one takes the mean of two sides."""
        single = inputs == 1 and not twice
        return (sound.mean(axis=0, keepdims=True) if single else sound).astype(np.float32)

    def close(self) -> None:
        """End the plugin."""
        with work_mark.phase(self.device, work_mark.STARTING):
            for instance in self.made:
                instance.close()

    def _remake(self, device: Device) -> None:
        """It has given what is not sound: another one in its place."""
        self.close()
        self._forget()
        self.made = self._all(device)
        self.driver.forget()
