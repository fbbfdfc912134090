"""A whole project in another order of time: every lane, layer, take, note, block, section, tempo and
meter."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from zolvek.core.document.stretches import END, Order, Stretch, ordered
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import CLOSEST_BEATS, MOST_BEATS
from zolvek.core.model.layer import Layer
from zolvek.core.model.morph import Morph
from zolvek.core.model.pad import Pad
from zolvek.core.model.project import (
    Clip,
    Cycle,
    Lane,
    Note,
    Project,
    Section,
    Switch,
    Track,
)
from zolvek.core.model.source import SHORTEST_CLIP
from zolvek.core.model.take import Comp, Take
from zolvek.core.records import replace
from zolvek.core.time.meter import MeterMap, MeterPoint
from zolvek.core.time.tempo import TempoMap, TempoPoint

Lengths = Mapping[str, float]  # seconds that sound files last, by name, as far as they are known
SHORTEST_LOOP = 1.0 / 64.0


def rearranged(project: Project, parts: Sequence[Stretch], lengths: Lengths) -> Project:
    """The project with its time made of these stretches of it. Raises ZolvekError where the meter can't
    go with them."""
    order = ordered(parts)
    length = sum(min(each.last, project.length) - each.first for each in order.stretches)
    if not 0.0 < length <= MOST_BEATS:
        raise ZolvekError("Nothing would be left of the project." if length <= 0 else "The project would be too long.", remedy="Take fewer bars.")  # fmt: skip
    meter = _meter(project.meter, order)
    return replace(
        project,
        tempo=_tempo(project.tempo, order),
        meter=meter,
        length=length,
        sections=_sections(project, order),
        tracks=tuple(_track(each, project.tempo, order, lengths) for each in project.tracks),
        morphs=tuple(made for each in project.morphs for made in _morph(each, order)),
        pads=tuple(_pad(each, order, length) for each in project.pads),
    )


def _track(track: Track, tempo: TempoMap, order: Order, lengths: Lengths) -> Track:
    notes = [made for note in track.notes for made in _note(note, order)]
    clips = [made for clip in track.clips for made in _clip(clip, tempo, order, lengths)]
    return replace(
        track,
        lanes=tuple(_lane(each, order) for each in track.lanes),
        notes=tuple(sorted(notes, key=lambda note: note.beat)),
        clips=tuple(sorted(clips, key=lambda clip: clip.beat)),
    )


# --- lanes ---


def _lane(lane: Lane, order: Order) -> Lane:
    takes = tuple(made for each in lane.takes for made in _take(each, order))
    return replace(
        lane,
        curve=order.curve(lane.curve),
        cycle=_cycle(lane.cycle, order),
        switches=_switches(lane.switches, order),
        layers=tuple(made for each in lane.layers for made in _layer(each, order, lane)),
        takes=takes,
        comp=_comp(lane.comp, order, {take.id for take in takes}),
        pins=tuple(sorted({made for pin in lane.pins for made in order.events(pin)})),
    )


def _cycle(cycle: Cycle | None, order: Order) -> Cycle | None:
    span = order.span(cycle.beat, cycle.beat + cycle.length) if cycle else None
    if span is None or span[1] - span[0] < SHORTEST_LOOP:
        return None
    return Cycle(span[0], span[1] - span[0])


def _switches(switches: tuple[Switch, ...], order: Order) -> tuple[Switch, ...]:
    """They go along; where a stretch begins, so does what played there."""
    if not switches:
        return ()
    rows = sorted(switches, key=lambda switch: switch.beat)
    made: dict[float, int] = {}
    for each, shift in order.old():
        playing = [row.slot for row in rows if row.beat <= each.first]
        made[each.first + shift] = playing[-1] if playing else -1
        made |= {row.beat + shift: row.slot for row in rows if each.first < row.beat < each.last}
    playing_now = -1
    kept = []
    for beat, slot in sorted(made.items()):
        if slot != playing_now or any(beat in order.events(row.beat) for row in rows):
            kept.append(Switch(beat, slot))
        playing_now = slot
    return tuple(kept)


def _layer(layer: Layer, order: Order, lane: Lane) -> Iterator[Layer]:
    span = order.span(layer.first, END if layer.last is None else layer.last)
    if span is None:
        return
    gaps = [order.span(*gap) for gap in layer.gaps]
    made = replace(
        layer,
        first=span[0],
        last=None if layer.last is None else span[1],
        gaps=tuple(gap for gap in gaps if gap),
        curve=order.curve(layer.curve) if layer.curve else None,
        amount_way=order.curve(layer.amount_way) if layer.amount_way else None,
    )
    yield made
    if layer.last is None:
        return
    own = made.first - layer.first
    for number, shift in enumerate(order.copies(layer.first, layer.last), 2):
        used = {each.id for each in lane.layers}
        key = f"{layer.id}-{number}"
        while key in used:
            key += "-2"
        yield replace(
            made,
            id=key,
            first=layer.first + shift,
            last=layer.last + shift,
            gaps=tuple((a - own + shift, b - own + shift) for a, b in made.gaps),
        )


def _take(take: Take, order: Order) -> Iterator[Take]:
    span = order.span(take.first, take.last)
    if span is not None:
        yield replace(take, curve=order.curve(take.curve), first=span[0], last=span[1])


def _comp(comp: Comp | None, order: Order, takes: set[str]) -> Comp | None:
    if comp is None:
        return None
    choices = []
    for each in comp.choices:
        span = order.span(each.first, each.last)
        if span is not None and each.take in takes:
            choices.append(replace(each, first=span[0], last=span[1]))
    return replace(comp, under=order.curve(comp.under), choices=tuple(choices))


# --- notes and blocks ---


def _note(note: Note, order: Order) -> Iterator[Note]:
    end = note.beat + note.length
    begins = zip(order.stretches, order.begins, strict=True)
    for place, (each, begin) in enumerate(begins):
        if each.empty or not each.first <= note.beat < each.last:
            continue
        length, after = note.length, order.after(place)
        if end > each.last and after is not None:
            rest = min(end - each.last, after.length)
            if not after.empty:  # it goes on there if it did so before
                rest = (
                    max(min(end, after.last) - after.first, 0.0)
                    if after.first >= each.last
                    else 0.0
                )
            length = each.last - note.beat + rest
        if length >= CLOSEST_BEATS:
            yield replace(note, beat=note.beat - each.first + begin, length=length)


def _clip(clip: Clip, tempo: TempoMap, order: Order, lengths: Lengths) -> Iterator[Clip]:
    """A block, cut where stretches end."""
    begin = float(tempo.seconds(clip.beat))
    lasts = clip.seconds
    if lasts is None and clip.file in lengths:
        lasts = max(lengths[clip.file] - clip.start, 0.0)
    if clip.loop_until is not None:
        end = clip.loop_until
    else:
        end = END if lasts is None else float(tempo.beats(begin + lasts))
    for each, shift in order.old():
        low, high = max(clip.beat, each.first), min(end, each.last)
        if high <= low:
            continue
        into = float(tempo.seconds(low)) - begin
        made = replace(clip, beat=low + shift)
        if low > clip.beat:
            made = replace(made, fade_in=0.0)
            if clip.loop_until is None:
                left = None if clip.seconds is None else clip.seconds - into
                if left is not None and left < SHORTEST_CLIP:
                    continue
                made = replace(made, start=clip.start + into, seconds=left)
            else:
                turn = (clip.turn + into) % lasts if lasts else clip.turn + into
                made = replace(made, turn=turn)
        if high < end:
            made = replace(made, fade_out=0.0)
            stays = float(tempo.seconds(high) - tempo.seconds(low))
            if stays < SHORTEST_CLIP:
                continue
            if clip.loop_until is None:
                made = replace(made, seconds=stays)
        if clip.loop_until is not None:
            made = replace(made, loop_until=high + shift)
        yield made


# --- the project's own ---


def _morph(morph: Morph, order: Order) -> Iterator[Morph]:
    span = order.span(morph.beats[0], morph.beats[-1])
    if span is None:
        return
    within = [order.span(morph.beats[0], beat) for beat in morph.beats[1:]]
    ends = [span[0], *(each[1] if each else span[0] for each in within)]
    if all(b > a for a, b in itertools.pairwise(ends)):
        yield replace(morph, beats=tuple(ends))


def _pad(pad: Pad, order: Order, length: float) -> Pad:
    """Its path goes along; where nothing is left of it, the corners stay, with a path of its own length
    from where it was."""
    span = order.span(pad.first, pad.last)
    if span is None:
        first = min(order.start(pad.first), max(length - 1.0, 0.0))
        span = first, first + (pad.last - pad.first)
    return replace(pad, x=order.curve(pad.x), y=order.curve(pad.y), first=span[0], last=span[1])


def _sections(project: Project, order: Order) -> tuple[Section, ...]:
    rows = sorted(project.sections, key=lambda section: section.beat)
    made: list[Section] = []
    now: Section | None = None
    for each, shift in order.old():
        here = [row for row in rows if row.beat <= each.first]
        if here and (here[-1] is not now or here[-1].beat == each.first):
            made.append(replace(here[-1], beat=each.first + shift))
            now = here[-1]
        for row in rows:
            if each.first < row.beat < each.last:
                made.append(replace(row, beat=row.beat + shift))
                now = row
    return tuple(made)


def _tempo(tempo: TempoMap, order: Order) -> TempoMap:
    """The tempo goes along, and holds through empty time. What a ramp comes to where it is cut off is
    reached a millionth of a beat before."""
    made: list[TempoPoint] = []

    def put(beat: float, bpm: float, ramp: bool) -> None:
        while made and beat - made[-1].beat < CLOSEST_BEATS:
            made.pop()
        if made and not made[-1].ramp and not ramp and made[-1].bpm == bpm:
            return
        made.append(TempoPoint(beat, bpm, ramp))

    points = tempo.points
    for place, (each, begin) in enumerate(zip(order.stretches, order.begins, strict=True)):
        if each.empty:
            if not made:  # new time before all there was
                put(begin, points[0].bpm, False)
            continue
        shift = begin - each.first
        at = max(i for i, point in enumerate(points) if point.beat <= each.first)
        put(begin, float(tempo.bpm(each.first)), points[at].ramp and at + 1 < len(points))
        inside = [p for p in points if each.first < p.beat < each.last]
        for point in inside:
            put(point.beat + shift, point.bpm, point.ramp)
        after = order.after(place)
        last = inside[-1] if inside else points[at]
        if after is not None and last.ramp and last is not points[-1]:
            edge = each.last if after.empty else each.last - CLOSEST_BEATS
            if edge > each.first + CLOSEST_BEATS:
                before = (
                    tempo.bpm(each.last - CLOSEST_BEATS)
                    if not after.empty
                    else _limit(tempo, each.last)
                )
                put(edge + shift, float(before), False)
    return TempoMap(tuple(made))


def _limit(tempo: TempoMap, beat: float) -> float:
    """The tempo that a ramp comes to at a beat."""
    points = [point for point in tempo.points if point.beat < beat]
    following = [point for point in tempo.points if point.beat >= beat]
    if following and following[0].beat == beat and points[-1].ramp:
        return following[0].bpm
    return float(tempo.bpm(beat))


def _meter(meter: MeterMap, order: Order) -> MeterMap:
    """The meter goes along in whole bars; empty time has that of the bar before it."""
    if len(meter.points) == 1:
        return meter
    made: list[MeterPoint] = []
    bar = 1

    def put(count: int, unit: int) -> None:
        if not made or (made[-1].count, made[-1].unit) != (count, unit):
            made.append(MeterPoint(bar, count, unit))

    for each in order.stretches:
        if each.empty:
            # Empty time at the start takes the first meter.
            here = made[-1] if made else meter.points[0]
            put(here.count, here.unit)
            bar += _whole(each.length * here.unit / (4.0 * here.count))
            continue
        first = meter.bar_at(each.first)
        if abs(meter.bar_beat(first) - each.first) > 1e-6:
            raise ZolvekError(
                f"{meter.text(each.first)} lies inside a bar, and the meter changes in this project.",
                remedy="Let it begin on a bar line.",
            )
        here = meter.meter_at(each.first)
        put(here.count, here.unit)
        start, bar = bar, bar
        for point in meter.points:
            beat = meter.bar_beat(point.bar)
            if each.first < beat < each.last:
                bar = start + point.bar - first
                put(point.count, point.unit)
        if each.last < END:
            bar = start + meter.bar_at(each.last) - first
    return MeterMap(tuple(made))


def _whole(bars: float) -> int:
    if abs(bars - round(bars)) > 1e-6:
        raise ZolvekError("That is no whole number of bars.", remedy="Take whole bars.")
    return round(bars)


def told(project: Project) -> dict[str, int]:
    """How much there is of everything that lies in time, by its noun."""
    lanes: list[Any] = list(project.lanes())
    return {
        "point": sum(len(lane.curve) for lane in lanes),
        "note": sum(len(track.notes) for track in project.tracks),
        "block of sound": sum(len(track.clips) for track in project.tracks),
        "layer": sum(len(lane.layers) for lane in lanes),
        "take": sum(len(lane.takes) for lane in lanes),
        "switch": sum(len(lane.switches) for lane in lanes),
        "morph": len(project.morphs),
        "section": len(project.sections),
    }
