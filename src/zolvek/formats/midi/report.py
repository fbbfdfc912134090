# SPDX-License-Identifier: GPL-3.0-or-later
"""What a MIDI export will be like, before it is written: how much goes over the cable, how
far lanes stray, which can't be distinguished, and what to do about it."""

from __future__ import annotations

from collections import Counter

import numpy as np

from zolvek.core.arrays import Floats, Ints
from zolvek.core.model.messages import MESSAGES
from zolvek.core.model.project import Project
from zolvek.core.movement.evaluation.lane_evaluation import EvaluatedLane
from zolvek.core.movement.evaluation.quantised_steps import Resolution, Stream, step_extents
from zolvek.core.records import Record
from zolvek.core.time.meter import TICKS
from zolvek.core.value.parameter import Parameter
from zolvek.formats.midi.encode import BAUD, beyond, in_time, running
from zolvek.formats.midi.step_streams import FINEST, Progress, exported_lanes, lane_messages
from zolvek.formats.midi.tempo_events import time_stray

BYTES_A_SECOND = BAUD / 10.0  # a start and a stop bit with each eight (MIDI 1.0, hardware)
TOGETHER_S = 0.002  # seconds in which messages count as sent together
IN_HALVES = ("cc14", "rpn", "nrpn")
WORTH_SAYING = 64  # steps beyond both values, of 16,383: half of what can't be helped
AUDIBLE_DELAY_S = 0.020  # seconds behind from which on it is worth a word (common practice, no source)


class LaneReport(Record, frozen=True):
    """One lane: how many messages, how far its steps stray at most (in steps of its kind, and in
    the parameter's own unit: as a text, and as a number with its unit), and at which beat; `beyond`: how many steps
    outside both values a receiver may see between the halves of a change."""

    lane: str
    label: str
    target: str
    messages: int
    steps: float
    stray: str
    stray_value: float
    stray_unit: str
    beat: float
    beyond: int


class Report(Record, frozen=True):
    """`messages_a_second`, `bytes_a_second`: in the busiest second, which begins at `busiest`
    (seconds); `late`: how far a DIN cable falls behind at most, in seconds; `time_stray`: how far the file's
    time is from the project's at most, in seconds, as its tempos are whole microseconds; `alike`: labels of
    lanes that can't be distinguished on arrival; `advice`: what to do about each problem."""

    lanes: tuple[LaneReport, ...]
    messages: int
    bytes: int
    messages_a_second: int
    bytes_a_second: int
    busiest: float
    late: float
    time_stray: float
    alike: tuple[tuple[str, ...], ...]
    advice: tuple[str, ...]


def report(
    project: Project,
    resolution: Resolution = FINEST,
    progress: Progress | None = None,
    exact_time: bool = False,
) -> Report:
    """The report on all lanes that are exported."""
    result = lane_messages(project, exported_lanes(project), resolution, progress)
    lanes = tuple(_lane(project, heard, stream, len(sent.tick), resolution) for heard, stream, sent in result)
    # Ports are cables of their own: the busiest of them counts.
    cables = [
        _load(project, [sent for heard, _, sent in result if heard.lane.midi.port == port])
        for port in dict.fromkeys(heard.lane.midi.port for heard, _, _ in result)
    ]
    nothing = (0, 0, 0.0, 0.0, None, 0)
    messages, size, busiest, late, jumps, _ = max(cables, key=lambda row: row[3], default=nothing)
    alike = _alike(project, [heard for heard, _, _ in result])
    whole = sum(row[-1] for row in cables)
    advice = _advice(project, resolution, lanes, late, jumps, alike)
    count = sum(row.messages for row in lanes)
    stray = time_stray(project.tempo, project.length, exact_time)
    return Report(lanes, count, whole, messages, size, busiest, late, stray, alike, advice)


def _load(project: Project, sent: list) -> tuple[int, int, float, float, float | None, int]:
    """Messages and bytes of the busiest second, when it begins, how late a cable gets, the second at
    which that comes of many messages at one moment, if it does, and the bytes of all of them."""
    whole = in_time(sent) if sent else None
    if whole is None:
        return 0, 0, 0.0, 0.0, None, 0
    seconds = project.tempo.seconds(whole.tick / TICKS)
    size = whole.size - running(whole.data)
    if not len(seconds):
        return 0, 0, 0.0, 0.0, None, 0
    sums = np.concatenate(([0], np.cumsum(size)))
    after = np.searchsorted(seconds, seconds + 1.0, side="left")
    inside = sums[after] - sums[:-1]
    index = int(np.argmax(inside))
    late = delays(seconds, size)
    worst = int(np.argmax(late))
    together = size[(seconds <= seconds[worst]) & (seconds > seconds[worst] - TOGETHER_S)].sum()
    burst = together / BYTES_A_SECOND > 0.7 * late[worst]
    return (
        int((after - np.arange(len(after)))[index]),
        int(inside[index]),
        float(seconds[index]),
        float(late[worst]),
        float(seconds[worst]) if burst else None,
        int(size.sum()),
    )


def delays(seconds: Floats, size: Ints) -> Floats:
    """How late the last byte of each message is through a DIN cable, in seconds: each waits until
    those before it are through."""
    through = np.cumsum(size) / BYTES_A_SECOND
    begins = seconds - (through - size / BYTES_A_SECOND)
    return np.maximum.accumulate(begins) + through - seconds


def _lane(project: Project, heard: EvaluatedLane, stream: Stream, count: int, resolution: Resolution) -> LaneReport:
    lane = heard.lane
    parameter = project.parameter_of(lane.id)
    extents = step_extents(heard, stream, project.length, project.tempo, resolution)
    most = _deviation(parameter, heard, stream, extents)
    return LaneReport(
        lane.id,
        project.label_of(lane.id),
        lane.midi.text,
        count,
        stream.strays,
        _in_unit(parameter, most),
        most,
        parameter.unit.lstrip("±"),
        stream.at / TICKS,
        int(beyond(stream.value).max(initial=0)) if lane.midi.kind in IN_HALVES else 0,
    )


def _deviation(parameter: Parameter, heard: EvaluatedLane, stream: Stream, extents: tuple[Floats, Floats]) -> float:
    """The largest deviation in the parameter's unit, or in choices; `extents`: the lowest and highest value of the
    curve while each step stands."""
    real = parameter.value(heard.lane.to_position(heard.lane.midi.scale.values(stream.value)))
    # A value goes one way with its position: it is furthest off where the curve is.
    meant = [parameter.value(heard.lane.to_position(end)) for end in extents]
    with np.errstate(invalid="ignore"):
        apart = np.maximum(*(np.abs(end - real) for end in meant))
    return float(apart[np.isfinite(apart)].max(initial=0.0))


def _in_unit(parameter: Parameter, most: float) -> str:
    """A deviation as a person writes it: "±0.4 dB"."""
    if parameter.steps:
        return "in its choices" if most > 0.0 else "none"
    digits = max(0, 1 - int(np.floor(np.log10(most)))) if most > 0.0 else 0
    return f"±{most:.{min(digits, 6)}f} {parameter.unit.lstrip('±')}".rstrip()


def _alike(project: Project, lanes: list[EvaluatedLane]) -> tuple[tuple[str, ...], ...]:
    """Labels of lanes that take up the same on the wire, or by which others choose what they set."""
    taken = Counter(take for heard in lanes for take in heard.lane.midi.takes)
    chosen = {select for heard in lanes for select in heard.lane.midi.selects}
    groups = {
        tuple(project.label_of(x.lane.id) for x in lanes if target in (*x.lane.midi.takes, *x.lane.midi.selects))
        for target, count in taken.items()
        if count > 1 or target in chosen
    }
    return tuple(sorted(groups))


def _advice(
    project: Project,
    resolution: Resolution,
    lanes: tuple[LaneReport, ...],
    late: float,
    jumps: float | None,
    alike: tuple[tuple[str, ...], ...],
) -> tuple[str, ...]:
    result = [
        f"{' and '.join(group)} send the same messages. Give one of them another number or channel." for group in alike
    ]
    if late > AUDIBLE_DELAY_S and jumps is not None:
        text = project.meter.text(float(project.tempo.beats(jumps)))
        result.append(
            f"At {text} so many lanes jump together that a DIN cable needs {1_000 * late:.0f} ms "
            "for them. Move some of the jumps, or send some lanes through another port."
        )
    elif late > AUDIBLE_DELAY_S:
        gap = max(2.0 * resolution.milliseconds, 5.0)
        busy = max(lanes, key=lambda row: row.messages).label
        result.append(
            f"A DIN cable falls {1_000 * late:.0f} ms behind. Set a minimum interval of {gap:g} ms,  "
            f"allow a larger tolerance, or send {busy}, the busiest lane, through its own port."
        )
    far = max(lanes, key=lambda row: row.beyond, default=None)
    if far is not None and far.beyond > WORTH_SAYING:
        result.append(
            f"{far.label} comes in two halves. Between them a receiver may see {far.beyond} of its 16,383  "
            "steps beyond. A bend is sent whole."
        )
    coarse = [row for row in lanes if row.steps > 0.5 + 1e-6]
    real = {row.lane: MESSAGES[project.lane(row.lane).midi.kind].highest for row in lanes}
    for row in coarse:
        allowed = 0.5 + resolution.tolerance * real[row.lane]
        if row.steps > 1.0 + allowed:
            result.append(
                f"{row.label} moves faster than the minimum interval allows, by {row.stray} at "
                f"{project.meter.text(row.beat)}. Reduce the minimum interval."
            )
    return tuple(result)
