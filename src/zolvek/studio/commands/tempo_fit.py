# SPDX-License-Identifier: GPL-3.0-or-later
"""The grid fitted to a recording: a tempo from its hits, or from bar lines that are marked."""

from __future__ import annotations

import itertools
import re
from pathlib import Path

from zolvek.core.edits import tempo_fit
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project, Track
from zolvek.studio.services.context import Studio
from zolvek.studio.services.tasks.thread_work import Progress
from zolvek.studio.session.chosen import shown_track
from zolvek.studio.session.session import Session


def sound_track(session: Session) -> Track:
    """The shown track, where it has a sound. Raises ZolvekError otherwise."""
    track = shown_track(session)
    if not track.clips:
        raise ZolvekError("The track has no audio.", track.name, "Choose a track with clips.")
    return track


def propose_tempo(studio: Studio, asked_for: bool = True) -> None:
    """The tempo that the first clip's hits say, found in the background and put in when the person says so. Where there
    is none to be found, that is an error only if it was asked for."""
    from zolvek.sound.analysis.onsets import Tempo, hits_of, tempo_of

    session = studio.session
    track = sound_track(session)
    clip = track.clips[0]
    name = Path(clip.file.removeprefix("shipped:")).name

    def work(progress: Progress) -> Tempo | None:
        try:
            return tempo_of(hits_of(clip.file, progress))
        except ZolvekError:
            if asked_for:
                raise
            return None

    def done(found: Tempo | None) -> None:
        if found is None:
            session.notices.say(f"{name} has too few hits to say a tempo. Set it in the Song panel.")
            return
        sure = "clear" if found.sure > 0.55 else "fairly reliable" if found.sure > 0.35 else "unreliable"
        rows = {
            f"{bpm:g} BPM, bar 1 on its first beat": bpm
            for bpm in (found.bpm, round(found.bpm * 2, 3), round(found.bpm / 2, 3))
        }
        answer = studio.ask.choose(f"The tempo of {name}", f"The estimate is {sure}. Use it?", list(rows))
        if answer is None:
            return
        project = session.project
        begin = float(project.tempo.seconds(clip.beat))
        new_project = tempo_fit.at_tempo(project, rows[answer], begin + found.first - clip.start)
        session.document.edit(f"Tempo of {name}: {rows[answer]:g} BPM", new_project)

    studio.exports.run_for_project(name, work, done)


def offer_tempo(studio: Studio, track: str) -> None:
    """After the import of audio without MIDI: propose the tempo of a track at once."""
    studio.session.shown.show_track(track)
    propose_tempo(studio, asked_for=False)


def mark_bar(session: Session) -> None:
    """A mark where the recording has a bar line, at the playhead; again takes it away."""
    beat, marks = session.playhead.beat, session.arranging.marks
    near = [mark for mark in marks if abs(mark - beat) < 1e-3]
    session.arranging.mark(tuple(m for m in marks if m not in near) if near else (*marks, beat))
    count = len(session.arranging.marks)
    more = "Mark another one, then fit the grid." if count < 2 else "Fit the grid when all are marked."
    session.notices.say(f"{count} bar line{'s' * (count != 1)} marked. {more}")


def clear_marks(session: Session) -> None:
    """Clear the marked bar lines."""
    session.arranging.mark(())


def fit(studio: Studio) -> None:
    """Ask how many bars lie between the marks, and fit the grid to them."""
    session = studio.session
    marks = session.arranging.marks
    if len(marks) < 2:
        raise ZolvekError("At least two marks are needed.", remedy="Mark bar lines at the playhead.")
    guess = ", ".join(str(_guess(session, a, b)) for a, b in itertools.pairwise(marks))

    def use(progress: str) -> None:
        fit_to(session, progress)

    studio.ask.typed("Fit the grid", "Bars from mark to mark, such as 4 or 4, 4, 8:", guess, use)


def _guess(session: Session, first: float, last: float) -> int:
    bar = session.project.meter.meter_at(first)
    return max(round((last - first) * bar.unit / (4.0 * bar.count)), 1)


def fit_to(session: Session, text: str) -> None:
    """ "4": so many between any two; "4, 4, 8": as many as there are gaps."""
    marks, project = session.arranging.marks, session.project
    words = text.replace(",", " ").split()
    if not words or not all(re.fullmatch("[1-9][0-9]{0,3}", word) for word in words):
        raise ZolvekError(f"“{text}” is not a number of bars.", remedy="Type 4, or 4, 4, 8.")
    counts = [int(word) for word in words]
    if len(counts) == 1:
        counts *= len(marks) - 1
    if len(counts) != len(marks) - 1:
        raise ZolvekError(
            f"There are {len(marks) - 1} gaps between the marks, but {len(counts)} numbers.",
            remedy="Type one for all, or one for each.",
        )
    new_project = tempo_fit.fitted(project, _marks(project, marks, counts))
    session.document.edit("Fit the grid to the recording", new_project)
    session.arranging.mark(())
    low, high = (f(p.bpm for p in new_project.tempo.points) for f in (min, max))
    words_ = f"{low:.2f} BPM" if high - low < 0.005 else f"{low:.2f} to {high:.2f} BPM"
    session.notices.say(f"Fitted: {words_}. The first mark is bar 1.")


def _marks(project: Project, beats: tuple[float, ...], counts: list[int]) -> list[tempo_fit.Mark]:
    bar, marks = 1, []
    for beat, count in zip(beats, [*counts, 0], strict=True):
        marks.append(tempo_fit.Mark(float(project.tempo.seconds(beat)), bar))
        bar += count
    return marks
