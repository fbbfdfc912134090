# SPDX-License-Identifier: GPL-3.0-or-later
"""Commands on the song's tempo and meter."""

from __future__ import annotations

import time

from zolvek.core.edits import time_maps
from zolvek.core.edits.new_project import meter_of
from zolvek.core.model.project import Project
from zolvek.core.time.meter import MeterMap
from zolvek.core.time.tempo import TempoMap
from zolvek.studio.services.context import Studio
from zolvek.studio.session.session import Session

FEWEST_TAPS = 4


def put_tempo(session: Session, label: str, tempo: TempoMap, gesture: object = None) -> None:
    """Set a tempo at a beat, from text."""
    before = session.document.before(gesture)
    new_project = time_maps.with_tempo(before, tempo, session.settings.editing.clips_keep_time)
    session.document.edit(label, new_project, gesture)


def tempo_typed(session: Session, text: str, beat: float | None = None) -> None:
    """At a beat, else at the playhead: in the place of the point that holds there, where nothing but the
    number is typed."""
    at = session.playhead.beat if beat is None else beat
    put_tempo(session, f"Tempo {text.strip()}", time_maps.tempo_typed(session.project, at, text))


def _from_here(studio: Studio, what: str, begin: float, end: float, details: str = "") -> bool | None:
    """Whether a change counts from the playhead on, rather than for the stretch of the song that it lies in, which
    begins before it; None for neither."""
    session = studio.session
    text, here = session.project.meter.text, session.playhead.beat
    from_here, whole = f"From {text(here)} on", f"From {text(begin)} to {text(end)}"
    answer = studio.ask.pick(f"From where does {what} apply?", details, (from_here, whole, "Cancel"))
    return {from_here: True, whole: False}.get(answer or "")


def tempo_here(studio: Studio, text: str) -> None:
    """A tempo from the playhead on, or for the whole stretch that it lies in; a ramp begins at the playhead."""
    session = studio.session
    here, points = session.playhead.beat, session.project.tempo.points
    typed = time_maps.parse_tempo(text, session.project, here)
    index = max(i for i, p in enumerate(points) if p.beat <= here + 1e-9)
    begin = points[index].beat
    end = points[index + 1].beat if index + 1 < len(points) else session.project.length
    if typed.end is not None or here - begin < time_maps.CLOSEST_BEATS:
        tempo_typed(session, text)
        return
    from_here = _from_here(studio, f"{typed.bpm:g} BPM", begin, end)
    if from_here is None:
        return
    tempo = time_maps.tempo_put(session.project.tempo, here if from_here else begin, typed.bpm)
    put_tempo(session, f"Tempo {typed.bpm:g}", tempo)


def type_tempo(studio: Studio) -> None:
    """Ask for a tempo at the playhead."""
    session = studio.session
    beat = session.playhead.beat
    bpm = float(session.project.tempo.bpm(beat))

    def use(typed: str) -> None:
        tempo_typed(session, typed, beat)

    studio.ask.typed("Tempo at the playhead", "112, or 112→116 over 8 bars:", f"{round(bpm, 3):g}", use)


class Taps:
    """Times of taps, one after another."""

    def __init__(self) -> None:
        self.times: list[float] = []
        self.gesture: object = None


def tap_tempo(session: Session, now: float | None = None) -> None:
    """From the fourth tap on the tempo at the playhead is what is tapped."""
    now = time.perf_counter() if now is None else now
    if not TAPS.times or not 0.0 < now - TAPS.times[-1] <= time_maps.LONGEST_TAP_S:
        TAPS.times, TAPS.gesture = [], object()
    TAPS.times.append(now)
    bpm = time_maps.tapped(TAPS.times)
    if bpm is None or len(TAPS.times) < FEWEST_TAPS:
        session.notices.say(f"Tapped {len(TAPS.times)} of {FEWEST_TAPS}. Keep tapping in time.")
        return
    points = session.document.before(TAPS.gesture).tempo.points
    index = max(i for i, p in enumerate(points) if p.beat <= session.playhead.beat + 1e-9)
    tempo = time_maps.tempo_put(TempoMap(points), points[index].beat, bpm)
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
    index = tempo_point_at(session)
    tempo = time_maps.tempo_ramped(session.project.tempo, index)
    word = "ramps" if tempo.points[index].ramp else "holds"
    put_tempo(session, f"The tempo {word} from {tempo.points[index].bpm:g} on", tempo)


def remove_tempo(session: Session) -> None:
    """Remove the tempo point before the playhead."""
    index = tempo_point_at(session)
    tempo = time_maps.tempo_without(session.project.tempo, index)
    put_tempo(session, "Remove tempo point", tempo)


def meter_typed(session: Session, text: str, bar: int | None = None) -> None:
    """From a bar on, else from the playhead's."""
    project = session.project
    at = project.meter.bar_at(session.playhead.beat + 1e-9) if bar is None else bar
    meter = time_maps.meter_put(project.meter, at, *meter_of(text))
    put_meter(session, f"Meter {text.strip()} from bar {at} on", project, meter)


def meter_here(studio: Studio, text: str) -> None:
    """A meter from the playhead's bar on, or for the whole stretch that it lies in."""
    session = studio.session
    project, meter = session.project, session.project.meter
    count, unit = meter_of(text)
    bar, begin = meter.bar_at(session.playhead.beat + 1e-9), meter.meter_at(session.playhead.beat + 1e-9).bar
    if bar == begin:
        meter_typed(session, text, bar)
        return
    later = next((point.bar for point in meter.points if point.bar > begin), None)
    end = meter.bar_beat(later) if later is not None else project.length
    rows = []
    for at in (bar, begin):
        _, moved = time_maps.with_meter(project, time_maps.meter_put(meter, at, count, unit))
        rows.append(f"From bar {at}: {_moved_words(moved)}.")
    from_here = _from_here(studio, f"{count}/{unit}", meter.bar_beat(begin), end, "\n".join(rows))
    if from_here is not None:
        meter_typed(session, text, bar if from_here else begin)


def _moved_words(names: tuple[str, ...]) -> str:
    """What happens to sections."""
    return f"{', '.join(names)} to the nearest bar line" if names else "all sections stay where they are"


def put_meter(session: Session, label: str, project: Project, meter: MeterMap, gesture: object = None) -> None:
    """Set a meter. Sections stay on bar lines."""
    changed, moved = time_maps.with_meter(project, meter)
    session.document.edit(label, changed, gesture)
    if moved:
        session.notices.say(f"{label}: {_moved_words(moved)}.")


def type_meter(studio: Studio) -> None:
    """Ask for a meter at the playhead's bar."""
    session = studio.session
    here = session.project.meter.meter_at(session.playhead.beat + 1e-9)
    bar = session.project.meter.bar_at(session.playhead.beat + 1e-9)

    def use(typed: str) -> None:
        meter_typed(session, typed, bar)

    studio.ask.typed(f"Meter from bar {bar} on", "Such as 4/4 or 7/8:", f"{here.count}/{here.unit}", use)


def remove_meter(session: Session) -> None:
    """Remove the meter before the playhead."""
    meter = session.project.meter
    bar = meter.meter_at(session.playhead.beat + 1e-9).bar
    result = time_maps.meter_without(meter, bar)
    put_meter(session, f"Remove the meter change at bar {bar}", session.project, result)


TAPS = Taps()
