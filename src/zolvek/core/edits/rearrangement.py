# SPDX-License-Identifier: GPL-3.0-or-later
"""A whole project in another order of time: every lane, layer, take, note, clip, section, tempo and
meter."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from zolvek.core.edits.span_rearrangement import LEAST, Part, parts_of
from zolvek.core.edits.stretches import END, Order, Stretch, ordered
from zolvek.core.edits.time_rearrangement import rearranged_meter, rearranged_tempo
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
from zolvek.core.model.source import SHORTEST_CLIP_S
from zolvek.core.model.take import Choice, Comp, Take
from zolvek.core.movement.evaluation.layering import MOVING
from zolvek.core.records import replace
from zolvek.core.time.tempo import TempoMap

Lengths = Mapping[str, float]  # seconds that sound files last, by name, as far as they are known
SHORTEST_LOOP = 1.0 / 64.0


def rearranged(project: Project, parts: Sequence[Stretch], lengths: Lengths) -> Project:
    """The project with its time made of these stretches of it. Raises ZolvekError where the meter can't
    go with them."""
    order = ordered(parts)
    length = sum(min(stretch.last, project.length) - stretch.first for stretch in order.stretches)
    if not 0.0 < length <= MOST_BEATS:
        raise ZolvekError(
            "This would remove the whole song." if length <= 0 else "The project would be too long.",
            remedy="Choose fewer bars.",
        )
    meter = rearranged_meter(project.meter, order)
    return replace(
        project,
        tempo=rearranged_tempo(project.tempo, order),
        meter=meter,
        length=length,
        sections=_sections(project, order),
        tracks=tuple(_track(track, project, order, lengths) for track in project.tracks),
        morphs=tuple(made for morph in project.morphs for made in _morph(morph, order)),
        pads=tuple(_pad(pad, order, length) for pad in project.pads),
    )


def _track(track: Track, project: Project, order: Order, lengths: Lengths) -> Track:
    notes = [made for note in track.notes for made in _note(note, order)]
    clips = [made for clip in track.clips for made in _clip(clip, project.tempo, order, lengths)]
    return replace(
        track,
        lanes=tuple(_lane(lane, project, order) for lane in track.lanes),
        notes=tuple(sorted(notes, key=lambda note: note.beat)),
        clips=tuple(sorted(clips, key=lambda clip: clip.beat)),
    )


# --- lanes ---


def _lane(lane: Lane, project: Project, order: Order) -> Lane:
    takes, twins = _takes(lane.takes, order)
    return replace(
        lane,
        curve=order.curve(lane.curve),
        cycle=_cycle(lane.cycle, order),
        switches=_switches(lane.switches, order),
        layers=_layers(lane.layers, project, order),
        takes=takes,
        comp=_comp(lane.comp, order, twins),
        pins=tuple(sorted({event for pin in lane.pins for event in order.events(pin)})),
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
    result: dict[float, int] = {}
    for item, shift in order.old():
        playing = [row.slot for row in rows if row.beat <= item.first]
        result[item.first + shift] = playing[-1] if playing else -1
        result |= {row.beat + shift: row.slot for row in rows if item.first < row.beat < item.last}
    playing_now = -1
    kept = []
    for beat, slot in sorted(result.items()):
        if slot != playing_now or any(beat in order.events(row.beat) for row in rows):
            kept.append(Switch(beat, slot))
        playing_now = slot
    return tuple(kept)


def _layers(layers: tuple[Layer, ...], project: Project, order: Order) -> tuple[Layer, ...]:
    used = {layer.id for layer in layers}
    return tuple(made for layer in layers for made in _layer(layer, project, order, used))


def _layer(layer: Layer, project: Project, order: Order, used: set[str]) -> Iterator[Layer]:
    """A layer in as many parts as it now has. What holds a curve is one where parts follow one another; of a movement
    each part goes on where it had got to: it keeps its phase, and goes on through empty time if it is steady."""
    moves = layer.kind in MOVING
    steady = layer.lfo is None or layer.lfo.steady
    last = END if layer.last is None else layer.last
    parts = parts_of(order, layer.first, last, steady or not moves, not moves)
    curve = order.curve(layer.curve) if layer.curve is not None else None
    depth_curve = order.curve(layer.amount_way) if layer.amount_way is not None else None
    gaps = [gap for item in layer.gaps for gap in parts_of(order, *item)]
    for number, part in enumerate(parts):
        is_open = layer.last is None and part.old_last >= END
        new_layer = replace(
            layer,
            id=_free_id(layer.id, used) if number else layer.id,
            first=part.first,
            last=None if is_open else part.last,
            curve=curve,
            amount_way=depth_curve,
            gaps=tuple((g.first, g.last) for g in gaps if part.first <= g.first and g.last <= part.last),
        )
        yield _cut_movement(new_layer, layer, part, project) if moves else new_layer


def _cut_movement(made: Layer, layer: Layer, part: Part, project: Project) -> Layer:
    """The part of a layer's movement, with how much of it lies hidden before and after."""
    end = max(project.length, layer.first + LEAST) if layer.last is None else layer.last
    cut_off = min(part.old_last, end) + part.filled
    before = _way(layer, project, layer.first, part.old_first)
    after = _way(layer, project, cut_off, end)
    if made.last is None:
        after = 0.0
    return replace(made, lead=layer.lead + before, rest=layer.rest + after)


def _way(layer: Layer, project: Project, first: float, last: float) -> float:
    """What a movement's rate is counted in, beats or seconds, between two beats."""
    if last - first < LEAST:
        return 0.0
    if not layer.timed:
        return last - first
    return float(project.tempo.seconds(last) - project.tempo.seconds(first))


def _free_id(key: str, used: set[str]) -> str:
    number = 2
    while f"{key}-{number}" in used:
        number += 1
    used.add(f"{key}-{number}")
    return f"{key}-{number}"


Twin = tuple[str, str, Part]  # a take, and the one that it became in a part


def _takes(takes: tuple[Take, ...], order: Order) -> tuple[tuple[Take, ...], list[Twin]]:
    """The takes, in as many parts as they now have, and which became which."""
    used, new_takes, twins = {take.id for take in takes}, [], []
    for take in takes:
        parts = parts_of(order, take.first, take.last)
        curve = order.curve(take.curve) if parts else take.curve
        for number, part in enumerate(parts):
            key = _free_id(take.id, used) if number else take.id
            twins.append((take.id, key, part))
            new_takes.append(replace(take, id=key, curve=curve, first=part.first, last=part.last))
    return tuple(new_takes), twins


def _comp(comp: Comp | None, order: Order, twins: list[Twin]) -> Comp | None:
    if comp is None:
        return None
    choices = []
    for item in comp.choices:
        for old, key, part in twins:
            for own in parts_of(order, item.first, item.last) if old == item.take else ():
                low, high = max(own.first, part.first), min(own.last, part.last)
                if high - low >= LEAST:
                    choices.append(Choice(low, high, key))
    choices.sort(key=lambda choice: choice.first)
    return replace(comp, under=order.curve(comp.under), choices=tuple(choices))


# --- notes and blocks ---


def _note(note: Note, order: Order) -> Iterator[Note]:
    end = note.beat + note.length
    begins = zip(order.stretches, order.begins, strict=True)
    for index, (item, begin) in enumerate(begins):
        if item.empty or not item.first <= note.beat < item.last:
            continue
        length, after = note.length, order.after(index)
        if end > item.last and after is not None:
            rest = min(end - item.last, after.length)
            if not after.empty:  # it goes on there if it did so before
                rest = max(min(end, after.last) - after.first, 0.0) if after.first >= item.last else 0.0
            length = item.last - note.beat + rest
        if length >= CLOSEST_BEATS:
            yield replace(note, beat=note.beat - item.first + begin, length=length)


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
    for item, shift in order.old():
        low, high = max(clip.beat, item.first), min(end, item.last)
        if high <= low:
            continue
        into = float(tempo.seconds(low)) - begin
        changes: dict[str, Any] = {"beat": low + shift}
        if low > clip.beat:
            changes["fade_in"] = 0.0
            if clip.loop_until is None:
                left = None if clip.seconds is None else clip.seconds - into
                if left is not None and left < SHORTEST_CLIP_S:
                    continue
                changes |= {"start": clip.start + into, "seconds": left}
            else:
                changes["turn"] = (clip.turn + into) % lasts if lasts else clip.turn + into
        if high < end:
            changes["fade_out"] = 0.0
            stays = float(tempo.seconds(high) - tempo.seconds(low))
            if stays < SHORTEST_CLIP_S:
                continue
            if clip.loop_until is None:
                changes["seconds"] = stays
        if clip.loop_until is not None:
            changes["loop_until"] = high + shift
        yield replace(clip, **changes)


# --- the project's own ---


def _morph(morph: Morph, order: Order) -> Iterator[Morph]:
    span = order.span(morph.beats[0], morph.beats[-1])
    if span is None:
        return
    within = [order.span(morph.beats[0], beat) for beat in morph.beats[1:]]
    ends = [span[0], *(item[1] if item else span[0] for item in within)]
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
    sections: list[Section] = []
    now: Section | None = None
    for item, shift in order.old():
        here = [row for row in rows if row.beat <= item.first]
        if here and (here[-1] is not now or here[-1].beat == item.first):
            sections.append(replace(here[-1], beat=item.first + shift))
            now = here[-1]
        for row in rows:
            if item.first < row.beat < item.last:
                sections.append(replace(row, beat=row.beat + shift))
                now = row
    return tuple(sections)


def contents(project: Project) -> dict[str, int]:
    """How much there is of everything that lies in time, by its noun."""
    lanes: list[Any] = list(project.lanes())
    return {
        "point": sum(len(lane.curve) for lane in lanes),
        "note": sum(len(track.notes) for track in project.tracks),
        "clip": sum(len(track.clips) for track in project.tracks),
        "layer": sum(len(lane.layers) for lane in lanes),
        "take": sum(len(lane.takes) for lane in lanes),
        "switch": sum(len(lane.switches) for lane in lanes),
        "morph": len(project.morphs),
        "section": len(project.sections),
    }
