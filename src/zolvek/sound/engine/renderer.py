# SPDX-License-Identifier: GPL-3.0-or-later
"""The renderer: a project as sound, from any position, a stretch at a time, the same every time."""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.model.device_kind import BYPASS, DeviceRole
from zolvek.core.model.project import Device, Project, Track
from zolvek.core.movement.evaluation.lane_evaluation import EvaluatedLane
from zolvek.sound.engine import clip_playback
from zolvek.sound.engine.alignment import Alignment, SongHistory
from zolvek.sound.engine.device_units import Units, key_of
from zolvek.sound.engine.level_guard import MIX, LevelGuard
from zolvek.sound.engine.midi_devices import MidiDevices
from zolvek.sound.engine.side_by_side import SideBySide, stands_alone
from zolvek.sound.engine.track_notes import LateNotes, TrackNotes
from zolvek.sound.engine.track_order import track_order
from zolvek.sound.signal.automation import Block, Controls, applied_lanes
from zolvek.sound.signal.device_unit import Incoming, UnitOutput
from zolvek.sound.signal.mixing import smoothed
from zolvek.sound.signal.new_note import Message, NewNote

RATE = 48_000

NO_MESSAGES: list[Message] = []
SETTLED = 1e-9  # of a bypass that goes over: less is heard as nothing


class Renderer:
    """Renders from `seek`'s place on. Effects and voices keep their state between stretches,
    and through `use`, which swaps the project for an edited one.

    Time inside is counted in frames from the project's start at the current tempo map, and in
    `clock`, frames rendered in all, which goes on through loops and jumps.
    """

    def __init__(
        self,
        project: Project,
        rate: int = RATE,
        bypass: bool = False,
        before: Renderer | None = None,
    ) -> None:
        """`before`: one that no longer plays; the plugins it has made begin again here."""
        self.rate, self.bypass = rate, bypass
        self.frame = self.clock = 0
        self.units = Units(rate)
        self.notes = TrackNotes()
        self.history = SongHistory()
        self.reserve = 0  # frames that all is late by at least
        self.late: dict[str, list[int]] = {}  # by track, as in `_plan`
        self.faults = 0  # frames that were not numbers
        self.later = LateNotes()
        self.sides: dict[str, Floats] = {}  # of tracks that side-chains listen to, what they play now
        self.outputs: dict[str, Floats] = {}  # of devices, their outputs beyond left and right now
        self.after: dict[str, int] = {}  # of each device, how late its sound is after it
        self.midi = MidiDevices(self.units)
        self.side_by_side = SideBySide()
        self.wets: dict[str, float] = {}  # of each device, where its bypass has got to
        self.gains: dict[str, float] = {}  # of each track, where its muting has got to
        self.aligned = Alignment()
        self.guard: LevelGuard = LevelGuard(rate, before.guard if before is not None else None)
        self.levels: dict[str, float] = {}  # each track's highest sample in the last stretch
        self.keeps = False  # whether tracks are wanted by themselves
        self.kept: dict[str, Floats] = {}  # what each gave to the last stretch
        self.given: dict[str, Floats] = {}  # what goes into a track in place of its clips, from the first frame
        if before is not None and before.rate == rate:
            self.units.take_over(before.units)
        self.use(project)

    def use(self, project: Project) -> None:
        """Go on with an edited project; the place in beats stays."""
        beat = self.beat if hasattr(self, "project") else 0.0
        self.project = project
        self.lanes = applied_lanes(project, self.bypass)
        self.frame = self.frame_of(beat)
        self.notes.use(project)
        self.listened = {d.side_chain for t in project.tracks for d in t.devices}
        self.order = track_order(project.tracks)
        hosted = [d for t in project.tracks for d in t.devices if d.row.plugin is not None]
        self.aligned.always = bool(hosted)
        self._keep([d for t in project.tracks for d in t.devices])

    @property
    def beat(self) -> float:
        """The beat of the next frame."""
        return float(self.project.tempo.beats(self.frame / self.rate))

    def frame_of(self, beat: float) -> int:
        """The song frame of a beat."""
        return round(float(self.project.tempo.seconds(beat)) * self.rate)

    def seek(self, beat: float, goes_on: bool = False) -> None:
        """Go on from `beat`; what sounds is released and dies away. `goes_on`: what is late still comes, as at the end
        of a loop."""
        self.release_all()
        if not goes_on:
            self.aligned.forget()
            self.history.forget()
            self.later.clear()
        self.notes.chase()
        self.frame = self.frame_of(beat)

    def prepare(self) -> int:
        """Make all devices; the frames that what comes out is late by."""
        for track in self.project.tracks:
            for device in track.devices:
                if device.row.plugin is not None:
                    self.units.of(device)
        return self._plan()[1]

    @property
    def heard(self) -> tuple[int, float]:
        """The song's frame and beat of what comes out next: behind `frame`, where devices are late."""
        late = min(self.aligned.late, len(self.history.song))
        if not late:
            return self.frame, self.beat
        return int(self.history.song[-late]), float(self.history.beats[-late])

    def unbroken(self, frames: int) -> int:
        """How many of the next frames that come out go on in the song from one to the next."""
        return self.history.unbroken(min(self.aligned.late, len(self.history.song)), frames)

    def _keep(self, devices: list[Device]) -> None:
        """Nothing is kept of other devices."""
        self.units.keep({key_of(device) for device in devices})
        ids = {device.id for device in devices}
        self.wets = {key: wet for key, wet in self.wets.items() if key in ids}
        self.later.keep(ids)
        self.guard.keep(ids)

    def press(self, track: str, pitch: int, strength: float) -> None:
        """A key of a track's instrument down, by hand: heard with the next stretch, until it is let up."""
        self.notes.press(track, pitch, strength)

    def let_up(self, track: str, pitch: int) -> None:
        """A key up by hand."""
        self.notes.let_up(track, pitch)
        for this_track in self.project.tracks:
            for device in this_track.devices if this_track.id == track else ():
                self.units.of(device).release(pitch, self.clock / self.rate)

    def release_all(self) -> None:
        """All keys up; what sounds dies away."""
        self.units.release_all(self.clock / self.rate)

    def render(self, frames: int) -> Floats:
        """The next `frames` of the mix: float64 (2, frames), not limited."""
        first = self.frame
        beats = self.project.tempo.beats((first + np.arange(frames + 1)) / self.rate)
        mix, sends = np.zeros((2, frames)), np.zeros((2, frames))
        self.sides.clear()
        self.outputs.clear()
        late, total = self._plan()
        self.late = late
        self.aligned.late = total
        self.history.add(first, beats[:-1], total)
        self._block(0)  # which all tracks share
        plain = max((late[t.id][-1] for t in self.order if not t.takes_sends), default=0)
        until = float(beats[-1])
        begun = self.side_by_side.begin(
            [t for t in self.order if stands_alone(t)], frames, lambda t: self._track(t, late[t.id], until, sends)
        )
        for track in self.order:
            future = begun.get(track.id)
            sound, sent = future.result() if future is not None else self._track(track, late[track.id], until, sends)
            if track.id in self.listened:
                self.sides[track.id] = sound
            for at, part in sent:
                sends += self.aligned.line(track.id, "sent", plain - at, part)
            sound = self.aligned.line(track.id, "sound", total - late[track.id][-1], sound)
            mix += sound
            if self.keeps:
                self.kept[track.id] = sound
            self.levels[track.id] = float(np.abs(sound).max(initial=0.0))
        self.frame += frames
        self.clock += frames
        return self.guard.checked(MIX, self._finite(mix))

    def _finite(self, mix: Floats) -> Floats:
        """What goes out is sound: what is not a number is silent, and counted."""
        wrong = ~np.isfinite(mix)
        if wrong.any():
            self.faults += int(wrong.any(axis=0).sum())
            mix = np.where(wrong, 0.0, mix)
            for key, rows in self.kept.items():
                self.kept[key] = np.nan_to_num(rows, nan=0.0, posinf=0.0, neginf=0.0)
            self.levels = {k: v if np.isfinite(v) else 0.0 for k, v in self.levels.items()}
        return mix

    def _plan(self) -> tuple[dict[str, list[int]], int]:
        """For each track the frames that its sound is late by before each of its devices, and after the last; and
        what all is late by. What takes in sends begins when they have come, and a device with a side-chain waits for
        that. It never gets less while it plays: sound would be lost."""
        late: dict[str, list[int]] = {}
        sent = 0  # when all sends have come
        for track in self.order:
            now = self._begins(track, sent)
            rows = []
            for device in track.devices:
                side = late.get(device.side_chain)
                now = max(now, side[-1]) if side is not None else now
                rows.append(now)
                if device.row.plugin is not None:
                    now += self.units.of(device).latency
                self.after[device.id] = now
            late[track.id] = [*rows, now]
            if not track.takes_sends:
                sent = max(sent, now)
        total = max((rows[-1] for rows in late.values()), default=0)
        self.reserve = max(self.reserve, total)
        return late, self.reserve

    def _begins(self, track: Track, sent: int) -> int:
        """How late a track's sound begins, where sends have come after `sent` frames."""
        if track.output is not None:
            return self.after.get(track.output.device, 0)
        return sent if track.takes_sends else 0

    def _source(self, track: Track, late: int, sends: Floats) -> tuple[Floats, int]:
        """What goes into the track's chain, and how late it is."""
        if track.id in self.given:
            return self.given[track.id][:, self.clock : self.clock + self._block(0).frames], 0
        sound = clip_playback.play(track.clips, self.project.tempo, self._block(0))
        if track.output is not None:
            late = self._begins(track, 0)
            sound = self.aligned.line(track.id, "clips", late, sound)
            return sound + _pair(self.outputs.get(track.output.device), track.output.pair), late
        if track.takes_sends:
            return self.aligned.line(track.id, "clips", late, sound) + sends, late
        return sound, 0

    def _track(
        self, track: Track, late: list[int], until: float, sends: Floats
    ) -> tuple[Floats, list[tuple[int, Floats]]]:
        """The track's sound; and what its strips send, with how late that is."""
        stretch = self._block(0)
        sound, now_late = self._source(track, late[0], sends)
        notes, messages = self.notes.begun(track, stretch, until, self.frame / self.rate), NO_MESSAGES
        sent: list[tuple[int, Floats]] = []
        for device, wanted in zip(track.devices, late, strict=False):
            if device.side_chain:  # it waits for what that listens to
                sound = self.aligned.line(device.id, "before", wanted - now_late, sound)
            now_late = wanted
            if device.role == DeviceRole.MIDI:
                lanes, now = self.lanes.get(device.id, {}), self.clock / self.rate
                notes, messages = self.midi.through(device, lanes, self._block(now_late), now, notes, messages)
                continue
            played, now_late = self._device(device, now_late, sound, notes, messages)
            sound = played.sound
            if played.sent is not None:
                sent.append((now_late, played.sent))
            if played.messages:
                messages = [*messages, *played.messages]
        return self._muted(track, stretch.frames, sound, sent)

    def _device(
        self, device: Device, late: int, sound: Floats, notes: list[NewNote], messages: list[Message]
    ) -> tuple[UnitOutput, int]:
        """A track's sound, late by so many frames, through one of its devices: what it gives, and how late that is."""
        lanes = self.lanes.get(device.id, {})
        hosted = device.row.plugin is not None
        unit = self.units.of(device) if hosted else None
        after = late + (unit.latency if unit is not None else 0)
        stretch = self._block(late)
        wet = self._wet(device, lanes, self._block(after))
        past = len(wet) == 1 and wet[0] < SETTLED and BYPASS.id not in lanes
        if past and not hosted:
            return UnitOutput(sound), late
        unit = unit or self.units.of(device)
        # What bypasses a device is as late as what goes through it.
        dry = self.aligned.line(device.id, "dry", after - late, sound)
        if past:
            return UnitOutput(dry), after
        controls = Controls(device, lanes, stretch, unit.spacing)
        side = self._side(device, late)
        now = self.clock / self.rate
        if device.role == DeviceRole.INSTRUMENT:
            notes = self.later.due(device.id, notes, late, self.clock, self.rate, self.history.count)
        played = unit.play(Incoming(sound, notes, controls, now, side, messages))
        whole = len(wet) == 1 and wet[0] > 1.0 - SETTLED
        out = played.sound if whole else dry + (played.sound - dry) * wet
        if played.more is not None:
            rows = self.guard.checked(device.id, np.concatenate((out, played.more if whole else played.more * wet)))
            out, self.outputs[device.id] = rows[:2], rows[2:]
        else:
            out = self.guard.checked(device.id, out)
        sent = played.sent
        if sent is not None and device.id in self.guard.muted:
            sent = None
        if sent is not None and not whole:
            sent = sent * wet
        return UnitOutput(out, sent, played.messages), after

    def _block(self, late: int) -> Block:
        return self.history.block(late, self.project.tempo, self.project.meter, self.rate)

    def _side(self, device: Device, late: int) -> Floats | None:
        """What a side-chain listens to, as late as the sound that it goes with."""
        side = self.sides.get(device.side_chain)
        if side is None:
            return None
        latest = self.late[device.side_chain][-1]
        return self.aligned.line(device.id, "side", max(late - latest, 0), side)

    def _muted(
        self, track: Track, frames: int, sound: Floats, sent: list[tuple[int, Floats]]
    ) -> tuple[Floats, list[tuple[int, Floats]]]:
        gain, self.gains[track.id] = smoothed(
            np.array([0.0 if track.muted else 1.0]),
            frames,
            self.rate,
            self.gains.get(track.id, -1.0),
        )
        if track.muted or gain[0] < 1.0:
            return sound * gain, [(late, part * gain) for late, part in sent]
        return sound, sent

    def _wet(self, device: Device, lanes: dict[str, EvaluatedLane], stretch: Block) -> Floats:
        """How much of the device is heard, 0..1: one value, or one a frame where its bypass changes. It
        goes over within 10 ms, without a click."""
        goal = np.array([0.0 if device.bypassed else 1.0])
        if device.has_bypass and BYPASS.id in lanes:
            goal = 1.0 - BYPASS.value(lanes[BYPASS.id].at(stretch.beats))
            goal = goal[:1] if goal.min() == goal.max() else goal
        state = self.wets.get(device.id, -1.0)
        wet, self.wets[device.id] = smoothed(goal, stretch.frames, self.rate, state)
        return wet


def _pair(outputs: Floats | None, pair: int) -> Floats | float:
    """Two of a device's further outputs, counted in pairs from 1; of a single one both sides; silence for none."""
    if outputs is None or 2 * (pair - 1) >= len(outputs):
        return 0.0
    rows = outputs[2 * (pair - 1) : 2 * pair]
    return rows if len(rows) == 2 else np.repeat(rows, 2, axis=0)
