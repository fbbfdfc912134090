# SPDX-License-Identifier: GPL-3.0-or-later
"""Composes "Night Regatta" and writes it to night_regatta.zolvek next to this file, which ships:
`python -m zolvek.demo.night_regatta`. `build` reads that file. 48 bars in A minor, 112 BPM easing to 116, one bar of
6/4 before the end.

Bars: Moorings 1–8, Cast off 9–16, Channel 17–24, Lock gate 25–32, Open water 33–42, Landing 43–48.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from zolvek.core.curve.construction import curve, flat
from zolvek.core.curve.curve import Curve
from zolvek.core.edits import pads as pads_edits
from zolvek.core.edits import states, takes
from zolvek.core.edits.replacement import LANE_COLOURS
from zolvek.core.model.layer import Layer
from zolvek.core.model.morph import Course
from zolvek.core.model.pad import Pad, PadCorner
from zolvek.core.model.project import Clip, Device, Lane, MidiTarget, Note, Project, Section, Track
from zolvek.core.model.state import StatePart
from zolvek.core.movement.generators.lfo import Lfo
from zolvek.core.movement.morphing import morphs, pad_paths
from zolvek.core.movement.recording.passes import Move, written
from zolvek.core.records import replace
from zolvek.core.time.meter import MeterMap, MeterPoint
from zolvek.core.time.rates import Rate
from zolvek.core.time.tempo import TempoMap, TempoPoint
from zolvek.core.value.parameter import Parameter

METER = MeterMap((MeterPoint(1, 4, 4), MeterPoint(47, 6, 4), MeterPoint(48, 4, 4)))
BARS = 48
SECTIONS = (
    (1, "Moorings"), (9, "Cast off"), (17, "Channel"), (25, "Lock gate"), (33, "Open water"), (43, "Landing"),
)  # fmt: skip
# A chord for each two bars: root of the horn, and the mallet's notes.
CHORDS = (
    (45, (69, 72, 76, 79)), (41, (65, 69, 72, 76)), (48, (67, 72, 76, 79)), (43, (67, 71, 74, 79)),
)  # fmt: skip
# Sixteenths of a bar on which the mallet strikes, and which chord note.
FIGURE = ((0, 0), (3, 1), (6, 2), (8, 3), (11, 1), (14, 2))


def bar(number: float) -> float:
    """The beat at which a bar begins; fractions count within the bar."""
    whole = int(number)
    start, end = METER.bar_beat(whole), METER.bar_beat(whole + 1)
    return start + (number - whole) * (end - start)


def chord(number: int) -> tuple[int, tuple[int, ...]]:
    """The bass and the notes of a chord of the progression."""
    return CHORDS[(number - 1) // 2 % len(CHORDS)]


def horn() -> tuple[Note, ...]:
    """Two long notes to a chord: the root, and its fifth above from the second bar on."""
    notes = []
    for number in range(1, BARS, 2):
        root, _ = chord(number)
        length = bar(min(number + 2, BARS + 1)) - bar(number)
        notes.append(Note(bar(number), length * 0.96, root, 0.85))
        if number >= 9:
            notes.append(Note(bar(number + 1), (length * 0.5) * 0.92, root + 7, 0.5))
    return tuple(notes)


def lanterns() -> tuple[Note, ...]:
    """The notes of the mallet figure."""
    notes = []
    for number in range(5, BARS):
        if number in (25, 26, 31, 32):
            continue  # the lock fills: the figure rests
        _, tones = chord(number)
        for index, (sixteenth, tone) in enumerate(FIGURE):
            lift = 12 if number >= 33 and tone == 3 else 0
            strength = 0.75 - 0.06 * (index % 3)
            notes.append(Note(bar(number) + sixteenth / 4, 0.25, tones[tone] + lift, strength))
    notes.append(Note(bar(48), 2.0, 69, 0.8))
    return tuple(notes)


def flare() -> tuple[Note, ...]:
    """A riser before each new section from the channel on."""
    return tuple(Note(bar(b), bar(e) - bar(b), 60, 0.9) for b, e in ((15, 17), (23, 25), (29, 33), (41, 43)))


def drawn(parameter: Parameter, *rows: tuple) -> Curve:
    """A curve from rows of bar, value as text, shape, amount: as a person would write it."""
    return curve([(bar(row[0]), parameter.parse(row[1]), *row[2:]) for row in rows])


def lanes(devices: dict[str, Device]) -> dict[str, tuple[Lane, ...]]:
    """The lanes of each track. Long: it is the demo's score, written down lane by lane."""

    def lane(device: str, parameter: str, channel: int, controller: int, *rows: tuple) -> Lane:
        result = drawn(devices[device].parameter(parameter), *rows)
        target = MidiTarget(channel, controller)
        return Lane(f"{device}.{parameter}", device, parameter, result, midi=target)

    return {
        "hull": (
            lane(
                "horn",
                "cutoff",
                1,
                74,
                (1, "240 Hz", "cosine"),
                (5, "420 Hz", "cosine"),
                (9, "260 Hz", "bend", -0.45),
                (17, "5.2 kHz", "line"),
                (17, "900 Hz", "waves", 3),
                (21, "1.9 kHz", "s-curve", 0.5),
                (25, "340 Hz", "bend", -0.3),
                (33, "6.4 kHz", "bend", 0.35),
                (43, "1.1 kHz", "cosine"),
                (48, "260 Hz", "line"),
            ),
            lane(
                "horn",
                "resonance",
                1,
                71,
                (1, "12 %", "line"),
                (9, "12 %", "bend", -0.5),
                (16.75, "52 %", "hold"),
                (17, "18 %", "line"),
                (25, "18 %", "s-curve", 0.4),
                (32, "44 %", "hold"),
                (33, "15 %", "line"),
            ),
        ),
        "lanterns": (
            swaying(),
            lane(
                "echo",
                "feedback",
                2,
                91,
                (1, "28 %", "line"),
                (13, "28 %", "bend", -0.4),
                (16.75, "78 %", "hold"),
                (17, "30 %", "line"),
                (21, "30 %", "cosine"),
                (24.75, "82 %", "hold"),
                (25, "36 %", "line"),
                (41, "36 %", "bend", -0.5),
                (42.75, "85 %", "line"),
                (43, "30 %", "line"),
            ),
            lane(
                "mallet",
                "transpose",
                2,
                20,
                (1, "0 st", "hold"),
                (23, "+2 st", "hold"),
                (24, "+7 st", "hold"),
                (25, "0 st", "hold"),
                (41, "+5 st", "hold"),
                (42, "+7 st", "hold"),
                (43, "0 st", "hold"),
            ),
        ),
        "fog": (
            lane(
                "fog-strip",
                "level",
                3,
                7,
                (1, "-60 dB", "bend", 0.5),
                (5, "-8 dB", "line"),
                (9, "-14 dB", "line"),
                (25, "-14 dB", "pulses", 16),
                (29, "-4 dB", "pulses", 32),
                (33, "-16 dB", "line"),
                (43, "-16 dB", "cosine"),
                (47, "-5 dB", "bend", 0.4),
                (48, "-30 dB", "line"),
            ),
            _by_hand(devices["fog-filter"]),
            lane(
                "fog-filter",
                "cutoff",
                3,
                75,
                (1, "600 Hz", "cosine"),
                (9, "2.4 kHz", "cosine"),
                (17, "800 Hz", "stairs", 7),
                (25, "9 kHz", "bend", 0.6),
                (33, "700 Hz", "cosine"),
                (43, "3 kHz", "line"),
            ),
        ),
        "flare": (
            lane(
                "riser",
                "cutoff",
                4,
                74,
                (1, "300 Hz", "hold"),
                (15, "300 Hz", "bend", -0.55),
                (17, "9 kHz", "hold"),
                (23, "300 Hz", "bend", -0.55),
                (25, "9 kHz", "hold"),
                (29, "200 Hz", "bend", -0.7),
                (33, "14 kHz", "hold"),
                (41, "300 Hz", "bend", -0.55),
                (43, "9 kHz", "hold"),
            ),
        ),
    }


def _by_hand(device: Device) -> Lane:
    """A pass over the channel as a hand would play it, made up here: kept raw as a take, and thinned
    to the lane's curve."""
    first, last = bar(17), bar(24)
    beats = np.linspace(first, last, 420)
    u = (beats - first) / (last - first)
    rng = np.random.Generator(np.random.PCG64(1848))
    tremor = np.convolve(rng.standard_normal(len(beats) + 24), np.hanning(25) / 12.0, "valid") * 0.012
    swell = (
        device.position("resonance")
        + 0.36 * np.sin(np.pi * u) ** 1.5 * (0.75 + 0.25 * np.sin(5.0 * np.pi * u))
        + tremor
    )
    rest = device.position("resonance")
    moves = [Move(float(b), float(v), True) for b, v in zip(beats, swell, strict=True)]
    moves.append(Move(last, moves[-1].position, False))
    recorded = written(flat(rest), moves, "touch", first, last, 1.0, 112 / 60, tolerance=0.012)
    assert recorded is not None
    lane = Lane("fog-filter.resonance", "fog-filter", "resonance", recorded.curve, midi=MidiTarget(3, 71))
    return takes.with_take(lane, recorded.raw, first, last)


def swaying() -> Lane:
    """The lanterns' place from side to side over open water, further and further: an LFO as a
    layer, its depth growing, over a lane that stands still."""
    first, last = bar(33), bar(43)
    growth = curve([(0.0, 0.5), (first, 0.5, "bend", -0.4), (last, 1.0)])
    sway = Layer("sway", "lfo", "Sway", first, last, 0.8, growth, lfo=Lfo("sine", Rate(8.0)))
    target = MidiTarget(2, 10)
    return Lane("lantern-strip.pan", "lantern-strip", "pan", flat(0.56), midi=target, layers=(sway,))


SHIPPED = Path(__file__).with_name("night_regatta.zolvek")


def build() -> Project:
    """The song as it ships."""
    from zolvek.formats.project import project_file

    return project_file.decode(SHIPPED.read_bytes(), str(SHIPPED))


def compose() -> Project:
    """The song from its parts."""
    devices = {
        device.id: device
        for device in (
            make(
                "horn",
                "synth",
                "Horn",
                wave="Saw",
                cutoff="800 Hz",
                resonance="14 %",
                drive="9 dB",
                amount="+12 %",
                attack="180 ms",
                decay="1.6 s",
                sustain="78 %",
                release="600 ms",
                level="-13 dB",
            ),
            make("hull-strip", "strip", "Hull strip", level="-1 dB"),
            make(
                "mallet",
                "synth",
                "Mallet",
                wave="Mallet",
                cutoff="7 kHz",
                attack="1 ms",
                decay="900 ms",
                sustain="0 %",
                release="700 ms",
                level="-9 dB",
            ),
            make("echo", "delay", "Echo", time="402 ms", feedback="32 %", mix="28 %"),
            make("lantern-strip", "strip", "Lantern strip", pan="12 % R"),
            make("fog-filter", "filter", "Fog filter", cutoff="2 kHz", resonance="10 %"),
            make("fog-strip", "strip", "Fog strip", level="-10 dB"),
            make(
                "riser",
                "synth",
                "Riser",
                wave="None",
                noise="100 %",
                cutoff="300 Hz",
                resonance="35 %",
                attack="900 ms",
                sustain="100 %",
                release="350 ms",
                level="-19 dB",
            ),
            make("flare-strip", "strip", "Flare strip"),
        )
    }
    drawn_lanes = lanes(devices)
    return _with_morphs(_piece(devices, drawn_lanes))


def _with_morphs(project: Project) -> Project:
    """The horn goes through the lock gate from what it is to a driven tone and back to a soft one;
    over open water the echo wanders among three settings of its own."""
    horn = project.device_track("horn").device("horn")
    lead = {
        **states.present(horn),
        "drive": 0.62,
        "amount": 0.64,
        "attack": 0.35,
        "sustain": 0.9,
    }
    soft = {
        **states.present(horn),
        "drive": 0.1,
        "amount": 0.5,
        "attack": 0.72,
        "release": 0.85,
    }
    project, gate = states.kept(project, "Pressed", (StatePart("horn", lead),))
    project, free = states.kept(project, "Let go", (StatePart("horn", soft),))
    stops = [(bar(25), ""), (bar(31), gate), (bar(33), free)]
    # What is drawn by hand stays as it is; the morph moves the rest.
    course = Course("s-curve", 0.3, left_out=("cutoff", "resonance"))
    project = morphs.chained(project, "horn", stops, course)
    corners = []
    for name, x, y, mix, time in (
        ("Near", 0.1, 0.15, 0.2, 0.45),
        ("Wide", 0.9, 0.2, 0.5, 0.62),
        ("Far", 0.5, 0.95, 0.36, 0.7),
    ):
        values = {"mix": mix, "time": time}
        project, key = states.kept(project, name, (StatePart("echo", values),))
        corners.append(PadCorner(key, x, y))
    pad = pad_paths.travelled(Pad("echo", tuple(corners)), "wander", Rate(8.0), (bar(33), bar(43)), project, 5)
    return pad_paths.as_lanes(pads_edits.with_pad(project, pad), pad, 0.004)


def _piece(devices: dict[str, Device], drawn_lanes: dict[str, tuple[Lane, ...]]) -> Project:
    def track(key: str, name: str, chain: tuple[str, ...], **source: Any) -> Track:
        return Track(key, name, tuple(devices[d] for d in chain), drawn_lanes[key], **source)

    drawn_lanes = {
        key: tuple(replace(lane, colour=n % LANE_COLOURS) for n, lane in enumerate(lanes))
        for key, lanes in drawn_lanes.items()
    }
    fog = Clip(0.0, "shipped:fog.flac", 0.0, bar(49))
    return Project(
        name="Night Regatta",
        tempo=TempoMap((TempoPoint(0.0, 112.0), TempoPoint(bar(33), 112.0, True), TempoPoint(bar(37), 116.0))),
        meter=METER,
        length=bar(BARS + 1),
        sections=tuple(Section(bar(number), name) for number, name in SECTIONS),
        tracks=(
            track("hull", "Hull", ("horn", "hull-strip"), notes=horn()),
            track("lanterns", "Lanterns", ("mallet", "echo", "lantern-strip"), notes=lanterns()),
            track("fog", "Fog", ("fog-filter", "fog-strip"), clips=(fog,)),
            track("flare", "Flare", ("riser", "flare-strip"), notes=flare()),
        ),
    )


def make(key: str, kind: str, name: str, **values: str) -> Device:
    """A device with its present values given as text."""
    bare = Device(key, kind, name)
    return Device(key, kind, name, {k: bare.parameter(k).parse(text) for k, text in values.items()})


if __name__ == "__main__":
    from zolvek.formats.project import project_file

    project_file.save(compose(), SHIPPED)
    print(f"{SHIPPED}: {SHIPPED.stat().st_size} bytes")
