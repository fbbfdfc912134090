# SPDX-License-Identifier: GPL-3.0-or-later
"""The renderer: a project as sound, from any position, a stretch at a time, the same every time."""

from __future__ import annotations

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.model.device_kind import BYPASS, DeviceRole
from zolvek.core.model.project import Device, Project, Track
from zolvek.core.model.source import Note
from zolvek.core.movement.evaluation.lane_evaluation import EvaluatedLane
from zolvek.core.time.tempo import TempoMap
from zolvek.sound.engine import clip_playback
from zolvek.sound.engine.alignment import Alignment, SongHistory
from zolvek.sound.engine.device_units import Units, key_of
from zolvek.sound.engine.level_guard import MIX, LevelGuard
from zolvek.sound.signal.automation import Block, Controls, applied_lanes
from zolvek.sound.signal.device_unit import Incoming
from zolvek.sound.signal.mixing import smoothed
from zolvek.sound.signal.new_note import LIVE_NOTE_S, NewNote

RATE = 48_000

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
        self.chased: set[str] = set()  # tracks whose notes that are on already must begin
        self.history = SongHistory()
        self.reserve = 0  # frames that all is late by at least
        self.late: dict[str, list[int]] = {}  # by track, as in `_plan`
        self.faults = 0  # frames that were not numbers
        self.later: dict[str, list[tuple[int, NewNote]]] = {}  # notes that late devices begin, when
        self.sides: dict[str, Floats] = {}  # of tracks that side-chains listen to, what they play now
        self.wets: dict[str, float] = {}  # of each device, where its bypass has got to
        self.gains: dict[str, float] = {}  # of each track, where its muting has got to
        self.aligned = Alignment()
        self.guard: LevelGuard = LevelGuard(rate, before.guard if before is not None else None)
        self.levels: dict[str, float] = {}  # each track's highest sample in the last stretch
        self.keeps = False  # whether tracks are wanted by themselves
        self.kept: dict[str, Floats] = {}  # what each gave to the last stretch
        self.pressed: list[tuple[str, Note]] = []  # keys that have gone down since the last stretch
        if before is not None and before.rate == rate:
            self.units.take_over(before.units)
        self.use(project)

    def use(self, project: Project) -> None:
        """Go on with an edited project; the place in beats stays."""
        beat = self.beat if hasattr(self, "project") else 0.0
        self.project = project
        self.lanes = applied_lanes(project, self.bypass)
        self.frame = self.frame_of(beat)
        self.notes = {t.id: sorted(t.notes, key=lambda note: note.beat) for t in project.tracks}
        self.listened = {d.side_chain for t in project.tracks for d in t.devices}
        self.order = _order(project.tracks)
        self.starts = {key: np.array([n.beat for n in notes]) for key, notes in self.notes.items()}
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
        self.chased = {track.id for track in self.project.tracks}
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
        self.later = {key: rows for key, rows in self.later.items() if key in ids}
        self.guard.keep(ids)

    def press(self, track: str, pitch: int, strength: float) -> None:
        """A key of a track's instrument down, by hand: heard with the next stretch, until it is let up."""
        self.pressed.append((track, Note(0.0, 1.0, pitch, strength)))

    def let_up(self, track: str, pitch: int) -> None:
        """A key up by hand."""
        self.pressed = [(k, n) for k, n in self.pressed if (k, n.pitch) != (track, pitch)]
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
        late, total = self._plan()
        self.late = late
        self.aligned.late = total
        self.history.add(first, beats[:-1], total)
        plain = max((late[t.id][-1] for t in self.order if not t.takes_sends), default=0)
        for track in self.order:
            sound, sent = self._track(track, late[track.id], float(beats[-1]), sends)
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
            now = sent if track.takes_sends else 0
            rows = []
            for device in track.devices:
                side = late.get(device.side_chain)
                now = max(now, side[-1]) if side is not None else now
                rows.append(now)
                if device.row.plugin is not None:
                    now += self.units.of(device).latency
            late[track.id] = [*rows, now]
            if not track.takes_sends:
                sent = max(sent, now)
        total = max((rows[-1] for rows in late.values()), default=0)
        self.reserve = max(self.reserve, total)
        return late, self.reserve

    def _track(
        self, track: Track, late: list[int], until: float, sends: Floats
    ) -> tuple[Floats, list[tuple[int, Floats]]]:
        """The track's sound; and what its strips send, with how late that is."""
        stretch = self._block(0)
        sound = clip_playback.play(track.clips, self.project.tempo, stretch)
        now_late = late[0]
        sound = self.aligned.line(track.id, "clips", now_late, sound) if track.takes_sends else sound
        if track.takes_sends:
            sound = sound + sends
        elif now_late:
            now_late = 0
        notes = self._begin(track, stretch, until)
        sent: list[tuple[int, Floats]] = []
        for device, wanted in zip(track.devices, late, strict=False):
            if device.side_chain:  # it waits for what that listens to
                sound = self.aligned.line(device.id, "before", wanted - now_late, sound)
            now_late = wanted
            sound, part, now_late = self._device(track, device, now_late, sound, notes)
            if part is not None:
                sent.append((now_late, part))
        return self._muted(track, stretch.frames, sound, sent)

    def _device(
        self, track: Track, device: Device, late: int, sound: Floats, notes: list[NewNote]
    ) -> tuple[Floats, Floats | None, int]:
        """A track's sound, late by so many frames, through one of its devices: the sound, what it sends, and how late
        they are."""
        lanes = self.lanes.get(device.id, {})
        hosted = device.row.plugin is not None
        unit = self.units.of(device) if hosted else None
        after = late + (unit.latency if unit is not None else 0)
        stretch = self._block(late)
        wet = self._wet(device, lanes, self._block(after))
        past = len(wet) == 1 and wet[0] < SETTLED and BYPASS.id not in lanes
        if past and not hosted:
            return sound, None, late
        unit = unit or self.units.of(device)
        # What bypasses a device is as late as what goes through it.
        dry = self.aligned.line(device.id, "dry", after - late, sound)
        if past:
            return dry, None, after
        controls = Controls(device, lanes, stretch, unit.spacing)
        side = self._side(device, late)
        now = self.clock / self.rate
        due_notes = self._later(device, notes, late) if device.role == DeviceRole.INSTRUMENT else notes
        played = unit.play(Incoming(sound, due_notes, controls, now, side))
        whole = len(wet) == 1 and wet[0] > 1.0 - SETTLED
        out = played.sound if whole else dry + (played.sound - dry) * wet
        out, sent = self.guard.checked(device.id, out), played.sent
        if sent is not None and device.id in self.guard.muted:
            sent = None
        if sent is not None and not whole:
            sent = sent * wet
        return out, sent, after

    def _block(self, late: int) -> Block:
        return self.history.block(late, self.project.tempo, self.project.meter, self.rate)

    def _side(self, device: Device, late: int) -> Floats | None:
        """What a side-chain listens to, as late as the sound that it goes with."""
        side = self.sides.get(device.side_chain)
        if side is None:
            return None
        latest = self.late[device.side_chain][-1]
        return self.aligned.line(device.id, "side", max(late - latest, 0), side)

    def _later(self, device: Device, notes: list[NewNote], late: int) -> list[NewNote]:
        """The notes that an instrument begins now: as late as the sound that it plays with."""
        waiting = self.later.pop(device.id, [])
        if not late and not waiting:
            return notes
        frames = self.history.count
        waiting += [(self.clock + late, note) for note in notes]
        begun = []
        for begins, note in waiting:
            after = note.after + (begins - self.clock) / self.rate
            if after * self.rate < frames:
                begun.append(note._replace(after=after))
            else:
                self.later.setdefault(device.id, []).append((begins, note))
        return begun

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

    def _begin(self, track: Track, stretch: Block, until: float) -> list[NewNote]:
        """The notes that begin in the stretch; after a seek, those that are on already too."""
        first = float(stretch.beats[0])
        starts, notes = self.starts[track.id], self.notes[track.id]
        low, high = np.searchsorted(starts, [first, until], side="left")
        new = notes[low:high]
        if track.id in self.chased:
            self.chased.discard(track.id)
            new = [note for note in notes[:low] if note.beat + note.length > first] + new
        if not new:
            return self._by_hand(track)
        now = self.frame / self.rate
        return _timed(new, self.project.tempo, now) + self._by_hand(track)

    def _by_hand(self, track: Track) -> list[NewNote]:
        pressed = [note for key, note in self.pressed if key == track.id]
        if pressed:
            self.pressed = [(key, note) for key, note in self.pressed if key != track.id]
        return [NewNote(note, 0.0, 2.0 * LIVE_NOTE_S) for note in pressed]


def _timed(notes: list[Note], tempo: TempoMap, now: float) -> list[NewNote]:
    begin = tempo.seconds([note.beat for note in notes])
    end = tempo.seconds([note.beat + note.length for note in notes])
    return [NewNote(note, float(b - now), float(e - b)) for note, b, e in zip(notes, begin, end, strict=True)]


def _order(tracks: tuple[Track, ...]) -> list[Track]:
    """Tracks in the order in which they are played: those that take sends in last, as by then all that is
    sent is known; one that a side-chain listens to before the one that listens."""
    result: list[Track] = []
    by_id = {track.id: track for track in tracks}
    begun: set[str] = set()

    def put(track: Track) -> None:
        if track.id in begun:
            return
        begun.add(track.id)
        for device in track.devices:
            source = by_id.get(device.side_chain)
            if source is not None and source.takes_sends <= track.takes_sends:
                put(source)
        result.append(track)

    for track in sorted(tracks, key=lambda each: each.takes_sends):
        put(track)
    return result
