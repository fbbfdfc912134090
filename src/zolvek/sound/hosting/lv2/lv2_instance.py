# SPDX-License-Identifier: GPL-3.0-or-later
"""One running LV2 plugin: its buffers, its events, its controls, and what it asks of its host."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np

from zolvek.core.errors import ZolvekError
from zolvek.core.model.plugin import Plugin
from zolvek.sound.hosting.lv2 import event_buffers
from zolvek.sound.hosting.lv2.event_buffers import EVENTS_BYTES
from zolvek.sound.hosting.lv2.host_features import Services, within_reach
from zolvek.sound.hosting.lv2.lilv import loaded, urids
from zolvek.sound.hosting.lv2.lv2_world import ATOM, LV2, World, world_of
from zolvek.sound.hosting.lv2.patch_events import file_events, patch_port
from zolvek.sound.hosting.lv2.time_events import designated, position_event, time_port
from zolvek.sound.hosting.plugin.cleared_memory import settled
from zolvek.sound.hosting.plugin.control_events import BLOCK_FRAMES
from zolvek.sound.hosting.plugin.note_events import between
from zolvek.sound.hosting.plugin.plugin_unit import MOST_OUTPUTS, Stretch
from zolvek.sound.signal.new_note import Message
from zolvek.sound.signal.song_position import SongPosition

BUFFER_SIZE = f"{LV2}ext/buf-size#"
WORKER = f"{LV2}ext/worker#"
SUCCESS, NO_SPACE = 0, 3  # LV2_Worker_Status


class Instance:
    """Instantiated, from its bundle; `begin` makes it active. `controls`: float32, one for each port of the plugin, in
    its own counting;
    writing there is all it takes to set one. `seed`: what its randomness begins with; `state`: what it was
    given beyond its ports, as Turtle. Raises ZolvekError where it can't be made."""

    def __init__(
        self,
        plugin: Plugin,
        bundle: Path,
        rate: int,
        seed: str = "",
        state: str = "",
        files: dict[str, str] | None = None,
    ) -> None:
        with settled(seed):
            self._begin(plugin, bundle, rate, state, files or {})

    def _begin(self, plugin: Plugin, bundle: Path, rate: int, state: str, files: dict[str, str]) -> None:
        self.ffi, self.lib = loaded()
        self.plugin, self.bundle, self.rate = plugin, bundle, rate
        world = world_of(bundle)
        this_plugin = world.plugin(plugin.uri)
        count = self.lib.lilv_plugin_get_num_ports(this_plugin)
        self.controls = np.zeros(count, np.float32)
        self.audio = np.zeros((count, BLOCK_FRAMES), np.float32)
        # Its rows in the order of the ports: inputs, outputs, all others.
        taken = (*plugin.inputs[:2], *plugin.side[:2])
        self.into = self.audio[: len(taken)]
        given = plugin.outputs[:MOST_OUTPUTS]
        self.come = self.audio[len(taken) :][: len(given)]
        first = (*taken, *given)
        rest = [index for index in range(count) if index not in first]
        self.rows_of = {index: row for row, index in enumerate((*first, *rest))}
        self.events: dict[int, np.ndarray] = {}  # of every atom port, in and out
        self.written_events: list[np.ndarray] = []  # of those that it writes
        self.wanted = file_events(files)  # for its next run
        self.waiting: list[bytes] = []  # what it wants done aside, done right after its run
        self.answers: list[bytes] = []
        self.services = Services(bundle, plugin.uri)
        self.features = self._features()
        self.made = self.lib.lilv_plugin_instantiate(this_plugin, float(rate), self.features)
        if self.made == self.ffi.NULL:
            raise ZolvekError("The plugin can't be started.", plugin.uri, "Use another one.")
        self.descriptor, self.handle = self.made.lv2_descriptor, self.made.lv2_handle
        self.run_, self.worker = self.descriptor.run, self._worker()
        self._connect(world, this_plugin, count)
        self.notes = self.events.get(plugin.events)
        self.timed = self.events.get(time_port(world, this_plugin, count))  # takes the song's position
        self.patched = self.events.get(patch_port(world, this_plugin, count))  # takes what is asked of it
        self.given = self.events.get(plugin.midi_out)
        self.timed_ports = designated(world, this_plugin, count)
        self.taking: list[np.ndarray] = []  # buffers that are written here, each once
        for taker in (self.notes, self.timed, self.patched):
            if taker is not None and not any(taker is other for other in self.taking):
                self.taking.append(taker)
        self.filled: list[np.ndarray] = []  # those of them that were not empty in the last run
        state = within_reach(state, bundle, plugin.uri)
        world.restore(self.made, plugin.uri, state, self.features)
        self.active = False

    def begin(self, values: list[tuple[int, float]]) -> None:
        """Values come before activation: some plugins take what they find then. A block of silence says how late it
        is, and is forgotten."""
        self.set(values)
        self._activate(True)
        self.audio[:] = 0.0
        if self.plugin.latency >= 0:
            self.run(BLOCK_FRAMES, [])
            self.begin_again()

    def _activate(self, on: bool) -> None:
        step = self.descriptor.activate if on else self.descriptor.deactivate
        if on != self.active and step != self.ffi.NULL:
            step(self.handle)
        self.active = on

    # --- inputs ---

    def _features(self) -> Any:
        ffi, numbers = self.ffi, urids()
        self.numbers = ffi.new("int32_t[]", [1, BLOCK_FRAMES, EVENTS_BYTES, BLOCK_FRAMES])
        self.float_rate = ffi.new("float*", float(self.rate))
        number, real = numbers.of(f"{ATOM}Int"), numbers.of(f"{ATOM}Float")
        rows = [
            (f"{BUFFER_SIZE}minBlockLength", number, 4, self.numbers),
            (f"{BUFFER_SIZE}maxBlockLength", number, 4, self.numbers + 1),
            (f"{BUFFER_SIZE}sequenceSize", number, 4, self.numbers + 2),
            (f"{BUFFER_SIZE}nominalBlockLength", number, 4, self.numbers + 3),
            (f"{LV2}ext/parameters#sampleRate", real, 4, self.float_rate),
        ]
        self.options = ffi.new("LV2_Options_Option[]", len(rows) + 1)
        for index, (key, kind, size, value) in enumerate(rows):
            self.options[index] = (0, 0, numbers.of(key), size, kind, ffi.cast("void*", value))

        @ffi.callback("int(void*, uint32_t, const void*)")
        def schedule(_: Any, size: int, data: Any) -> int:
            self.waiting.append(bytes(ffi.buffer(data, size)))
            return SUCCESS

        @ffi.callback("int(void*, uint32_t, const void*)")
        def answer(_: Any, size: int, data: Any) -> int:
            self.answers.append(bytes(ffi.buffer(data, size)))
            return SUCCESS

        self.callbacks = schedule, answer
        self.schedule = ffi.new("LV2_Worker_Schedule*", {"schedule_work": schedule})
        written_events = {
            f"{LV2}ext/urid#map": numbers.map,
            f"{LV2}ext/urid#unmap": numbers.unmap,
            f"{LV2}ext/options#options": self.options,
            f"{WORKER}schedule": self.schedule,
            f"{BUFFER_SIZE}boundedBlockLength": ffi.NULL,
            f"{LV2}ext/state#loadDefaultState": ffi.NULL,
            **self.services.rows,
        }
        self.names = [ffi.new("char[]", uri.encode()) for uri in written_events]
        self.rows = [
            ffi.new("LV2_Feature*", {"URI": name, "data": ffi.cast("void*", data)})
            for name, data in zip(self.names, written_events.values(), strict=True)
        ]
        return ffi.new("LV2_Feature*[]", [*self.rows, ffi.NULL])

    def _worker(self) -> Any:
        ask = self.descriptor.extension_data
        if ask == self.ffi.NULL:
            return self.ffi.NULL
        self.asked = self.ffi.new("char[]", f"{WORKER}interface".encode())
        return self.ffi.cast("const LV2_Worker_Interface*", ask(self.asked))

    def _connect(self, world: World, found: Any, count: int) -> None:
        ffi, connect = self.ffi, self.descriptor.connect_port
        core = f"{LV2}lv2core#"
        for index in range(count):
            if world.is_a(found, index, f"{core}ControlPort"):
                pointer = ffi.cast("void*", self.controls.ctypes.data + 4 * index)
            elif world.is_a(found, index, f"{core}AudioPort") or world.is_a(found, index, f"{core}CVPort"):
                pointer = ffi.cast("void*", self.audio[self.rows_of[index]].ctypes.data)
            elif world.is_a(found, index, f"{ATOM}AtomPort"):
                buffer = np.zeros(event_buffers.words_of(world, found, index), np.int64)  # aligned as atoms are
                self.events[index] = buffer
                pointer = ffi.cast("void*", buffer.ctypes.data)
                if world.is_a(found, index, f"{core}OutputPort"):
                    self.written_events.append(buffer)
                else:
                    event_buffers.empty(buffer)
            else:
                pointer = ffi.NULL
            connect(self.handle, index, pointer)

    def set(self, values: list[tuple[int, float]]) -> None:
        """Set control ports, by symbol."""
        for port, value in values:
            self.controls[port] = value

    # --- running ---

    def through(self, stretch: Stretch) -> None:
        """From cut to cut."""
        plugin, controls = self.plugin, self.controls
        sound, side, out, messages = stretch.sound, stretch.side, stretch.out, stretch.messages
        ports, values = stretch.ports, stretch.values.astype(np.float32)
        handle, run = self.handle, self.run_
        plain = not (messages or self.written_events or self.worker != self.ffi.NULL)
        positions = list(stretch.positions) if self.timed is not None or self.timed_ports else []
        taken = [sound[min(n, len(sound) - 1)] for n in range(len(plugin.inputs[:2]))]
        taken += [
            np.zeros_like(sound[0]) if side is None else side[min(n, len(side) - 1)]
            for n in range(len(plugin.side[:2]))
        ]
        given = np.stack(taken) if taken else np.empty((0, sound.shape[1]), np.float32)
        into, come = self.into, self.come
        sides = min(come.shape[0], 2)
        more = min(len(stretch.more), come.shape[0] - sides)
        none: list[Message] = []
        at = 0
        for index, (first, last) in enumerate(pairwise(stretch.bounds)):
            count = last - first
            if ports.size:
                controls[ports] = values[index]
            into[:, :count] = given[:, first:last]
            here: list[SongPosition] = []
            while positions and positions[0].at < last:
                here.append(positions.pop(0))
                self._set_time(here[-1])
            if plain and not (here or self.filled or self.wanted):  # nothing but sound goes in and out
                run(handle, count)
            else:
                due = none
                if messages:
                    due, at = between(messages, at, first, last)
                self.run(count, due, [position_event(position, position.at - first) for position in here])
            out[:sides, first:last] = come[: min(sides, len(out)), :count]
            if more:
                stretch.more[:more, first:last] = come[sides : sides + more, :count]
            if self.given is not None:
                stretch.given.extend((first + frame, data) for frame, data in event_buffers.midi(self.given, count))
        if sides < len(out):
            out[1] = out[0]

    def _set_time(self, position: SongPosition) -> None:
        """Ports that the host sets to where the song is; none is faster than real time that knows of it."""
        for port, name in self.timed_ports.items():
            self.controls[port] = float(getattr(position, name)) if name else 0.0

    def run(self, frames: int, messages: list[tuple[int, bytes]], positions: Sequence[list[int]] = ()) -> None:
        """The next `frames`, at most BLOCK_FRAMES, of what is in `audio`; `messages`: MIDI at frames of them,
        increasing; `positions`: events that say where the song is."""
        wanted, self.wanted = self.wanted, []
        filled = []
        for buffer in self.taking:
            notes = messages if buffer is self.notes else []
            events = [*(positions if buffer is self.timed else ()), *(wanted if buffer is self.patched else ())]
            if notes or events:
                event_buffers.write(buffer, notes, events)
                filled.append(buffer)
        for buffer in self.filled:
            if not any(buffer is other for other in filled):
                event_buffers.empty(buffer)
        self.filled = filled
        for buffer in self.written_events:
            event_buffers.room(buffer)
        self.run_(self.handle, frames)
        if self.waiting and self.worker != self.ffi.NULL:
            self._work()

    def _work(self) -> None:
        """What it wanted done aside: done now, and answered."""
        ffi, worker = self.ffi, self.worker
        waiting, self.waiting = self.waiting, []
        for data in waiting:
            worker.work(self.handle, self.callbacks[1], ffi.NULL, len(data), ffi.from_buffer(data))
        answers, self.answers = self.answers, []
        for data in answers:
            if worker.work_response != ffi.NULL:
                worker.work_response(self.handle, len(data), ffi.from_buffer(data))
        if worker.end_run != ffi.NULL:
            worker.end_run(self.handle)

    def send(self, port: int, atom: bytes) -> None:
        """An atom (its head and body) for an event port, in the next run."""
        buffer = self.events.get(port)
        if buffer is not None and any(buffer is taker for taker in self.taking):
            self.wanted.append(event_buffers.event_of(atom))

    def written(self) -> list[tuple[int, list[bytes]]]:
        """The atoms that it has written in the last run, by port."""
        ports = [
            (port, buffer) for port, buffer in self.events.items() if any(buffer is b for b in self.written_events)
        ]
        return [(port, event_buffers.atoms(buffer)) for port, buffer in ports]

    @property
    def latency(self) -> int:
        """Frames that it is late by, as it says itself."""
        if self.plugin.latency < 0:
            return 0
        said = float(self.controls[self.plugin.latency])
        return int(max(said, 0.0)) if np.isfinite(said) else 0

    def begin_again(self) -> bool:
        """Deactivated and activated: what it holds of sound is released (LV2 core, activate)."""
        self._activate(False)
        self._activate(True)
        return True

    @property
    def state(self) -> str:
        """What it holds beyond its ports, as text."""
        plugin = self.plugin
        return world_of(self.bundle).kept(self.made, plugin.uri, self.features)

    def close(self) -> None:
        """End the plugin."""
        if self.made is not None:
            self._activate(False)
            self.lib.lilv_instance_free(self.made)
            self.made = None
