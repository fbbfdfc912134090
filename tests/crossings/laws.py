# SPDX-License-Identifier: GPL-3.0-or-later
"""What holds of every project: each law a function from a project to what is wrong with it, "" where nothing is."""

from __future__ import annotations

import io
from collections.abc import Callable

import mido
import numpy as np

from tests.crossings.features import LENGTH, shown
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.discontinuities import leaps
from zolvek.core.curve.thinning import thinned
from zolvek.core.edits import bars, replacement
from zolvek.core.edits.connections import ports_of
from zolvek.core.history.history import History
from zolvek.core.model.layer import LAYER_KINDS, Layer
from zolvek.core.model.project import Lane, Project, Track
from zolvek.core.movement.evaluation.lane_evaluation import played, unrolled, without_cycle
from zolvek.core.movement.evaluation.layering import applied, baked
from zolvek.core.movement.generators import lfo_points, randomness
from zolvek.core.records import replace
from zolvek.core.time.meter import TICKS
from zolvek.formats.midi import file_out, report
from zolvek.formats.project import project_file
from zolvek.sound.engine.offline import render
from zolvek.sync.timeline import song_timeline

Law = Callable[[Project], str]
LAWS: dict[str, Law] = {}
RATE = 8_000
HEARD = 1e-6  # float32 of sound
NEAR = 1e-6  # beats around a jump, where rounding may take either side
LAYERED = 6e-4  # by which LFOs and random movements may be off as points


def law(name: str) -> Callable[[Law], Law]:
    def add(own: Law) -> Law:
        LAWS[name] = own
        return own

    return add


def beats_of(project: Project, rate: int = RATE) -> np.ndarray:
    frames = round(float(project.tempo.seconds(project.length)) * rate)
    return project.tempo.beats(np.arange(frames) / rate)


def off_jumps(project: Project, lane: Lane, beats: np.ndarray, near: float = NEAR) -> np.ndarray:
    """Which beats are not right at a jump of what is heard."""
    jumps = played(lane, project).leaps
    if not len(jumps):
        return np.ones(len(beats), bool)
    at = np.searchsorted(jumps, beats)
    around = np.stack((jumps[np.clip(at - 1, 0, None)], jumps[np.clip(at, None, len(jumps) - 1)]))
    return np.abs(around - beats).min(axis=0) > near


def worst(one: np.ndarray, other: np.ndarray, most: float, at: np.ndarray, what: str) -> str:
    """Where two differ the most, if by more than `most`."""
    apart = np.abs(one - other)
    if not np.isfinite(apart).all():
        return f"{what}: no number at {at[~np.isfinite(apart)][0]:.4f}"
    index = int(apart.argmax())
    if apart[index] <= most:
        return ""
    return f"{what}: {one[index]:.6f}, not {other[index]:.6f}, at beat {at[index]:.6f}"


def by_hand(project: Project, lane: Lane, beats: np.ndarray) -> np.ndarray:
    """What a lane comes to, computed from docs/project-file.md alone, a beat at a time where it folds."""
    device = project.device_track(lane.device).device(lane.device)
    here = device.position(lane.parameter)
    if lane.bypassed:
        return np.full(len(beats), here)
    own = beats.copy()
    if lane.cycle is not None:
        end = lane.cycle.beat + lane.cycle.length
        later = own >= end
        own[later] = lane.cycle.beat + np.mod(own[later] - end, lane.cycle.length)
    base = lane.curve.at(own)
    for number, switch in enumerate(lane.switches):
        last = lane.switches[number + 1].beat if number + 1 < len(lane.switches) else np.inf
        inside = (beats >= switch.beat) & (beats < last)
        if switch.slot >= 0:
            slot = lane.slots[switch.slot]
            base[inside] = slot.curve.at(np.mod(beats[inside] - switch.beat, slot.length))
    total = base
    for layer in applied(lane.layers):
        w, on = _movement(project, layer, beats)
        amount = layer.amount * LAYER_KINDS[layer.kind][1] * (w - 0.5)
        if layer.amount_way is not None:
            amount = amount * (2.0 * layer.amount_way.at(beats) - 1.0)
        changed = total * (1.0 + amount) if layer.kind == "scale" else total + amount
        total = np.where(on, changed, total)
    if lane.fit:
        low, high = min(float(total.min()), 0.0), max(float(total.max()), 1.0)
        total = (total - low) / (high - low)
    # Around a control layers go on as far as its travel does.
    value = total if lane.relative else np.clip(total, 0.0, 1.0)
    low, high = lane.reach
    if lane.relative:
        low, high = here + 2.0 * low - 1.0, here + 2.0 * high - 1.0
    return np.clip(low + (high - low) * value, 0.0, 1.0)


def _movement(project: Project, layer: Layer, beats: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    last = project.length if layer.last is None else layer.last
    on = (beats >= layer.first) & (beats < last)
    for first, end in layer.gaps:
        on &= ~((beats >= first) & (beats < end))
    if layer.lfo is not None:
        w = lfo_points.value_at(layer.lfo, layer.first, last, project.tempo, beats)
        return np.clip(w, 0.0, 1.0), on
    if layer.random is not None:
        return randomness.random_curve(layer.random, layer.first, last, project.tempo).at(beats), on
    assert layer.curve is not None
    return layer.curve.at(beats), on


def alone(project: Project) -> Project:
    """The track with the probe, heard whatever is muted."""
    return replace(project, tracks=(replace(project.tracks[0], muted=False),), links=())


@law("what is rendered is what is drawn")
def _rendered(project: Project) -> str:
    lane = shown(project)
    beats = beats_of(project)
    sound = render(alone(project), rate=RATE)[0][: len(beats)]
    clear = off_jumps(project, lane, beats, 1e-4)
    at = beats[clear]
    wanted = by_hand(project, lane, at)
    near = 2e-3 if lane.layers else HEARD
    if lane.fit:
        near = 5e-3  # its range is looked for among places
    return worst(sound[clear], wanted, near, at, "sound") or worst(
        sound[clear].astype(float),
        played(lane, project).at(at) if not lane.bypassed else wanted,
        HEARD,
        at,
        "sound and lane",
    )


@law("two passes from one start are the same")
def _passes(project: Project) -> str:
    one, other = render(project, rate=RATE), render(project, rate=RATE)
    if not np.isfinite(one).all():
        return "no number in the sound"
    if not np.array_equal(one, other):
        return f"passes differ by {np.abs(one - other).max():.2e}"
    return ""


@law("live is the file")
def _live(project: Project) -> str:
    rate = 48_000
    read = mido.MidiFile(file=io.BytesIO(file_out.encode(project)))
    theirs = []
    for track in read.tracks:
        tick = 0
        for message in track:
            tick += message.time
            if not message.is_meta:
                theirs.append((tick, bytes(message.bytes())))
    own = song_timeline.sending(project, rate, ports_of(project))
    ours = [
        (int(frame), bytes(data[:size].tolist()))
        for frame, data, size in zip(own.frame, own.data, own.size, strict=True)
    ]
    seconds = project.tempo.seconds(np.array([tick for tick, _ in theirs]) / TICKS)
    due = np.round(seconds * rate).astype(int).tolist() if theirs else []
    wanted = sorted((at, data) for at, (_, data) in zip(due, theirs, strict=True))
    if sorted(ours) != wanted:
        extra = sorted(set(ours) ^ set(wanted))[:3]
        return f"{len(ours)} live, {len(wanted)} in the file; such as {extra}"
    return ""


@law("a file gives back what was saved")
def _saved(project: Project) -> str:
    data = project_file.encode(project)
    back = project_file.decode(data)
    if back != project:
        return "another project comes back"
    return "" if project_file.encode(back) == data else "another file comes of it"


@law("undo and redo give the same back")
def _undone(project: Project) -> str:
    history = History.start(project)
    rng = np.random.default_rng(3)
    steps = [project]
    for number in range(6):
        beats = np.linspace(0.0, LENGTH, 700)
        drawn = Curve(beats, rng.random(700), np.ones(700, np.uint8), np.zeros(700))
        lane = replace(shown(history.project), curve=drawn)
        history = history.edited(replacement.with_lane(history.project, lane), f"Draw {number}")
        steps.append(history.project)
    kept = [project_file.encode(step) for step in steps]
    for number in range(5, -1, -1):
        history = history.undone()
        if project_file.encode(history.project) != kept[number]:
            return f"undo to step {number} gives another project"
    for number in range(1, 7):
        history = history.redone()
        if project_file.encode(history.project) != kept[number]:
            return f"redo to step {number} gives another project"
    return ""


def _notes(track: Track, border: float) -> list[tuple[int, float, float]]:
    """Pitch, beginning and end of a track's notes; of one that is held over a border, up to there."""
    return [
        (n.pitch, round(n.beat, 6), round(min(n.beat + n.length, border) if n.beat < border else n.beat + n.length, 6))
        for n in track.notes
    ]


@law("bars put in and taken out give the same back")
def _bars(project: Project) -> str:
    """But for a note that is held over the border: it sounds on into the new time, and ends with it."""
    lengths = {clip.file: 1.3 for track in project.tracks for clip in track.clips}
    for bar in (3, 5):
        put = bars.insert_bars(project, bar, 2, lengths).project
        back = bars.remove_bars(put, bar, 2, lengths).project
        beats = np.linspace(0.0, LENGTH, 4_000, endpoint=False) + 1.7e-4
        seconds = np.abs(back.tempo.seconds(beats) - project.tempo.seconds(beats)).max()
        if seconds > 1e-6:
            return f"the tempo is {seconds:.2e} s off"
        for lane in project.lanes():
            own = back.lane(lane.id)
            if own.midi != lane.midi or own.reach != lane.reach:
                return f"{lane.id} is sent otherwise"
            clear = off_jumps(project, lane, beats, 1e-5)
            near = 2e-3 if lane.layers else 2e-4
            result = worst(
                played(own, back).at(beats[clear]),
                played(lane, project).at(beats[clear]),
                near,
                beats[clear],
                f"{lane.id} after bar {bar}",
            )
            if result:
                return result
        at = project.meter.bar_beat(bar)
        for one, other in zip(project.tracks, back.tracks, strict=True):
            if _notes(one, at) != _notes(other, at):
                return f"the notes of {one.name} are others"
    return ""


@law("baking stays within its tolerance")
def _baked(project: Project) -> str:
    lane = shown(project)
    if not lane.layers:
        return ""
    flat = without_cycle(lane, project.length)
    made = baked(flat, project.tempo, project.length, tolerance=0.002)
    beats = np.linspace(0.0, LENGTH, 5_000, endpoint=False) + 1.3e-4
    beats = beats[off_jumps(project, lane, beats, 1e-5)]
    one = played(made, project).at(beats)
    return worst(one, played(lane, project).at(beats), 0.0021 * 2.0, beats, "baked")


@law("flattening changes nothing")
def _flattened(project: Project) -> str:
    lane = shown(project)
    flat = replace(lane, curve=unrolled(lane, project.length), cycle=None, slots=(), switches=())
    beats = np.linspace(0.0, LENGTH, 5_000, endpoint=False) + 1.3e-4
    beats = beats[off_jumps(project, lane, beats, 1e-6)]
    return worst(played(flat, project).at(beats), played(lane, project).at(beats), 1e-9, beats, "flattened")


@law("thinning stays within its tolerance")
def _thinned(project: Project) -> str:
    curve = shown(project).curve
    beats = np.linspace(0.0, LENGTH, 5_000, endpoint=False) + 1.3e-4
    jumps = leaps(curve)
    if len(jumps):
        beats = beats[np.abs(beats[:, None] - jumps).min(axis=1) > 1e-6]
    for shapes in (False, True):
        keep = np.isin(curve.beat, shown(project).pins)
        made = thinned(curve, 0.01, shapes, keep)
        if not set(shown(project).pins) & set(curve.beat.tolist()) <= set(made.curve.beat.tolist()):
            return "a pin is gone"
        result = worst(made.curve.at(beats), curve.at(beats), 0.01 + 1e-9, beats, "thinned")
        if result:
            return result
    return ""


@law("the report is true")
def _report(project: Project) -> str:
    reported = report.report(project)
    read = mido.MidiFile(file=io.BytesIO(file_out.encode(project)))
    notes = sum(2 * len(track.notes) for track in project.tracks)
    there = sum(1 for track in read.tracks for message in track if not message.is_meta) - notes
    if reported.messages != there:
        return f"{reported.messages} messages are reported, {there} are there"
    names = {row.lane for row in reported.lanes}
    wanted = {lane.id for lane in project.lanes()}  # one that is bypassed sends its control's own value
    return "" if names == wanted else f"lanes {names ^ wanted} are not reported"


@law("all is finite and in range")
def _finite(project: Project) -> str:
    beats = np.linspace(0.0, LENGTH + 4.0, 3_000)
    for lane in project.lanes():
        value = played(lane, project).at(beats)
        if not (np.isfinite(value).all() and value.min() >= 0.0 and value.max() <= 1.0):
            return f"{lane.id} leaves its travel"
    return ""


def broken(project: Project) -> dict[str, str]:
    """The laws that do not hold, and how."""
    result = {}
    for name, own in LAWS.items():
        try:
            what = own(project)
        except Exception as error:  # of whatever kind: it is what is looked for
            what = f"{type(error).__name__}: {error}"
        if what:
            result[name] = what
    return result
