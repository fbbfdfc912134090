# SPDX-License-Identifier: GPL-3.0-or-later
"""The figures `./zolvek bench` prints: each a ratio, or a time, measured in this one run."""

from __future__ import annotations

import json
import os
import re
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np

from benchmarks import hardness
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.shapes import SHAPES
from zolvek.core.model.project import Project

FIGURES: list[tuple[str, Callable[[], None]]] = []
MARK = "figure: "  # before a figure that a group's own process says


def figure(name: str) -> Callable[[Callable[[], None]], Callable[[], None]]:
    def add(function: Callable[[], None]) -> Callable[[], None]:
        FIGURES.append((name, function))
        return function

    return add


def best(work: Callable[[], object], times: int = 7) -> float:
    """The shortest of several runs, in seconds: what else the machine does only adds."""
    found = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        found.append(time.perf_counter() - began)
    return min(found)


def say(what: str, value: float, unit: str, limit: str) -> None:
    """A figure and what it is held against: "at most 2", "under 3", "at least 60", "none", or words."""
    row = {
        "what": what,
        "value": float(value),
        "unit": unit,
        "limit": limit,
        "beyond": beyond(value, limit),
    }
    print(MARK + json.dumps(row), flush=True)


def beyond(value: float, limit: str) -> bool:
    """Whether a value lies beyond a limit; where that is given in words, it can't."""
    if limit == "none":
        return value != 0
    found = re.fullmatch(r"(at most|under|at least) ([\d,.]+)", limit)
    if found is None:
        return False
    bound = float(found[2].replace(",", ""))
    return not {"at most": value <= bound, "under": value < bound, "at least": value >= bound}[found[1]]


def random_curve(points: int, mixed: bool, seed: int = 1, length: float = 1_000.0) -> Curve:
    rng = np.random.default_rng(seed)
    shape = rng.integers(0, len(SHAPES), points) if mixed else np.ones(points)
    amount = np.where(shape >= 5, rng.integers(1, 6, points), rng.uniform(-0.9, 0.9, points))
    beat = np.sort(rng.random(points)) * length
    return Curve(beat, rng.random(points), shape.astype(np.uint8), amount * (shape >= 2))


@figure("evaluation")
def evaluation() -> None:
    beats = np.linspace(0.0, 1_000.0, 1_000_000)
    line, mixed = random_curve(10_000, False), random_curve(10_000, True)
    reference = best(lambda: np.interp(beats, line.beat, line.value))
    say(
        "10,000-point line curve at 1,000,000 beats / numpy.interp",
        best(lambda: line.at(beats)) / reference,
        "x",
        "at most 0.5",
    )
    say(
        "the same with all shapes mixed / numpy.interp",
        best(lambda: mixed.at(beats)) / reference,
        "x",
        "at most 1.5",
    )


BARE = """
import time, sys; began = time.perf_counter()
import numpy
from PyQt6.QtWidgets import QApplication, QMainWindow
app = QApplication([]); window = QMainWindow(); window.resize(1280, 800); window.show()
app.processEvents(); print(time.perf_counter() - began)
"""
OURS = """
import time, sys; began = time.perf_counter()
from zolvek.studio.app.application import start
app, window = start(None, demo=True)
app.processEvents(); print(time.perf_counter() - began)
"""


@figure("start")
def start() -> None:
    # A person's Python keeps compiled modules; a start that compiles each again measures something else.
    kept = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}

    def run(code: str) -> float:
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True, env=kept)
        return float(done.stdout)

    # Turn and turn about, so that a busy moment of the machine meets both.
    times = [(run(BARE), run(OURS)) for _ in range(12)]
    bare, ours = (min(column) for column in zip(*times, strict=True))
    say("bare PyQt6 window that imports numpy", bare * 1e3, "ms", "reference")
    say("time to a painted window with the demo / bare window", ours / bare, "x", "at most 2")


@figure("rendering")
def rendering() -> None:
    from zolvek.demo.night_regatta import build
    from zolvek.sound.engine.offline import render
    from zolvek.sound.engine.renderer import RATE

    demo = build()
    render(demo, 0.0, 4.0)
    automated = best(lambda: render(demo), 2)
    bypassed = best(lambda: render(demo, bypass=True), 2)
    seconds = float(demo.tempo.seconds(demo.length))
    say("demo with automation / bypassed", automated / bypassed, "x", "at most 1.5")
    say(f"demo at {RATE} Hz, times real time", seconds / automated, "x", "at least 60")


def crowded(lanes: int) -> Project:
    """The demo with `lanes` lanes of 10,000 points each."""
    from zolvek.core.edits.replacement import add_lane, with_curve
    from zolvek.demo.night_regatta import build

    project = build()
    wanted = [(d.id, p.id) for t in project.tracks for d in t.devices for p in d.parameters]
    for device, parameter in wanted:
        if len(list(project.lanes())) < lanes:
            project, _ = add_lane(project, device, parameter)
    for seed, lane in enumerate(list(project.lanes())):
        drawn = random_curve(10_000, False, seed, project.length)
        project = with_curve(project, lane.id, drawn)
    return project


@figure("painting")
def painting() -> None:
    from benchmarks.answers import Answers
    from zolvek.core.curve import point_edits
    from zolvek.studio.app.application import application, make_window
    from zolvek.studio.session.settings import Settings

    app = application()
    window = make_window(crowded(24), Settings(), ask=Answers())
    window.show()
    window.complete()
    app.processEvents()
    lane = window.focus_lane
    curve = hardness.focus_curve(window)
    window.session.points.choose(np.array([5_000]))
    gesture = object()

    def drags() -> tuple[float, float]:
        """Median seconds of the repaint alone, and of a whole move of the mouse."""
        repaints, moves = [], []
        for i in range(60):
            began = time.perf_counter()
            moved, where = point_edits.move(curve, [5_000], 0.0, 0.001 * (i % 50) - 0.02)
            window.session.edit_curve("Move", moved, where, gesture)
            edited = time.perf_counter()
            lane.repaint()
            moves.append(time.perf_counter() - began)
            repaints.append(time.perf_counter() - edited)
        return float(np.median(repaints)), float(np.median(moves))

    for name, first, beats in (("all", 0.0, window.studio.view.length), ("four bars", 40.0, 16.0)):
        window.studio.view.show(first, beats)
        app.processEvents()
        repaint, whole = drags()
        say(
            f"focus lane, one of 10,000 points dragged, {name} shown",
            repaint * 1e3,
            "ms",
            "no limit set",
        )
        say("    with the edit and everything that follows it", whole * 1e3, "ms", "at most 4")
    window.studio.view.show(0.0, window.studio.view.length)
    app.processEvents()
    say(
        "whole window with 24 lanes of 10,000 points",
        best(lambda: window.grab(), 10) * 1e3,
        "ms",
        "at most 8",
    )

    def afresh() -> None:
        window.low_lanes.rows.clear()
        window.overview.groups.clear()
        window.overview.lanes = None
        window.grab()

    say("the same with nothing kept from the last time", best(afresh, 5) * 1e3, "ms", "at most 25")
    hardness.close(window)


@figure("edits")
def edits_() -> None:
    from zolvek.core.curve import point_edits, shaping, spans
    from zolvek.core.edits.replacement import with_curve
    from zolvek.core.model.project import Pattern
    from zolvek.core.movement.evaluation.lane_evaluation import filled
    from zolvek.core.time.grid import Grid
    from zolvek.core.time.meter import MeterMap
    from zolvek.demo.night_regatta import build

    many = random_curve(100_000, False, 3, 10_000.0)
    piece = spans.piece(many, 0.0, 5_000.0)
    meter = MeterMap()
    for name, work in (
        ("quantise", lambda: quantised_(many, Grid(16), meter)),
        ("scale", lambda: shaping.scaled(many, 0.5, 0.5)),
        ("tilt", lambda: shaping.tilted(many, 0.1, -0.2)),
        ("mirror", lambda: shaping.mirrored(many)),
        ("paste", lambda: spans.splice(many, 2_000.0, piece)),
        ("move 5,000 of them", lambda: point_edits.move(many, np.arange(5_000) * 7, 0.001, 0.01)),
    ):
        say(f"{name}, 100,000 points", best(work) * 1e3, "ms", "at most 8")

    gate = Pattern("gate", 4.0, random_curve(16, False, 5, 4.0))
    gate = Pattern("gate", 4.0, spans.piece(gate.curve, 0.0, 4.0))
    demo = build()

    def fill() -> None:
        project = demo
        for lane in list(demo.lanes())[:8]:
            put = filled(gate, demo.length)
            project = with_curve(project, lane.id, spans.splice(lane.curve, 0.0, put))

    say("repeat a 16-point gate over 48 bars on 8 lanes", best(fill) * 1e3, "ms", "at most 50")


def quantised_(curve: Curve, grid: object, meter: object) -> object:
    from zolvek.core.curve.quantising import quantised

    return quantised(curve, grid, meter)  # type: ignore[arg-type]  # handed through


@figure("crowd")
def crowd() -> None:
    """Dragging 5,000 selected points of 100,000."""
    from benchmarks.answers import Answers
    from zolvek.core.curve import point_edits
    from zolvek.core.edits.replacement import with_curve
    from zolvek.demo.night_regatta import build
    from zolvek.studio.app.application import application, make_window
    from zolvek.studio.session.settings import Settings

    app = application()
    project = build()
    many = random_curve(100_000, False, 3, project.length)
    window = make_window(with_curve(project, "horn.cutoff", many), Settings(), ask=Answers())
    window.show()
    window.complete()
    app.processEvents()
    chosen = np.arange(50_000, 55_000)
    window.session.points.choose(chosen)
    app.processEvents()
    gesture, repaints, moves = object(), [], []
    for i in range(30):
        began = time.perf_counter()
        moved, where = point_edits.move(many, chosen, 0.0, 0.0005 * (i % 20))
        window.session.edit_curve("Move", moved, where, gesture)
        edited = time.perf_counter()
        window.focus_lane.repaint()
        repaints.append(time.perf_counter() - edited)
        moves.append(time.perf_counter() - began)
    say(
        "repaint, 5,000 of 100,000 points dragged",
        float(np.median(repaints)) * 1e3,
        "ms",
        "no limit set",
    )
    say(
        "    with the edit and everything that follows it",
        float(np.median(moves)) * 1e3,
        "ms",
        "at most 8",
    )
    hardness.close(window)


@figure("effects")
def effects_() -> None:
    """A track with a sound file through each effect, two of its controls moving or not."""
    from zolvek.core.curve.construction import curve
    from zolvek.core.model.catalogue import DEVICE_KINDS
    from zolvek.core.model.project import Clip, Device, Lane, Project, Track
    from zolvek.sound.effects.processors import PROCESSORS
    from zolvek.sound.engine.offline import render

    for kind in PROCESSORS:
        device = Device("d", kind, kind, DEVICE_KINDS[kind].preset(DEVICE_KINDS[kind].presets[0].name))
        moved = [p.id for p in device.parameters if not p.steps][:2]
        drawn = curve([(0.0, 0.3), (6.0, 0.7), (12.0, 0.4)])
        lanes = tuple(Lane(key, "d", key, drawn) for key in moved)
        track = Track("t", "T", (device,), lanes, (), (Clip(0.0, "shipped:fog.flac"),))
        project = Project(length=16.0, tracks=(track,))
        render(project, 0.0, 1.0)
        still = best(partial(render, project, bypass=True), 7)
        say(
            f"{kind}, automated / not",
            best(partial(render, project), 7) / still,
            "x",
            "at most 1.2",
        )


@figure("analysis")
def analysis() -> None:
    from zolvek.demo.night_regatta import bar, build
    from zolvek.sound.analysis.measures import spectrogram
    from zolvek.sound.analysis.useful_reach import measure

    seconds, rate = 180, 48_000
    sound = np.random.default_rng(0).standard_normal((2, seconds * rate)).astype(np.float32)
    centres = np.linspace(0, seconds * rate, seconds * 24)
    taken = best(lambda: spectrogram(sound, rate, centres), 2)
    say("spectrogram of a 3-minute stereo file", taken, "s", "under 1")
    demo = build()
    taken = best(lambda: measure(demo, "fog-filter", "cutoff", (bar(9), bar(11))), 2)
    say("measured reach of a filter, 2-bar loop", taken, "s", "at most 0.3")


@figure("movement")
def movement() -> None:
    from zolvek.core.curve.construction import curve
    from zolvek.core.model.layer import Layer
    from zolvek.core.model.project import Lane
    from zolvek.core.movement.evaluation.layering import layered
    from zolvek.core.movement.generators.lfo import Cycles, Lfo
    from zolvek.core.movement.generators.lfo_points import as_curve
    from zolvek.core.movement.generators.randomness import RandomMove
    from zolvek.core.time.rates import Rate
    from zolvek.core.time.tempo import TempoMap

    tempo, beats = TempoMap(), np.linspace(0.0, 1_000.0, 1_000_000)
    base = random_curve(10_000, True)
    layers = (
        Layer("a", "lfo", lfo=Lfo("sine", Rate(2.0)), amount=0.2),
        Layer("b", "random", random=RandomMove("steps", Rate(1.0)), amount=0.1),
        Layer("c", "offset", curve=curve([(0.0, 0.5), (500.0, 0.7), (1_000.0, 0.4)]), amount=0.5),
        Layer("d", "scale", curve=curve([(0.0, 0.5), (400.0, 0.2), (1_000.0, 0.6)]), amount=0.5),
    )
    whole = layered(base, Lane("x", "d", "p", base, layers=layers), tempo, 1_000.0)
    alone = best(lambda: base.at(beats))
    say(
        "a lane with four layers at 1,000,000 beats / base alone",
        best(lambda: whole.at(beats)) / alone,
        "x",
        "at most 2",
    )
    say(
        "10,000 LFO cycles to points",
        best(lambda: as_curve(Lfo(), 0.0, 10_000.0, tempo)) * 1e3,
        "ms",
        "under 30",
    )
    build_up = Lfo("sine", Rate(1.0), rate_end=Rate(0.125))
    made = as_curve(build_up, 0.0, 32.0, tempo, 0.001)
    cycles = float(Cycles(build_up, 0.0, 32.0, tempo).gone(np.array(32.0)))
    say(
        "points a cycle of 1/4 to 1/32 over 8 bars within 0.1 %",
        len(made) / cycles,
        "",
        "at most 6",
    )


def passes() -> dict[str, Curve]:
    """Four made passes of 10,000 points: a slow swell with the user's tremor, a stepped dial, a
    wandering walk, a fast wobble."""
    rng, x = np.random.default_rng(7), np.linspace(0.0, 64.0, 10_000)
    tremor = np.convolve(rng.standard_normal(len(x)), np.hanning(40) / 20.0, "same") * 0.002
    made = {
        "slow swell": 0.1 + 0.7 * (0.5 - 0.5 * np.cos(np.pi * np.clip(x / 48.0, 0, 1))) + tremor,
        "stepped dial": np.round((0.5 + 0.4 * np.sin(x / 5.0) + 0.1 * np.sin(x / 1.7)) * 127) / 127,
        "wandering walk": 0.5 + np.cumsum(rng.standard_normal(len(x))) * 0.003,
        "fast wobble": 0.5 + 0.35 * np.sin(2 * np.pi * x * 1.1) * (1.0 + 0.2 * np.sin(x / 9.0)),
    }
    rows = np.ones(len(x), np.uint8), np.zeros(len(x))
    return {name: Curve(x, np.clip(y, 0, 1), *rows) for name, y in made.items()}


def peucker(curve: Curve, error: float) -> int:
    """Points that Ramer, Douglas and Peucker's way (shapely's, which is GEOS's) leaves at a largest
    vertical error of at most `error`."""
    import shapely

    line = shapely.linestrings(np.column_stack((curve.beat, curve.value)))
    low, high, best = error * 0.05, error * 4.0, len(curve)
    for _ in range(40):
        middle = 0.5 * (low + high)
        kept = np.array(shapely.simplify(line, middle, preserve_topology=False).coords)
        far = np.abs(np.interp(curve.beat, kept[:, 0], kept[:, 1]) - curve.value).max()
        if far <= error:
            low, best = middle, min(best, len(kept))
        else:
            high = middle
    return best


@figure("thinning")
def thinning() -> None:
    import shapely

    from zolvek.core.curve.thinning import thinned

    ratios = []
    for name, drawn in passes().items():
        for percent in (0.2, 1.0, 3.0):
            lines = thinned(drawn, percent / 100.0)
            ratios.append(lines.after / peucker(drawn, lines.error))
            say(f"{name}, {percent} %, lines / Ramer–Douglas–Peucker", ratios[-1], "x", "at most 1")
            shaped = thinned(drawn, percent / 100.0, True)
            smooth = "at most 0.5" if name in ("slow swell", "fast wobble") else "no limit set"
            ratio = shaped.after / peucker(drawn, shaped.error)
            say("    with shapes", ratio, "x", smooth)
    say("median, lines", float(np.median(ratios)), "x", "at most 0.85")
    x = np.linspace(0.0, 1_000.0, 100_000)
    walk = np.clip(0.5 + np.cumsum(np.random.default_rng(0).standard_normal(len(x))) * 0.001, 0, 1)
    many = Curve(x, walk, np.ones(len(x), np.uint8), np.zeros(len(x)))
    line = shapely.linestrings(np.column_stack((x, walk)))
    reference = best(lambda: shapely.simplify(line, 0.01, preserve_topology=False))
    say(
        "100,000 points, lines / shapely's simplify",
        best(lambda: thinned(many, 0.01)) / reference,
        "x",
        "at most 0.3",
    )
    say("100,000 points, shapes", best(lambda: thinned(many, 0.002, True), 2), "s", "at most 0.3")
    few = Curve(x[:130], walk[:130], np.ones(130, np.uint8), np.zeros(130))
    say("130 noisy points, shapes", best(lambda: thinned(few, 0.002, True), 3), "s", "at most 0.1")


@figure("recording")
def recording() -> None:
    """Eight dials at 250 events a second each for a minute, while the demo plays."""
    import threading

    from benchmarks.answers import Answers
    from zolvek.core.edits.replacement import add_lane
    from zolvek.demo.night_regatta import build
    from zolvek.studio.app.application import application, make_window
    from zolvek.studio.session.settings import RecordingSettings, Settings

    app = application()
    project, keys = (
        build(),
        ("width", "transpose", "noise", "cutoff", "resonance", "drive", "amount", "pan"),
    )
    for key in keys:
        project, _ = add_lane(project, "horn", key)
    window = make_window(project, Settings(recording=RecordingSettings(mode="latch", count_in=0)), ask=Answers())
    window.show()
    window.complete()
    app.processEvents()
    session = window.session
    for number, key in enumerate(keys):
        session.passes.arm(f"horn.{key}")
        from zolvek.core.edits.controller_mappings import mapped

        session.document.edit("Map", mapped(session.project, f"cc:1:{number + 1}", "horn", key))
    painted = [0]
    paint = window.focus_lane.paintEvent

    def counted(event: Any) -> None:
        painted[0] += 1
        paint(event)

    window.focus_lane.paintEvent = counted  # type: ignore[method-assign]  # counted in its place
    window.studio.player.ready().warm_up()
    hardness.wait(1_500)
    window.studio.recorder.begin()
    hardness.wait(400)
    seconds, sent, stop = 60.0, [0], threading.Event()

    def hands() -> None:
        began = time.perf_counter()
        for number in range(int(seconds * 250)):
            wait = began + number / 250.0 - time.perf_counter()
            if wait > 0:
                time.sleep(wait)
            for dial in range(8):
                value = (number * (dial + 1) // 3) % 128
                window.studio.midi_io.came.emit((0xB0, dial + 1, value), time.perf_counter())
                sent[0] += 1
        stop.set()

    before = {key: made.count for key, made in window.studio.recorder.passes.items()}
    thread = threading.Thread(target=hands, daemon=True)
    began = time.perf_counter()
    thread.start()
    while not stop.is_set():
        hardness.wait(16)
    hardness.wait(200)
    taken = time.perf_counter() - began
    noted = sum(made.count - before[key] for key, made in window.studio.recorder.passes.items())
    say(f"events of {sent[0]:,} lost while recording eight dials", sent[0] - noted, "", "none")
    say("repaints of the focus lane a second meanwhile", painted[0] / taken, "/s", "at least 30")
    window.studio.player.stop()
    hardness.close(window)


@figure("morphing")
def morphing() -> None:
    from zolvek.core.edits import states
    from zolvek.core.model.device_kind import DeviceKind
    from zolvek.core.model.morph import Course
    from zolvek.core.model.pad import Pad, PadCorner
    from zolvek.core.model.project import Device, Project, Track
    from zolvek.core.model.state import StatePart
    from zolvek.core.movement.morphing import morphs, pad_paths
    from zolvek.core.time.rates import Rate
    from zolvek.core.value.parameter import Parameter

    def project_of(count: int) -> Project:
        parameters = tuple(Parameter(f"p{i}", f"P {i}", f"G {i % 8}") for i in range(count))
        kind = DeviceKind("many", "Many", "outside", parameters)
        device = Device("m", "many", "Many", described=kind)
        return Project(length=256.0, tracks=(Track("t", "T", (device,)),))

    rng = np.random.default_rng(2)
    five = project_of(500)
    start, end = ({f"p{i}": float(rng.random()) for i in range(500)} for _ in range(2))
    way = Course("s-curve", 0.4)
    taken = best(lambda: morphs.morphed(five, "m", start, end, (16.0, 48.0), way))
    say("morphing 500 parameters over a span", taken * 1e3, "ms", "under 50")
    corners = tuple(PadCorner(str(i), *rng.random(2)) for i in range(8))
    x, y = rng.random((2, 1_000_000))
    say(
        "pad weights, 8 states at 1,000,000 places",
        best(lambda: pad_paths.weights(corners, x, y), 3) * 1e3,
        "ms",
        "under 250",
    )
    sixty, placed = project_of(60), []
    for i, place in enumerate(((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0))):
        values = {f"p{n}": float(rng.random()) for n in range(60)}
        sixty, key = states.kept(sixty, f"S {i}", (StatePart("m", values),))
        placed.append(PadCorner(key, *place))
    pad = pad_paths.travelled(Pad("m", tuple(placed)), "wander", Rate(4.0), (0.0, 128.0), sixty)
    pad_paths.as_lanes(sixty, pad, 0.002)
    say(
        "a 32-bar pad path to 60 lanes within 0.2 %",
        best(lambda: pad_paths.as_lanes(sixty, pad, 0.002), 3),
        "s",
        "under 1",
    )


def _ticks() -> list[int]:
    """What the processor has done so far: user, nice, system, idle, …, stolen (proc(5))."""
    return [int(x) for x in Path("/proc/stat").read_text().splitlines()[0].split()[1:]]


@figure("playing")
def playing() -> None:
    """The demo plays for a minute while a point is dragged 60 times a second."""
    from benchmarks.answers import Answers
    from zolvek.core.curve import point_edits
    from zolvek.demo.night_regatta import build
    from zolvek.studio.app import garbage_collection
    from zolvek.studio.app.application import application, make_window
    from zolvek.studio.services.playback.audio_output import AudioOut
    from zolvek.studio.services.playback.device_process import PACED
    from zolvek.studio.session.settings import PlaybackSettings, Settings

    app = application()
    window = make_window(build(), Settings(), ask=Answers())
    window.show()
    window.complete()
    app.processEvents()
    curve = hardness.focus_curve(window)
    player = window.studio.player
    player.made = lambda playback: AudioOut(playback, player, PlaybackSettings(device=PACED))
    playback = player.ready()
    playback.warm_up()
    hardness.wait(1_500)
    garbage_collection.set_aside()  # as the program does by then
    window.studio.player.play()
    ticks = _ticks()
    began, moves, gesture = time.perf_counter(), 0, object()
    while time.perf_counter() - began < 60.0:
        moved, where = point_edits.move(curve, [3], 0.0, 0.1 * np.sin(moves / 20.0))
        window.session.edit_curve("Move", moved, where, gesture)
        moves += 1
        hardness.wait(max(int(1_000 * (began + moves / 60.0 - time.perf_counter())), 0))
    say("buffers run dry in a minute of dragging at 60 moves a second", playback.dry, "", "none")
    say("    moves made a second", moves / (time.perf_counter() - began), "/s", "60")
    total = [after - before for after, before in zip(_ticks(), ticks, strict=True)]
    say(
        "    of the processor taken by other machines",
        100 * total[7] / sum(total),
        "%",
        "no limit set",
    )
    hardness.close(window)


@figure("heard")
def heard_() -> None:
    """A track is muted in the window while it plays, until the sound of that leaves for a device's buffer of 21 ms."""
    from benchmarks.answers import Answers
    from zolvek.core.records import replace
    from zolvek.demo.night_regatta import build
    from zolvek.sound.processes import sound_ring
    from zolvek.studio.app.application import application, make_window
    from zolvek.studio.services.playback.audio_output import AudioOut
    from zolvek.studio.services.playback.device_process import PACED
    from zolvek.studio.session.settings import PlaybackSettings, Settings

    app = application()
    project = build()
    window = make_window(project, Settings(), ask=Answers())
    window.show()
    window.complete()
    app.processEvents()
    player = window.studio.player
    player.made = lambda playback: AudioOut(playback, player, PlaybackSettings(device=PACED))
    playback = player.ready()
    player.play()
    hardness.wait(12_000)  # until what a start costs is over
    silent = replace(project, tracks=tuple(replace(track, muted=True) for track in project.tracks))
    ring, silent_at, stop = playback.ring, [0.0], threading.Event()

    def listen() -> None:
        """Note when what is taken becomes silent; a window that is busy does not delay it."""
        was = True
        while not stop.wait(0.001):
            read = int(ring.words[sound_ring.READ])
            part = ring.sound[np.arange(read - 64, read) & (sound_ring.RING_FRAMES - 1)]
            quiet = bool(np.abs(part).max() < 1e-4)
            if quiet and not was:
                silent_at[0] = time.perf_counter()
            was = quiet

    thread = threading.Thread(target=listen, daemon=True)
    thread.start()
    taken = []
    for _ in range(10):
        silent_at[0], began = 0.0, time.perf_counter()
        window.session.document.edit("Mute", silent)
        while not silent_at[0] and time.perf_counter() - began < 1.0:
            hardness.wait(1)
        taken.append(silent_at[0] - began)
        window.session.document.edit("Sound", project)
        hardness.wait(700)
    stop.set()
    thread.join()
    heard = 1e3 * (statistics.median(taken) + 1_024 / playback.rate)
    say("edit heard while playing, with a device's buffer", heard, "ms", "at most 60")
    hardness.close(window)


@figure("impact")
def impact() -> None:
    """What each control does: how soon the first answer comes, and the last; and what more bars and controls cost."""
    from zolvek.demo.night_regatta import bar, build
    from zolvek.sound.analysis import control_effects
    from zolvek.sound.analysis.stillness import bar_movement

    demo = build()
    controls = [c for c in control_effects.controls_of(demo, ["horn"]) if c[1] not in ("wave", "mute", "pan", "level")]

    def asked(count: int, bars: int) -> tuple[float, float]:
        """Seconds to the first answer and to the last."""
        began, first = time.perf_counter(), 0.0
        with mock.patch.object(control_effects, "controls_of", lambda *_: controls[:count]):
            for _ in control_effects.effects(demo, ["horn"], (bar(9), bar(9 + bars))):
                first = first or time.perf_counter() - began
        return first, time.perf_counter() - began

    asked(2, 1)  # what is loaded once
    first, last = asked(12, 2)
    say("12 controls of a synth over two bars: first row", first, "s", "at most 1")
    say("    all of them", last, "s", "at most 5")
    say("    the same over twice as many bars", asked(12, 4)[1] / last, "x", "at most 2.2")
    say("    half as many controls", asked(6, 2)[1] / last, "x", "no limit set")
    began = time.perf_counter()
    bar_movement(demo)
    say("the demo's movement, bar by bar", time.perf_counter() - began, "s", "no limit set")


@figure("piece")
def piece_() -> None:
    """Time and sounds of a piece of one's own."""
    from zolvek.core.curve.construction import lines
    from zolvek.core.edits import bars
    from zolvek.core.edits.replacement import with_curve
    from zolvek.sound.analysis.onsets import RATE, found
    from zolvek.sound.analysis.waveform import peaks_of

    rng = np.random.default_rng(0)
    project = crowded(64)
    for lane in list(project.lanes()):
        drawn = lines(np.sort(rng.uniform(0.0, project.length, 5_000)), rng.random(5_000))
        project = with_curve(project, lane.id, drawn)
    say(
        "4 bars inserted in 64 lanes of 5,000 points",
        1e3 * best(lambda: bars.insert_bars(project, 20, 4)),
        "ms",
        "at most 50",
    )
    sound = rng.normal(0.0, 0.1, 60 * RATE)
    say("hits of a minute of sound", best(lambda: found([sound]), 3), "s", "at most 0.1")
    with tempfile.TemporaryDirectory() as folder:
        import soundfile

        path = str(Path(folder) / "stem.wav")
        soundfile.write(path, rng.normal(0.0, 0.1, (60 * 48_000, 2)), 48_000, subtype="PCM_24")
        say(
            "picture of 4 minutes of stereo sound, of 12 such in 10 s",
            4.0 * best(lambda: peaks_of(path), 3),
            "s",
            "at most 0.8",
        )


@figure("plugins")
def plugins_() -> None:
    """Every installed plugin, each in a process of its own: all parameters swept from end to end."""
    from concurrent.futures import ThreadPoolExecutor

    from zolvek.core.errors import ZolvekError
    from zolvek.sound.hosting.catalogue.installed import installed
    from zolvek.sound.processes.job_messages import Job
    from zolvek.sound.processes.job_process import run_in_process

    every, faults = installed()
    for fault in faults:
        print(fault)
    usable = [each for each in every if not each.fault]
    reported: list[Any] = []

    def sweep(each: Any) -> None:
        try:
            reported.append(
                run_in_process(Job("zolvek.sound.jobs.plugin_sweep:job", (each.id,)), lambda *_: None, 60.0)
            )
        except ZolvekError as error:
            print(f"{each.name}: {error.what}")

    with ThreadPoolExecutor(2) as pool:
        list(pool.map(sweep, usable))
    say("installed plugins", len(every), "", "as there are")
    say("of them can be used", len(usable), "", "as there are")
    say(
        "of these are whole after a sweep of all parameters",
        len(reported),
        "",
        f"at least {len(usable) * 9 // 10}",
    )
    for word in (
        "keeps its defaults",
        "outputs only numbers",
        "is the same twice",
        "restores its state",
    ):
        say(f"of these: {word}", sum(row[word] for row in reported), "", "as there are")
    if reported:
        say(
            "a run of 64 frames beyond the plugin's own, median",
            float(np.median([row["over"] for row in reported])),
            "µs",
            "at most 5",
        )


@figure("evil")
def evil() -> None:
    """The sound process killed by plugins, while it plays and is edited."""
    from benchmarks import evil_plugins

    lost = evil_plugins.killed(200)
    say("kills by plugins that were not reported, or after which it did not continue", lost.missing, "", "none")
    say(f"longest silence after a crash, {lost.edits} edits meanwhile", lost.silent, "s", "at most 1")
    say("longest silence after a hang was found", lost.hung, "s", "at most 1")


@figure("beside")
def beside_() -> None:
    """Next to real servers, seen by an independent client of them."""
    from benchmarks import beside

    beside.figures(say)


@figure("busy")
def busy() -> None:
    """Next to a server and a busy window, for minutes."""
    from benchmarks import beside

    beside.busy(say, float(os.environ.get("ZOLVEK_BUSY", "600")))


@figure("exporting")
def exporting() -> None:
    """48 bars of 64 lanes, every shape in each, as pairs of controllers."""
    from zolvek.core.model.messages import MidiTarget
    from zolvek.core.records import replace
    from zolvek.formats.midi import file_out as midi_out

    project = crowded(64)
    tracks, number = [], 0
    for track in project.tracks:
        lanes = []
        for lane in track.lanes:
            target = MidiTarget(number // 32 + 1, number % 32, "cc14")
            drawn = random_curve(200, True, number, project.length)
            lanes.append(replace(lane, curve=drawn, midi=target))
            number += 1
        tracks.append(replace(track, lanes=tuple(lanes)))
    project = replace(project, tracks=tuple(tracks))
    midi_out.encode(project)
    taken = best(lambda: midi_out.encode(project), 3)
    say("64 lanes of 48 bars as 14-bit MIDI", taken, "s", "under 3")


@figure("crossings")
def crossings_() -> None:
    """Every two features in one project."""
    from benchmarks import crossings

    crossings.pairs(say)


@figure("rearranging")
def rearranging() -> None:
    """Random projects there and back."""
    from benchmarks import crossings

    crossings.there_and_back(say)


@figure("plugins-all")
def plugins_all() -> None:
    """Every installed plugin, tried; a table by bundle."""
    from benchmarks import every_plugin

    every_plugin.all_installed(say)


# The long ones take many minutes: they run only when they are named, or "long" is.
LONG = ("damage", "trees", "kills", "actions", "endurance", "windows", "crossings", "rearranging", "plugins-all")
MINUTES = 12.0  # that a group may take
LONG_MINUTES = 100.0


def say_damage(what: str, found: hardness.Damage, longest: str) -> None:
    """What came of many files, each of them wrong in some way."""
    for fault in found.faults[:20]:
        print(f"    {fault}")
    say(f"{what} of 20,000 that raised something uncaught", len(found.faults), "", "none")
    say("    longest that one took", found.longest, "s", longest)
    say("    most memory", hardness.peak_memory() / 2**20, "MiB", "under 1024")
    say("    of them read all the same", found.read, "", "whatever is whole")


@figure("damage")
def damage() -> None:
    say_damage("damaged files", hardness.damage(20_000), "under 5")


@figure("kills")
def kills() -> None:
    from concurrent.futures import ThreadPoolExecutor

    # Several at a time: most of a run is waiting.
    with ThreadPoolExecutor(5) as pool:
        runs = pool.map(lambda seed: next(hardness.kills(1, seed)), range(200))
        behind = list(runs)
    opened = [seconds for seconds in behind if seconds is not None]
    say("runs of 200 killed that left nothing to open", len(behind) - len(opened), "", "none")
    say("furthest behind the last edit", max(opened), "s", "at most 5")


@figure("actions")
def actions() -> None:

    found = hardness.actions(20_000)
    for fault in found.faults[:5]:
        print(f"    {fault}")
    say("faults in 20,000 random actions", len(found.faults), "", "none")
    say("refused with a message", found.refused, "", "each says what to do")


@figure("trees")
def trees_() -> None:
    from benchmarks import trees

    say_damage("changed trees", trees.mutations(20_000), "under 10")  # used in every way


@figure("sizes")
def sizes() -> None:
    """Memory and time of what is large."""
    from benchmarks import ceilings

    for what, value, unit, limit in ceilings.measured():
        say(what, value, unit, limit)


@figure("losses")
def losses() -> None:
    """The playback worker killed, and stopped: until it is given, and until sound goes on."""
    from benchmarks import ceilings

    for what, value, unit, limit in ceilings.losses():
        say(what, value, unit, limit)


@figure("endurance")
def endurance() -> None:
    from benchmarks import ceilings

    for what, value, unit, limit in ceilings.hours(8.0):
        say(what, value, unit, limit)


@figure("windows")
def windows() -> None:
    from benchmarks import ceilings

    for what, value, unit, limit in ceilings.windows(300):
        say(what, value, unit, limit)


@figure("growth")
def growth_() -> None:
    from benchmarks import growth

    for what, value, unit, limit in growth.rows():
        say(what, value, unit, limit)


@figure("at-rest")
def at_rest_() -> None:
    from benchmarks import at_rest

    for what, value, unit, limit in at_rest.rows():
        say(what, value, unit, limit)


@figure("largest")
def largest() -> None:
    from benchmarks import growth

    for what, value, unit, limit in growth.largest():
        say(what, value, unit, limit)


def one(name: str) -> None:
    """Measure one group in this process."""
    dict(FIGURES)[name]()


def run(words: list[str]) -> int:
    """Measure the groups named ("long": those that take many minutes; none: all others), each in a
    process of its own, in which nobody is asked anything; `--json` prints them as JSON. The last line
    counts the figures, and those beyond their limit."""
    names = [word for word in words if word != "--json"]
    known = [name for name, _ in FIGURES]
    unknown = [name for name in names if name not in (*known, "long")]
    if unknown:
        print(
            f"There is no group {unknown[0]}. There are {', '.join(known)}, and long.",
            file=sys.stderr,
        )
        return 2
    wanted = [
        name for name in known if name in names or (name in LONG and "long" in names) or not (names or name in LONG)
    ]
    rows: list[dict[str, object]] = []
    broken = 0
    as_json = "--json" in words
    for name in wanted:
        if not as_json:
            print(name, flush=True)
        found, whole = _group(name, as_json)
        rows += [{"group": name, **row} for row in found]
        broken += not whole
    over = sum(bool(row["beyond"]) for row in rows)
    if as_json:
        print(json.dumps({"figures": rows, "broken": broken}, indent=1, ensure_ascii=False))
    if broken:
        print(f"{broken} groups did not end as they should; see above.", file=sys.stderr)
    print(
        f"{len(rows)} figures, {over} beyond their limit",
        file=sys.stderr if as_json else sys.stdout,
    )
    return 1 if broken else 0


def _group(name: str, quiet: bool) -> tuple[list[dict[str, object]], bool]:
    """A group's figures, and whether its process ended as it should."""
    rows: list[dict[str, object]] = []
    with tempfile.TemporaryDirectory(prefix="zolvek-bench-") as folder:
        own = {f"XDG_{kind}_HOME": folder for kind in ("CONFIG", "DATA", "STATE", "CACHE")}
        code = f"from benchmarks import figures; figures.one({name!r}); import os, sys; sys.stdout.flush(); os._exit(0)"
        process = subprocess.Popen(
            [sys.executable, "-c", code], env={**os.environ, **own, "QT_QPA_PLATFORM": "offscreen"},
            stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, text=True, cwd=Path(__file__).parent.parent,
        )  # fmt: skip
        limit = 60.0 * (LONG_MINUTES if name in LONG else MINUTES)
        watch = threading.Timer(limit, process.kill)
        watch.daemon = True
        watch.start()
        assert process.stdout is not None
        for line in process.stdout:
            if line.startswith(MARK):
                row = json.loads(line.removeprefix(MARK))
                rows.append(row)
                if not quiet:
                    mark = "  beyond" if row["beyond"] else ""
                    print(
                        f"  {row['what']:<58} {row['value']:8.2f} {row['unit']:<3} ({row['limit']}){mark}",
                        flush=True,
                    )
            elif not quiet:
                print(line, end="", flush=True)
        status = process.wait()
        watch.cancel()
    return rows, status == 0
