# SPDX-License-Identifier: GPL-3.0-or-later
"""Commands on the song: its name, its bars and its end."""

from __future__ import annotations

import re

from zolvek.core.edits import bars, names, time_maps
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import LIMITS
from zolvek.formats.audio.sound_lengths import lengths_of
from zolvek.studio.services.context import Studio
from zolvek.studio.session.session import Session


def name_piece(studio: Studio) -> None:
    """Ask for the song's name."""

    def use(typed: str) -> None:
        rename_piece(studio.session, typed)

    studio.ask.typed("Rename song", "Name:", studio.session.project.name, use)


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
    result = _bars_of(session)
    if result is None:
        bar = session.project.meter.bar_at(session.playhead.beat + 1e-9)
        count = studio.ask.number("Insert bars", f"How many before bar {bar}?", 4, 1, LIMITS["bar"].high, 0)
        if count is None:
            return
        result = bar, round(count)
    done = bars.insert_bars(session.project, *result, lengths_of(session.project))
    _put(session, f"Insert {_bars(result[1])} before bar {result[0]}", done)


def remove_bars(studio: Studio) -> None:
    """Those of the selected span."""
    session = studio.session
    result = _bars_of(session)
    if result is None:
        raise ZolvekError("No bars are selected.", remedy="Drag a span on the ruler first.")
    done = bars.remove_bars(session.project, *result, lengths_of(session.project))
    session.span.choose(None)
    _put(session, f"Remove {_bars(result[1])} from bar {result[0]} on", done)


def _bars(count: int) -> str:
    return "1 bar" if count == 1 else f"{count} bars"


def _put(session: Session, label: str, done: bars.Done) -> None:
    session.document.edit(label, done.project)
    session.notices.say(f"{done.words}.")


# --- tempo and meter ---


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
    new_project = time_maps.with_end(project, end, cut, lengths_of(project))
    session.document.edit(f"End at {meter.text(end)}", new_project)
    if beyond:
        session.notices.say(f"{beyond}: {'cut off' if cut else 'kept, and audible when the end is later'}.")


def type_end(studio: Studio) -> None:
    """Ask for the song's end."""
    meter = studio.session.project.meter
    bars_now = meter.bar_at(max(studio.session.project.length - 1e-9, 0.0))

    def use(typed: str) -> None:
        end_typed(studio, typed)

    studio.ask.typed("Song end", "Bars, or a position:", str(bars_now), use)
