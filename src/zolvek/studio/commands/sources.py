# SPDX-License-Identifier: GPL-3.0-or-later
"""What a track plays by itself: clips and notes, placed and changed."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QMimeData

from zolvek.core.edits import clips, notes
from zolvek.core.edits.clips import Block
from zolvek.core.edits.edit_scope import counted
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import LIMITS
from zolvek.core.model.device_kind import DeviceRole
from zolvek.core.model.project import Project, Track
from zolvek.core.model.source import Clip
from zolvek.core.records import replace
from zolvek.core.value.number_entry import number_of
from zolvek.formats.audio.sound_lengths import length_of
from zolvek.formats.track_import import SOUNDS
from zolvek.studio.services.context import Studio
from zolvek.studio.session.chosen import shown_track
from zolvek.studio.session.session import Session

LONGEST_FADE_S = 600.0  # seconds


def empty_words(track: Track) -> str:
    """What an empty track row says."""
    plays = any(device.role in (DeviceRole.INSTRUMENT, DeviceRole.OUTSIDE) for device in track.devices)
    if track.takes_sends:
        return "Plays what other tracks send to it"
    return "Double-click to add a note, or drop audio files here" if plays else "Drop audio files here"


# --- sounds that are placed ---


def sounds_in(data: QMimeData | None) -> list[Path]:
    """The sound files that are dragged, if nothing else is."""
    urls = data.urls() if data is not None else []
    result = [Path(url.toLocalFile()) for url in urls if url.isLocalFile()]
    return result if result and all(p.suffix.lower() in SOUNDS for p in result) else []


def place(studio: Studio, paths: list[Path], beat: float) -> None:
    """Sounds on the shown track, one after another from a beat on, read through in the background."""
    from zolvek.formats.audio.streams import examine

    track = shown_track(studio.session).id
    label = f"Add {paths[0].name}" if len(paths) == 1 else f"Add {counted(len(paths), 'clip')}"

    def read(progress: Callable[[int, int], object]) -> list[float]:
        return [examine(str(path), progress) for path in paths]

    def put(project: Project, seconds: list[float]) -> Project:
        at = float(project.tempo.seconds(beat))
        for path, lasts in zip(paths, seconds, strict=True):
            clip = Clip(float(project.tempo.beats(at)), str(path.resolve()))
            project, _ = clips.placed(project, track, clip)
            at += lasts
        return project

    studio.exports.change(label, read, put, f"{label}.")


# --- the picked block ---


def picked(session: Session) -> tuple[Block, Clip]:
    """The selected clip. Raises ZolvekError if there is none."""
    block = session.arranging.block
    if block is None:
        raise ZolvekError("No clip is selected.", remedy="Click one on the track row.")
    return block, clips.clip_of(session.project, block)


def _name(clip: Clip) -> str:
    return clip.file.rpartition("/")[2].removeprefix("shipped:")


def _change(session: Session, label: str, **changes: object) -> None:
    block, clip = picked(session)
    session.document.edit(label, clips.changed(session.project, block, replace(clip, **changes)))


def type_gain(studio: Studio) -> None:
    """Ask for the clip's gain."""
    block, clip = picked(studio.session)

    def use(progress: str) -> None:
        limit = LIMITS["gain"]
        gain = number_of(progress, "dB", limit.low, limit.high, "Gain")
        studio.session.arranging.pick_block(block)
        _change(studio.session, f"Gain of {_name(clip)} {gain:+g} dB".replace("-", "−"), gain_db=gain)

    studio.ask.typed(f"Gain of {_name(clip)}", "In dB:", f"{clip.gain_db:g}", use)


def type_fades(studio: Studio) -> None:
    """Ask for the clip's fades."""
    _, clip = picked(studio.session)
    start = f"{clip.fade_in:g}, {clip.fade_out:g}"

    def use(progress: str) -> None:
        words = progress.replace(",", " ").split()
        if len(words) not in (1, 2):
            raise ZolvekError(f"“{progress}” can't be read.", remedy="Type two times, such as 0.5, 2.")
        times = [number_of(word, "s", 0.0, LONGEST_FADE_S, "Fade") for word in words]
        _change(studio.session, f"Fade {_name(clip)}", fade_in=times[0], fade_out=times[-1])

    studio.ask.typed(f"Fades of {_name(clip)}", "Fade-in and fade-out, in seconds:", start, use)


def split(session: Session) -> None:
    """At the playhead."""
    block, clip = picked(session)
    new_project = clips.split(session.project, block, session.playhead.beat, length_of(clip.file))
    session.document.edit(f"Split {_name(clip)}", new_project)


def loop(session: Session) -> None:
    """Repeated to the end of the selected span, else of the section it ends in; again ends it."""
    block, clip = picked(session)
    if clip.loop_until is not None:
        session.document.edit(f"Play {_name(clip)} once", clips.looped(session.project, block, None))
        return
    lasts = length_of(clip.file)
    end = clips.end_of(clip, session.project.tempo, lasts)
    span = session.span.beats
    until = span[1] if span and span[1] > end else session.project.section_at(end)[1]
    until = until if until > end else session.project.length
    if until <= clip.beat:
        raise ZolvekError("There is no room to repeat it.", _name(clip), "Move it earlier.")
    new_project = clips.looped(session.project, block, until)
    session.document.edit(f"Repeat {_name(clip)}", new_project)


def duplicate(session: Session) -> None:
    """Once more, right after itself."""
    block, clip = picked(session)
    end = clips.end_of(clip, session.project.tempo, length_of(clip.file))
    until = None if clip.loop_until is None else end + (clip.loop_until - clip.beat)
    twin = replace(clip, beat=end, loop_until=until)
    result, new = clips.placed(session.project, block.track, twin)
    session.document.edit(f"Duplicate {_name(clip)}", result, select=partial(session.arranging.place_block, new))


def to_track(studio: Studio) -> None:
    """Ask for a track, and move the clip there."""
    session = studio.session
    block, clip = picked(session)
    others = {t.name: t.id for t in session.project.tracks if t.id != block.track}
    if not others:
        raise ZolvekError("There is no other track.", remedy="Add one first.")
    answer = studio.ask.choose("Move clip", f"Move {_name(clip)} to:", list(others))
    if answer is not None:
        result, new = clips.moved_to(session.project, block, others[answer])
        select = partial(session.arranging.place_block, new)
        session.document.edit(f"Move {_name(clip)} to {answer}", result, select=select)


# --- the selected notes, or the block ---


def _notes(session: Session) -> tuple[str, frozenset[int]]:
    arranging = session.arranging
    if arranging.notes_of is None or not arranging.notes:
        raise ZolvekError("No note is selected.", remedy="Click one on the track row.")
    return arranging.notes_of, arranging.notes


def _put(session: Session, label: str, changed: notes.Changed) -> None:
    result, chosen = changed
    select = partial(session.arranging.place_notes, str(session.arranging.notes_of), chosen)
    session.document.edit(label, result, select=select)


def type_velocity(studio: Studio) -> None:
    """Ask for the velocity of the selected notes."""
    session = studio.session
    track, which = _notes(session)
    held = next(item.notes for item in session.project.tracks if item.id == track)
    now = round(127 * held[min(which)].strength)
    value = studio.ask.number("Note velocity", "Velocity, 1 to 127:", now, 1, 127, 0)
    if value is not None:
        changed = notes.struck(session.project, track, which, value / 127.0)
        _put(session, f"Velocity {value:.0f} for {counted(len(which), 'note')}", changed)


def select_all(session: Session) -> None:
    """Select all notes of the track."""
    track = shown_track(session)
    session.arranging.pick_notes(track.id, frozenset(range(len(track.notes))))


def select_span(session: Session) -> None:
    """Select the notes in the span."""
    first, last = session.span.needed()
    track = shown_track(session)
    chosen = notes.within(session.project, track.id, first, last, 0, 127)
    session.arranging.pick_notes(track.id, chosen)


def delete(session: Session) -> None:
    """Delete the selected notes, or the clip."""
    if session.arranging.block is not None:
        block, clip = picked(session)
        select = partial(session.arranging.place_block, None)
        session.document.edit(f"Remove {_name(clip)}", clips.removed(session.project, block), select=select)
        return
    track, which = _notes(session)
    left = notes.removed(session.project, track, which)
    select = partial(session.arranging.place_notes, track, frozenset())
    session.document.edit(f"Delete {counted(len(which), 'note')}", left, select=select)


def transpose(session: Session, by: int) -> None:
    """Transpose the selected notes."""
    track, which = _notes(session)
    _put(
        session,
        f"Transpose {counted(len(which), 'note')} by {by:+d} st".replace("-", "−"),
        notes.moved(session.project, track, which, 0.0, by),
    )


def nudge(session: Session, direction: int) -> None:
    """The notes, or the block, one step of the grid on."""
    project, grid = session.project, session.tools.grid
    if session.arranging.block is not None:
        block, clip = picked(session)
        to = max(clip.beat + direction * grid.step_at(clip.beat, project.meter), 0.0)
        session.document.edit(f"Nudge {_name(clip)}", clips.moved(project, block, to))
        return
    track, which = _notes(session)
    first = min(clips.track_of(project, track).notes[i].beat for i in which)
    step = direction * grid.step_at(first, project.meter)
    _put(session, f"Nudge {counted(len(which), 'note')}", notes.moved(project, track, which, step, 0))


def lengthen(session: Session, direction: int) -> None:
    """Lengthen or shorten the selected notes."""
    track, which = _notes(session)
    grid, project = session.tools.grid, session.project
    first = min(clips.track_of(project, track).notes[i].beat for i in which)
    by = direction * grid.step_at(first, project.meter)
    word = "Lengthen" if direction > 0 else "Shorten"
    _put(
        session,
        f"{word} {counted(len(which), 'note')}",
        notes.lengthened(project, track, which, by),
    )


def quantise(session: Session) -> None:
    """Move the starts of the selected notes onto the grid."""
    track, which = _notes(session)
    grid = replace(session.tools.grid, on=True)
    _put(
        session,
        f"Quantise {counted(len(which), 'note')} to {grid.label}",
        notes.quantised(session.project, track, which, grid),
    )
