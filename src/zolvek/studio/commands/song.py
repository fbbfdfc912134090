# SPDX-License-Identifier: GPL-3.0-or-later
"""The song's time: tempo, meter, end, bars and sections."""

from __future__ import annotations

import re
import time

from zolvek.core.edits import bars, names, sections, time_maps
from zolvek.core.edits.new_project import meter_of
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import LIMITS
from zolvek.core.model.project import Project
from zolvek.core.time.tempo import TempoMap
from zolvek.formats.audio.sound_lengths import lengths_of
from zolvek.studio.services.context import Studio
from zolvek.studio.session.session import Session

FEWEST_TAPS = 4


def name_piece(studio: Studio) -> None:
    """Ask for the song's name."""
    typed = studio.ask.text("Rename song", "Name:", studio.session.project.name)
    if typed is not None:
        rename_piece(studio.session, typed)


def rename_piece(session: Session, name: str) -> None:
    """Rename the song."""
    session.document.edit(f"Rename the song to {name.strip()}", names.project_renamed(session.project, name))


# --- bars ---


def _bars_of(session: Session) -> tuple[int, int] | None:
    """The first bar and the count of those that the selected span touches."""
    span, meter = session.span.beats, session.project.meter
    if span is None:
        return None
    first = meter.bar_at(span[0] + 1e-9)
    return first, max(meter.bar_at(max(span[1] - 1e-9, span[0])) - first + 1, 1)


def insert_bars(studio: Studio) -> None:
    """As many as the span is long, before it; else as many as are typed, before the playhead's bar."""
    session = studio.session
    found = _bars_of(session)
    if found is None:
        bar = session.project.meter.bar_at(session.playhead.beat + 1e-9)
        count = studio.ask.number("Insert bars", f"How many before bar {bar}?", 4, 1, LIMITS["bar"].high, 0)
        if count is None:
            return
        found = bar, round(count)
    done = bars.insert_bars(session.project, *found, lengths_of(session.project))
    _put(session, f"Insert {_bars(found[1])} before bar {found[0]}", done)


def remove_bars(studio: Studio) -> None:
    """Those of the selected span."""
    session = studio.session
    found = _bars_of(session)
    if found is None:
        raise ZolvekError("No bars are selected.", remedy="Drag a span on the ruler first.")
    done = bars.remove_bars(session.project, *found, lengths_of(session.project))
    session.span.choose(None)
    _put(session, f"Remove {_bars(found[1])} from bar {found[0]} on", done)


def _bars(count: int) -> str:
    return "1 bar" if count == 1 else f"{count} bars"


def _put(session: Session, label: str, done: bars.Done) -> None:
    session.document.edit(label, done.project)
    session.notices.say(f"{done.words}.")


# --- tempo and meter ---


def put_tempo(session: Session, label: str, tempo: TempoMap, gesture: object = None) -> None:
    """Set a tempo at a beat, from text."""
    before = session.document.before(gesture)
    made = time_maps.with_tempo(before, tempo, session.settings.editing.clips_keep_time)
    session.document.edit(label, made, gesture)


def tempo_typed(session: Session, text: str, beat: float | None = None) -> None:
    """At a beat, else at the playhead: in the place of the point that holds there, where nothing but the
    number is typed."""
    at = session.playhead.beat if beat is None else beat
    put_tempo(session, f"Tempo {text.strip()}", time_maps.tempo_typed(session.project, at, text))


def tempo_here(session: Session, text: str) -> None:
    """The tempo that holds at the playhead, wherever its point is; a ramp begins at the playhead."""
    typed = time_maps.parse_tempo(text, session.project, session.playhead.beat)
    if typed.end is not None:
        tempo_typed(session, text)
        return
    points = session.project.tempo.points
    place = max(i for i, p in enumerate(points) if p.beat <= session.playhead.beat + 1e-9)
    tempo = time_maps.tempo_put(session.project.tempo, points[place].beat, typed.bpm)
    put_tempo(session, f"Tempo {typed.bpm:g}", tempo)


def type_tempo(studio: Studio) -> None:
    """Ask for a tempo at the playhead."""
    session = studio.session
    beat = session.playhead.beat
    bpm = float(session.project.tempo.bpm(beat))
    typed = studio.ask.text("Tempo at the playhead", "112, or 112→116 over 8 bars:", f"{round(bpm, 3):g}")
    if typed is not None:
        tempo_typed(session, typed, beat)


class Taps:
    """Times of taps, one after another."""

    def __init__(self) -> None:
        self.times: list[float] = []
        self.gesture: object = None


TAPS = Taps()


def tap_tempo(session: Session, now: float | None = None) -> None:
    """From the fourth tap on the tempo at the playhead is what is tapped."""
    now = time.perf_counter() if now is None else now
    if not TAPS.times or not 0.0 < now - TAPS.times[-1] <= time_maps.LONGEST_TAP:
        TAPS.times, TAPS.gesture = [], object()
    TAPS.times.append(now)
    bpm = time_maps.tapped(TAPS.times)
    if bpm is None or len(TAPS.times) < FEWEST_TAPS:
        session.notices.say(f"Tapped {len(TAPS.times)} of {FEWEST_TAPS}. Keep tapping in time.")
        return
    points = session.document.before(TAPS.gesture).tempo.points
    place = max(i for i, p in enumerate(points) if p.beat <= session.playhead.beat + 1e-9)
    tempo = time_maps.tempo_put(TempoMap(points), points[place].beat, bpm)
    put_tempo(session, f"Tap {bpm:g} BPM", tempo, TAPS.gesture)
    session.notices.say(f"{bpm:g} BPM from {len(TAPS.times)} taps.")


def toggle_keep_sound(session: Session) -> None:
    """Clips keep their time, or their bars, when the tempo changes."""
    session.settings.editing.clips_keep_time = not session.settings.editing.clips_keep_time
    word = "their time" if session.settings.editing.clips_keep_time else "their bars"
    session.notices.say(f"When the tempo changes, clips keep {word}.")
    session.look.changed.emit()


def tempo_point_at(session: Session) -> int:
    """The number of the tempo point that holds at the playhead."""
    points = session.project.tempo.points
    return max(i for i, p in enumerate(points) if p.beat <= session.playhead.beat + 1e-9)


def ramp_tempo(session: Session) -> None:
    """The tempo point before the playhead holds or ramps."""
    place = tempo_point_at(session)
    tempo = time_maps.tempo_ramped(session.project.tempo, place)
    word = "ramps" if tempo.points[place].ramp else "holds"
    put_tempo(session, f"The tempo {word} from {tempo.points[place].bpm:g} on", tempo)


def remove_tempo(session: Session) -> None:
    """Remove the tempo point before the playhead."""
    place = tempo_point_at(session)
    tempo = time_maps.tempo_without(session.project.tempo, place)
    put_tempo(session, "Remove tempo point", tempo)


def meter_typed(session: Session, text: str, bar: int | None = None) -> None:
    """From a bar on, else from the playhead's."""
    project = session.project
    at = project.meter.bar_at(session.playhead.beat + 1e-9) if bar is None else bar
    meter = time_maps.meter_put(project.meter, at, *meter_of(text))
    put_meter(session, f"Meter {text.strip()} from bar {at} on", project, meter)


def meter_here(session: Session, text: str) -> None:
    """The meter that holds at the playhead, from where it begins."""
    meter = session.project.meter
    meter_typed(session, text, meter.meter_at(session.playhead.beat + 1e-9).bar)


def put_meter(session: Session, label: str, project: Project, meter: object, gesture: object = None) -> None:
    """Set a meter at a beat, from text."""
    from zolvek.core.records import replace

    session.document.edit(label, replace(project, meter=meter), gesture)


def type_meter(studio: Studio) -> None:
    """Ask for a meter at the playhead's bar."""
    session = studio.session
    here = session.project.meter.meter_at(session.playhead.beat + 1e-9)
    bar = session.project.meter.bar_at(session.playhead.beat + 1e-9)
    typed = studio.ask.text(f"Meter from bar {bar} on", "Such as 4/4 or 7/8:", f"{here.count}/{here.unit}")
    if typed is not None:
        meter_typed(session, typed, bar)


def remove_meter(session: Session) -> None:
    """Remove the meter before the playhead."""
    meter = session.project.meter
    bar = meter.meter_at(session.playhead.beat + 1e-9).bar
    made = time_maps.meter_without(meter, bar)
    put_meter(session, f"Remove the meter change at bar {bar}", session.project, made)


def end_typed(studio: Studio, text: str) -> None:
    """The end, as a count of bars or a position; what lies beyond is cut or kept, as the person says."""
    session = studio.session
    meter = session.project.meter
    clean = text.strip().lower().removesuffix("bars").removesuffix("bar").strip()
    if re.fullmatch("[0-9]{1,9}", clean):
        LIMITS["bar"].need(int(clean), "bars")
        end = meter.bar_beat(int(clean) + 1)
    else:
        end = meter.parse(text, session.project.tempo)
    end_at(studio, end)


def end_at(studio: Studio, end: float) -> None:
    """Move the song's end, after asking what to do with the rest."""
    session = studio.session
    project, meter = session.project, session.project.meter
    LIMITS["length"].need(end, "end")
    beyond = time_maps.beyond(project, end) if end < project.length else ""
    cut = False
    if beyond:
        answer = studio.ask.choose(
            "What should happen to the rest?",
            f"{beyond} after {meter.text(end)}:",
            ["Keep", "Cut off"],
        )
        if answer is None:
            return
        cut = answer == "Cut off"
    made = time_maps.with_end(project, end, cut, lengths_of(project))
    session.document.edit(f"End at {meter.text(end)}", made)
    if beyond:
        session.notices.say(f"{beyond}: {'cut off' if cut else 'kept, and audible when the end is later'}.")


def type_end(studio: Studio) -> None:
    """Ask for the song's end."""
    meter = studio.session.project.meter
    bars_now = meter.bar_at(max(studio.session.project.length - 1e-9, 0.0))
    typed = studio.ask.text("Song end", "Bars, or a position:", str(bars_now))
    if typed is not None:
        end_typed(studio, typed)


# --- sections ---


def section_of(session: Session) -> int:
    """The picked section, else the one at the playhead. Raises ZolvekError where there is none."""
    picked = session.arranging.section
    return sections.numbered(session.project, session.playhead.beat) if picked is None else picked


def section_name(session: Session) -> str:
    """The name of the selected section."""
    return session.project.section_spans()[section_of(session)][0].name


def begin_section(studio: Studio) -> None:
    """At the playhead."""
    begin_section_at(studio.session, studio.session.playhead.beat)


def begin_section_at(session: Session, beat: float) -> None:
    """Start a section at a beat."""
    made = sections.begun(session.project, beat)
    session.document.edit("Add section", made)
    session.arranging.pick_section(sections.numbered(made, beat))


def rename_section(studio: Studio) -> None:
    """Rename the selected section."""
    session = studio.session
    number = section_of(session)
    old = session.project.section_spans()[number][0].name
    typed = studio.ask.text("Rename section", "Name:", old)
    if typed is not None:
        change_section(session, number, f"Rename {old}", name=" ".join(typed.split()))


def change_section(session: Session, number: int, label: str, gesture: object = None, **changes: object) -> None:
    """Change the selected section by a function."""
    made = sections.changed(session.document.before(gesture), number, **changes)
    session.document.edit(label, made, gesture)
    session.arranging.pick_section(number)


def colour_section(session: Session) -> None:
    """Give the section the next colour."""
    number = section_of(session)
    own = session.project.section_spans()[number][0]
    change_section(session, number, f"Colour {own.name}", colour=(own.colour + 1) % 7)


def join_section(session: Session) -> None:
    """Join the section with the next one."""
    number = section_of(session)
    label = f"Join {section_name(session)} and the next section"
    session.document.edit(label, sections.joined(session.project, number))
    session.arranging.pick_section(number)


def remove_section(session: Session) -> None:
    """Its name alone: what lies in it stays."""
    number = section_of(session)
    label = f"Remove section {section_name(session)}"
    session.document.edit(label, sections.removed(session.project, number))
    session.notices.say("Its contents stay. To remove its bars, select it and remove bars.")


def double_section(session: Session) -> None:
    """Duplicate the section with its contents."""
    number = section_of(session)
    label = f"Duplicate {section_name(session)}"
    made = sections.doubled(session.project, number, lengths_of(session.project))
    session.document.edit(label, made)
    session.arranging.pick_section(number + 1)


def move_section(session: Session, way: int) -> None:
    """Before the section before it, or after the next one."""
    number = section_of(session)
    to = number - 1 if way < 0 else number + 2
    if not 0 <= to <= len(session.project.section_spans()):
        raise ZolvekError(
            "The section can't move further.", section_name(session), "It is already the first or the last."
        )
    move_section_to(session, number, to)


def move_section_to(session: Session, number: int, before: int) -> None:
    """Move a section before another, with its contents."""
    name = session.project.section_spans()[number][0].name
    made = sections.moved(session.project, number, before, lengths_of(session.project))
    session.document.edit(f"Move {name} with its contents", made)
    session.arranging.pick_section(before if before < number else before - 1)


def select_section(session: Session) -> None:
    """Select the section as the span."""
    _, first, last = session.project.section_spans()[section_of(session)]
    session.span.choose((first, last))


# --- versions ---


def new_version(studio: Studio) -> None:
    """Start another version of the section."""
    session = studio.session
    number = section_of(session)
    made = sections.versioned(session.project, number)
    own = made.section_spans()[number][0]
    session.document.edit(f"New version {own.versions[-1].name} of {own.name}", made)
    session.arranging.pick_section(number)
    session.notices.say("It starts as a copy. Edit it; the other version is stored.")


def choose_version(session: Session, number: int, version: int) -> None:
    """Write a version of the section into the lanes."""
    session.hearing.compare("")
    own = session.project.section_spans()[number][0]
    made = sections.chosen(session.project, number, version)
    session.document.edit(f"{own.versions[version].name} in {own.name}", made)
    session.arranging.pick_section(number)


def next_version(session: Session) -> None:
    """Go to the section's next version."""
    number = section_of(session)
    own = session.project.section_spans()[number][0]
    if len(own.versions) < 2:
        raise ZolvekError("The section has only one version.", own.name, "Make a new version first.")
    choose_version(session, number, (own.chosen + 1) % len(own.versions))


def remove_version(session: Session, number: int, version: int) -> None:
    """Remove a version of the section."""
    own = session.project.section_spans()[number][0]
    made = sections.version_removed(session.project, number, version)
    session.document.edit(f"Remove {own.versions[version].name} of {own.name}", made)
    session.arranging.pick_section(number)


def rename_version(session: Session, number: int, version: int, name: str) -> None:
    """Rename a version of the section."""
    made = sections.version_renamed(session.project, number, version, name)
    session.document.edit(f"Rename version to {name.strip()}", made)
    session.arranging.pick_section(number)


def hear_version(session: Session, number: int, version: int) -> None:
    """Another version of a section, heard in its place until it is chosen or left."""
    session.hearing.hear_version(number, version)
