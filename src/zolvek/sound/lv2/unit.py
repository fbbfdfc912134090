"""A hosted LV2 plugin as a device of a track: notes at their frame, parameters every 64 frames and at every
jump, cut on a grid of the song's own frames."""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Floats, Ints
from zolvek.core.model.plugin import Plugin, fitted
from zolvek.core.model.project import Device
from zolvek.sound.controls import Controls
from zolvek.sound.lv2 import mark
from zolvek.sound.lv2.instance import BLOCK, Instance
from zolvek.sound.lv2.world import described
from zolvek.sound.unit import Incoming, Played

NOTE_ON, NOTE_OFF, ALL_OFF = 0x90, 0x80, (0xB0, 123, 0)


class LvUnit:
    """Raises ZolvekError where the plugin can't be started."""

    spacing = BLOCK

    def __init__(self, device: Device, rate: int) -> None:
        assert device.row.plugin is not None
        self.there = described(device.row.plugin.uri)
        assert self.there.plugin is not None
        self.plugin: Plugin = fitted(device.row.plugin, self.there.plugin)
        self.device, self.rate = device.id, rate
        with mark.phase(device.id, mark.STARTING):
            self.made = self._both()
        self.ends: list[
            tuple[float, int]
        ] = []  # seconds of the renderer's clock, and the pitch that ends
        self.off = False  # all keys go up with the next frame
        self.set: dict[str, float] = {}  # what still parameters were set to
        self.latency = 0
        if self.plugin.latency >= 0:
            self._ask_latency(device)

    def _both(self) -> list[Instance]:
        """One instance; two where it is mono, for two sides. Its controls are at their defaults, which
        those keep that the project does not know."""
        plugin, there = self.plugin, self.there
        assert there.plugin is not None
        mono = len(plugin.inputs) == 1 and len(plugin.outputs) == 1
        made = [Instance(plugin, self.rate) for _ in range(2 if mono else 1)]
        for key, binding in there.plugin.ports.items():
            for instance in made:
                value = np.asarray(there.parameter(key).default)
                instance.controls[binding.index] = float(binding.port(value, self.rate))
        return made

    def _ask_latency(self, device: Device) -> None:
        """A run over no frames is how a plugin is asked for it (LV2 core, reportsLatency)."""
        for key, binding in self.plugin.ports.items():
            value = device.parameter(key).value(device.position(key))
            for instance in self.made:
                instance.controls[binding.index] = float(binding.port(value, self.rate))
        with mark.phase(self.device, mark.STARTING):
            for instance in self.made:
                instance.run(0, [])
        self.latency = self.made[0].latency

    def release_all(self, now: float) -> None:
        self.ends, self.off = [], True

    def release(self, pitch: int, now: float) -> None:
        self.ends = [(min(end, now) if each == pitch else end, each) for end, each in self.ends]

    def play(self, block: Incoming) -> Played:
        stretch = block.controls.stretch
        controls = Controls(
            block.controls.device, block.controls.lanes, stretch, BLOCK, block.frame
        )
        ports, values = self._set_all(controls)
        messages = self._messages(block, stretch.frames)
        bounds = [*controls.cuts.tolist(), stretch.frames]
        out = np.zeros((2, stretch.frames), np.float32)
        sound = self._incoming(block.sound)
        with mark.phase(self.device, mark.PLAYING):
            for side, instance in enumerate(self.made):
                told = out if len(self.made) == 1 else out[side : side + 1]
                given = sound if len(self.made) == 1 else sound[side : side + 1]
                self._through(instance, given, told, bounds, ports, values, messages)
        if not np.isfinite(out).all():
            out = np.nan_to_num(out, nan=0.0, posinf=0.0, neginf=0.0)
            self._begin_anew()
        instrument = block.controls.device.role == "instrument"
        return Played(block.sound + out if instrument else out.astype(float))

    def _incoming(self, sound: Floats) -> np.ndarray:
        """What its inputs are given, float32: a single one of a stereo plugin takes the mean of two sides."""
        single = len(self.plugin.inputs) == 1 and len(self.made) == 1
        return (sound.mean(axis=0, keepdims=True) if single else sound).astype(np.float32)

    def _through(
        self, instance: Instance, sound: np.ndarray, out: np.ndarray, bounds: list[int],
        ports: Ints, values: np.ndarray, messages: list[tuple[int, bytes]],
    ) -> None:  # fmt: skip
        """One instance over a stretch, from cut to cut."""
        plugin, audio, controls = self.plugin, instance.audio, instance.controls
        inputs = [
            (audio[index], sound[min(n, len(sound) - 1)])
            for n, index in enumerate(plugin.inputs[:2])
        ]
        last_out = len(plugin.outputs) - 1
        outputs = [(row, audio[plugin.outputs[min(n, last_out)]]) for n, row in enumerate(out)]
        at = 0
        for place, first in enumerate(bounds[:-1]):
            last = bounds[place + 1]
            count = last - first
            if ports.size:
                controls[ports] = values[place]
            for row, source in inputs:
                row[:count] = source[first:last]
            own = []
            while at < len(messages) and messages[at][0] < last:
                own.append((messages[at][0] - first, messages[at][1]))
                at += 1
            instance.run(count, own)
            for row, source in outputs:
                row[first:last] = source[:count]

    def _begin_anew(self) -> None:
        """It has given what is no sound: another one in its place."""
        for instance in self.made:
            instance.close()
        self.made, self.set, self.ends = self._both(), {}, []

    def _set_all(self, controls: Controls) -> tuple[Ints, np.ndarray]:
        """Still parameters set, where they have changed; the ports of moving ones, and their values, a row
        for each cut."""
        ports, moving = [], []
        for key, binding in self.plugin.ports.items():
            values = controls.values(key)
            if len(values) > 1:
                ports.append(binding.index)
                moving.append(binding.port(values, self.rate))
                self.set.pop(key, None)
                continue
            value = float(values[0])
            if self.set.get(key) != value:
                self.set[key] = value
                port = float(binding.port(np.array([value]), self.rate)[0])
                for instance in self.made:
                    instance.controls[binding.index] = port
        if not ports:
            return np.empty(0, np.intp), np.empty((0, 0))
        return np.array(ports, np.intp), np.stack(moving, axis=1).astype(np.float32)

    def _messages(self, block: Incoming, frames: int) -> list[tuple[int, bytes]]:
        """Keys that go down and up in a stretch, at its frames; up before down where both are at once."""
        found: list[tuple[int, int, bytes]] = []
        if self.off:
            found.append((0, 0, bytes(ALL_OFF)))
            self.off = False
        for note, after, seconds in block.notes:
            frame = min(max(round(after * self.rate), 0), frames - 1)
            strength = min(max(round(note.strength * 127), 1), 127)
            found.append((frame, 2, bytes((NOTE_ON, note.pitch, strength))))
            self.ends.append((block.now + after + seconds, note.pitch))
        still = []
        for end, pitch in self.ends:
            frame = round((end - block.now) * self.rate)
            if frame < frames:
                found.append((max(frame, 0), 1, bytes((NOTE_OFF, pitch, 0))))
            else:
                still.append((end, pitch))
        self.ends = still
        return [(frame, data) for frame, _, data in sorted(found, key=lambda row: row[:2])]
