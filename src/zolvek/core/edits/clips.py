# SPDX-License-Identifier: GPL-3.0-or-later
"""Edits of clips on tracks: placed, moved, trimmed, split, looped, faded, removed.

A clip is named by its track and its number among the track's clips. Lengths of files, in seconds, come
from who has read them.
"""

from __future__ import annotations

from typing import NamedTuple

from zolvek.core.edits.replacement import with_track
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Clip, Project, Track
from zolvek.core.model.source import SHORTEST_CLIP_S
from zolvek.core.records import replace
from zolvek.core.time.tempo import TempoMap


class Block(NamedTuple):
    """Where a block is: its track's id and its number there."""

    track: str
    number: int


def track_of(project: Project, key: str) -> Track:
    """The track. Raises ZolvekError if it no longer exists."""
    for track in project.tracks:
        if track.id == key:
            return track
    raise ZolvekError("The track no longer exists.", key, "Choose another one.")


def clip_of(project: Project, block: Block) -> Clip:
    """The clip. Raises ZolvekError if it no longer exists."""
    clips = track_of(project, block.track).clips
    if not 0 <= block.number < len(clips):
        raise ZolvekError("The clip no longer exists.", remedy="Choose another one.")
    return clips[block.number]


def end_of(clip: Clip, tempo: TempoMap, lasts: float | None) -> float:
    """The beat at which a block ends; `lasts`: seconds of its file, where they are known."""
    if clip.loop_until is not None:
        return clip.loop_until
    seconds = clip.seconds
    if lasts is not None:
        left = max(lasts - clip.start, SHORTEST_CLIP_S)
        seconds = left if seconds is None else min(seconds, left)
    return float(tempo.beats(float(tempo.seconds(clip.beat)) + (seconds or 1.0)))


def changed(project: Project, block: Block, clip: Clip) -> Project:
    """The project with another block in the place of one."""
    track = track_of(project, block.track)
    clip_of(project, block)
    clips = (*track.clips[: block.number], clip, *track.clips[block.number + 1 :])
    return with_track(project, replace(track, clips=clips))


def placed(project: Project, track: str, clip: Clip) -> tuple[Project, Block]:
    """Another block on a track."""
    this_track = track_of(project, track)
    new_project = with_track(project, replace(this_track, clips=(*this_track.clips, clip)))
    return new_project, Block(track, len(this_track.clips))


def removed(project: Project, block: Block) -> Project:
    """The project without the clip. Raises ZolvekError if it no longer exists."""
    track = track_of(project, block.track)
    clip_of(project, block)
    clips = track.clips[: block.number] + track.clips[block.number + 1 :]
    return with_track(project, replace(track, clips=clips))


def moved(project: Project, block: Block, beat: float) -> Project:
    """The block beginning at another beat, as long as before in seconds, and as many times round."""
    clip = clip_of(project, block)
    until = clip.loop_until
    if until is not None:
        until = beat + (until - clip.beat)
    return changed(project, block, replace(clip, beat=beat, loop_until=until))


def trimmed_start(project: Project, block: Block, beat: float, lasts: float | None) -> Project:
    """The block beginning later or earlier, its sound staying where it is, as far as the file goes."""
    clip, tempo = clip_of(project, block), project.tempo
    begin = float(tempo.seconds(clip.beat))
    by = float(tempo.seconds(max(beat, 0.0))) - begin
    if clip.loop_until is not None:
        if beat >= clip.loop_until:
            return project
        length = _pass(clip, lasts)
        new_clip = replace(clip, beat=max(beat, 0.0), turn=(clip.turn + by) % length)
        return changed(project, block, new_clip)
    by = max(by, -clip.start)
    length = clip.seconds if clip.seconds is not None else (lasts or by + 1.0) - clip.start
    by = min(by, length - SHORTEST_CLIP_S)
    seconds = None if clip.seconds is None else clip.seconds - by
    at = float(tempo.beats(begin + by))
    new_clip = replace(clip, beat=max(at, 0.0), start=max(clip.start + by, 0.0), seconds=seconds)
    return changed(project, block, new_clip)


def trimmed_end(project: Project, block: Block, beat: float, lasts: float | None) -> Project:
    """The block ending at a beat, as far as the file goes; a loop goes on to there."""
    clip, tempo = clip_of(project, block), project.tempo
    if beat <= clip.beat:
        return project
    if clip.loop_until is not None:
        return changed(project, block, replace(clip, loop_until=beat))
    seconds: float | None = float(tempo.seconds(beat) - tempo.seconds(clip.beat))
    assert seconds is not None
    seconds = max(seconds, SHORTEST_CLIP_S)
    if lasts is not None and seconds >= lasts - clip.start - 1e-9:
        seconds = None  # all there is
    return changed(project, block, replace(clip, seconds=seconds))


def _pass(clip: Clip, lasts: float | None) -> float:
    """Seconds that one time round of a loop lasts."""
    if clip.seconds is not None:
        return clip.seconds
    if lasts is None:
        raise ZolvekError("The audio file is missing.", clip.file, "Locate or replace it.")
    return max(lasts - clip.start, SHORTEST_CLIP_S)


def split(project: Project, block: Block, beat: float, lasts: float | None) -> Project:
    """The block as two, which sound as one. Raises ZolvekError where the beat lies next to it."""
    clip, tempo = clip_of(project, block), project.tempo
    end = end_of(clip, tempo, lasts)
    if not clip.beat < beat < end:
        raise ZolvekError("The clip does not play there.", remedy="Put the playhead inside it.")
    into = float(tempo.seconds(beat) - tempo.seconds(clip.beat))
    if clip.loop_until is None:
        left = replace(clip, seconds=max(into, SHORTEST_CLIP_S), fade_out=0.0)
        rest = None if clip.seconds is None else max(clip.seconds - into, SHORTEST_CLIP_S)
        right = replace(clip, beat=beat, start=clip.start + into, seconds=rest, fade_in=0.0)
    else:
        left = replace(clip, loop_until=beat, fade_out=0.0)
        turn = (clip.turn + into) % _pass(clip, lasts)
        right = replace(clip, beat=beat, turn=turn, fade_in=0.0)
    project = changed(project, block, left)
    return placed(project, block.track, right)[0]


def looped(project: Project, block: Block, until: float | None) -> Project:
    """The block repeated up to a beat, or played once (None)."""
    clip = clip_of(project, block)
    turn = clip.turn if until is not None else 0.0
    return changed(project, block, replace(clip, loop_until=until, turn=turn))


def moved_to(project: Project, block: Block, track: str) -> tuple[Project, Block]:
    """The block on another track."""
    clip = clip_of(project, block)
    return placed(removed(project, block), track, clip)


def shifted_sound(project: Project, seconds: float) -> Project:
    """All blocks earlier by so many seconds; what would begin before the start is trimmed there. A block
    that would lie wholly before it raises ZolvekError."""
    tempo = project.tempo

    def shifted(clip: Clip) -> Clip:
        begin = float(tempo.seconds(clip.beat)) - seconds
        until = clip.loop_until
        if until is not None:
            until = float(tempo.beats(float(tempo.seconds(until)) - seconds))
        if begin >= 0.0:
            return replace(clip, beat=float(tempo.beats(begin)), loop_until=until)
        cut = -begin
        if clip.seconds is not None and clip.seconds - cut < SHORTEST_CLIP_S and until is None:
            raise ZolvekError("A clip would begin before the start.", clip.file, "Remove it first.")
        if until is not None:
            return replace(clip, beat=0.0, loop_until=until, turn=clip.turn + cut)
        left = None if clip.seconds is None else clip.seconds - cut
        return replace(clip, beat=0.0, start=clip.start + cut, seconds=left)

    tracks = tuple(
        replace(track, clips=tuple(shifted(clip) for clip in track.clips)) if track.clips else track
        for track in project.tracks
    )
    return replace(project, tracks=tracks)
