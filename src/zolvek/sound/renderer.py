"""The renderer: a project as sound, from any place, a stretch at a time, the same every time."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.core.errors import ZolvekError
from zolvek.core.model.catalogue import BYPASS
from zolvek.core.model.project import Device, Project, Track
from zolvek.core.model.source import Note
from zolvek.core.movement.playing import Heard
from zolvek.core.records import replace
from zolvek.sound import clips
from zolvek.sound.alignment import Alignment
from zolvek.sound.controls import COARSE, Block, Controls, applied_lanes
from zolvek.sound.devices import make
from zolvek.sound.hosting.waiting import Waiting
from zolvek.sound.mixing import smoothed
from zolvek.sound.synth import HELD_BY_HAND, NewNote
from zolvek.sound.unit import Incoming, Unit

RATE = 48_000
TAIL_STEP, TAIL_QUIET, LONGEST_TAIL = 0.25, 1.0, 30.0  # seconds
INAUDIBLE = 1e-4  # 80 dB below full scale
OFFLINE_FRAMES = 65_536  # a stretch when nobody waits for it

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
        """`before`: one that plays no more; the plugins it has made begin again here."""
        self.rate, self.bypass = rate, bypass
        self.frame = self.clock = 0
        self.impatient = False  # somebody listens: plugins that come now are made beside
        self.chased: set[str] = set()  # tracks whose notes that are on already must begin
        self.units: dict[tuple[str, str], Unit] = {}  # by kind and id of their devices
        self.told: dict[tuple[str, str], str] = {}  # the state that each was made with
        self.sides: dict[
            str, Floats
        ] = {}  # of tracks that side-chains listen to, what they play now
        self.wets: dict[str, float] = {}  # of each device, where its bypass has got to
        self.gains: dict[str, float] = {}  # of each track, where its muting has got to
        self.aligned = Alignment()
        self.levels: dict[str, float] = {}  # each track's highest sample in the last stretch
        self.keeps = False  # whether tracks are wanted by themselves
        self.kept: dict[str, Floats] = {}  # what each gave to the last stretch
        self.pressed: list[tuple[str, Note]] = []  # keys that have gone down since the last stretch
        if before is not None and before.rate == rate:
            self._take_over(before)
        self.use(project)

    def _take_over(self, before: Renderer) -> None:
        """Plugins take long to make, and some are made anew for no reason."""
        for key, unit in before.units.items():
            again = getattr(unit, "begin_again", None)
            if again is not None and again():
                self.units[key], self.told[key] = unit, before.told[key]

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

    @property
    def beat(self) -> float:
        """The beat of the next frame."""
        return float(self.project.tempo.beats(self.frame / self.rate))

    def frame_of(self, beat: float) -> int:
        return round(float(self.project.tempo.seconds(beat)) * self.rate)

    def seek(self, beat: float) -> None:
        """Go on from `beat`; what sounds is let go and dies away."""
        self.release_all()
        self.aligned.forget()
        self.chased = {track.id for track in self.project.tracks}
        self.frame = self.frame_of(beat)

    def press(self, track: str, pitch: int, strength: float) -> None:
        """A key of a track's instrument down, by hand: heard with the next stretch, until it is let up."""
        self.pressed.append((track, Note(0.0, 1.0, pitch, strength)))

    def let_up(self, track: str, pitch: int) -> None:
        self.pressed = [(k, n) for k, n in self.pressed if (k, n.pitch) != (track, pitch)]
        for own in self.project.tracks:
            for device in own.devices if own.id == track else ():
                self._unit(device).release(pitch, self.clock / self.rate)

    def release_all(self) -> None:
        """All keys up; what sounds dies away."""
        for unit in self.units.values():
            unit.release_all(self.clock / self.rate)

    def render(self, frames: int) -> Floats:
        """The next `frames` of the mix: float64 (2, frames), not limited."""
        first = self.frame
        beats = self.project.tempo.beats((first + np.arange(frames + 1)) / self.rate)
        stretch = Block(beats[:-1], self.rate)
        mix, sends = np.zeros((2, frames)), np.zeros((2, frames))
        tracks = self.order
        self.sides.clear()
        plain, taking = self._latest(tracks, False), self._latest(tracks, True)
        self.aligned.late = plain + taking
        for track in tracks:
            sound, sent = self._track(track, stretch, float(beats[-1]), sends)
            if track.id in self.listened:
                self.sides[track.id] = sound
            own = self._latency(track)
            if track.takes_sends:
                sound = self.aligned.line(track.id, "sound", taking - own, sound)
            else:
                if sent is not None:
                    sends += self.aligned.line(track.id, "sent", plain - own, sent)
                sound = self.aligned.line(track.id, "sound", plain + taking - own, sound)
            mix += sound
            if self.keeps:
                self.kept[track.id] = sound
            self.levels[track.id] = float(np.abs(sound).max(initial=0.0))
        self.frame += frames
        self.clock += frames
        return mix

    def _latency(self, track: Track) -> int:
        """Frames that a track's devices give its sound late, as far as they are known."""
        hosted = [device for device in track.devices if device.row.plugin is not None]
        return sum(self._unit(device).latency for device in hosted)

    def _latest(self, tracks: list[Track], takes: bool) -> int:
        return max((self._latency(t) for t in tracks if t.takes_sends == takes), default=0)

    def _track(
        self, track: Track, stretch: Block, until: float, sends: Floats
    ) -> tuple[Floats, Floats | None]:
        """The track's sound, and what its strips send."""
        sound = clips.play(track.clips, self.project.tempo, stretch)
        if track.takes_sends:
            sound = sound + sends
        notes = self._begin(track, stretch, until)
        sent: Floats | None = None
        for device in track.devices:
            lanes = self.lanes.get(device.id, {})
            wet = self._wet(device, lanes, stretch)
            past = len(wet) == 1 and wet[0] < SETTLED and BYPASS.id not in lanes
            if past and device.row.plugin is None:
                continue
            unit = self._unit(device)
            # What goes past a device is as late as what goes through it.
            dry = self.aligned.line(device.id, "dry", unit.latency, sound)
            if past:
                sound = dry
                continue
            controls = Controls(device, lanes, stretch, unit.spacing)
            side = self.sides.get(device.side_chain)
            now = self.clock / self.rate
            played = unit.play(Incoming(sound, notes, controls, now, self.frame, side))
            whole = len(wet) == 1 and wet[0] > 1.0 - SETTLED
            sound = played.sound if whole else dry + (played.sound - dry) * wet
            if played.sent is not None:
                sent = played.sent if whole else played.sent * wet
        gain, self.gains[track.id] = smoothed(
            np.array([0.0 if track.muted else 1.0]),
            stretch.frames,
            self.rate,
            self.gains.get(track.id, -1.0),
        )
        if track.muted or gain[0] < 1.0:
            sound = sound * gain
            sent = None if sent is None else sent * gain
        return sound, sent

    def _wet(self, device: Device, lanes: dict[str, Heard], stretch: Block) -> Floats:
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
        begin = self.project.tempo.seconds([note.beat for note in new])
        end = self.project.tempo.seconds([note.beat + note.length for note in new])
        now = self.frame / self.rate
        return [
            NewNote(note, float(b - now), float(e - b))
            for note, b, e in zip(new, begin, end, strict=True)
        ] + self._by_hand(track)

    def _by_hand(self, track: Track) -> list[NewNote]:
        own = [note for key, note in self.pressed if key == track.id]
        if own:
            self.pressed = [(key, note) for key, note in self.pressed if key != track.id]
        return [NewNote(note, 0.0, 2.0 * HELD_BY_HAND) for note in own]

    def _unit(self, device: Device) -> Unit:
        key = device.kind, device.id
        if key not in self.units or self.told[key] != device.state:
            self.units[key] = self._made(device, self.units.get(key))
            self.told[key] = device.state
        return self.units[key]

    def _made(self, device: Device, before: Unit | None) -> Unit:
        if self.impatient and device.row.plugin is not None:
            return Waiting(lambda: make(device, self.rate), before)
        return make(device, self.rate)


def _order(tracks: tuple[Track, ...]) -> list[Track]:
    """Tracks in the order in which they are played: those that take sends in last, as by then all that is
    sent is known; one that a side-chain listens to before the one that listens."""
    found: list[Track] = []
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
        found.append(track)

    for track in sorted(tracks, key=lambda each: each.takes_sends):
        put(track)
    return found


def render_blocks(
    project: Project,
    first: float = 0.0,
    last: float | None = None,
    rate: int = RATE,
    bypass: bool = False,
    progress: Callable[[int, int], object] | None = None,
    tail: bool = False,
) -> Iterator[np.ndarray]:
    """The mix from beat `first` to `last` as float32 blocks of (2, frames).

    With `tail`, what still sounds at the end dies away: no note or clip begins any more, keys go
    up, effects ring on until they are inaudible. `progress` is told frames done and frames in all.
    Raises ZolvekError for an empty span.
    """
    last = project.length if last is None else last
    if not 0.0 <= first < last:
        raise ZolvekError("The span to render is empty.", remedy="Let it end after it begins.")
    renderer = Renderer(project, rate, bypass)
    renderer.seek(first)
    total = renderer.frame_of(last) - renderer.frame
    if total < 1:
        raise ZolvekError("The span to render is empty.", remedy="Let it end after it begins.")
    late = _known_latency(project, rate, bypass, first)
    for done in range(0, total + late, OFFLINE_FRAMES):
        frames = min(OFFLINE_FRAMES, total + late - done)
        block = renderer.render(frames).astype(np.float32)[:, max(late - done, 0) :]
        if block.shape[1]:
            yield block
        if progress:
            progress(min(done + frames, total), total)
    if tail:
        yield from _tail(renderer)


def _known_latency(project: Project, rate: int, bypass: bool, first: float) -> int:
    """Frames that the whole is late by: told by plugins once they have run."""
    plugins = (device.row.plugin for track in project.tracks for device in track.devices)
    if not any(plugin is not None and plugin.latency >= 0 for plugin in plugins):
        return 0
    probe = Renderer(project, rate, bypass)
    probe.seek(first)
    probe.render(COARSE)
    return probe.aligned.late


def _tail(renderer: Renderer) -> Iterator[np.ndarray]:
    """What rings on after the end, until it has been inaudible for a while."""
    project, rate = renderer.project, renderer.rate
    renderer.release_all()
    silent = tuple(replace(track, notes=(), clips=()) for track in project.tracks)
    renderer.use(replace(project, tracks=silent))
    step, quiet = round(TAIL_STEP * rate), 0.0
    for _ in range(round(LONGEST_TAIL / TAIL_STEP)):
        block = renderer.render(step).astype(np.float32)
        quiet = quiet + TAIL_STEP if np.abs(block).max() < INAUDIBLE else 0.0
        if quiet > TAIL_QUIET:
            return
        yield block


def render(
    project: Project, first: float = 0.0, last: float | None = None, **options: object
) -> np.ndarray:
    """The mix as one float32 array, (2, frames). Options as for `render_blocks`."""
    return np.concatenate(list(render_blocks(project, first, last, **options)), axis=1)  # type: ignore[arg-type]  # options go on as they came
