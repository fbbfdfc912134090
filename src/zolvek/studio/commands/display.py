# SPDX-License-Identifier: GPL-3.0-or-later
"""What is shown, and how: grid, zoom, theme, following."""

from __future__ import annotations

from zolvek.core.records import replace
from zolvek.core.time.grid import BARS, DIVISIONS, GRID_KINDS
from zolvek.studio.services.context import Studio
from zolvek.studio.session.session import Session


def grid_step(session: Session, direction: int) -> None:
    """The next finer or coarser grid of the same kind."""
    grid = session.tools.grid
    values = BARS[::-1] if grid.kind == "bars" else DIVISIONS
    index = values.index(grid.division) + direction
    if 0 <= index < len(values):
        session.tools.set_grid(division=values[index])


def next_grid_kind(session: Session) -> None:
    """The next kind of grid, its value kept where that kind has it."""
    grid, kinds = session.tools.grid, list(GRID_KINDS)
    kind = kinds[(kinds.index(grid.kind) + 1) % len(kinds)]
    division = grid.division
    if (kind == "bars") != (grid.kind == "bars"):
        division = 1 if kind == "bars" else 16
    session.tools.set_grid(kind=kind, division=division)


def toggle_snap(session: Session) -> None:
    """Switch the grid on or off."""
    session.tools.set_grid(on=not session.tools.grid.on)


def toggle_distance(session: Session) -> None:
    """Switch relative snap on or off."""
    session.tools.set_keep_distance(not session.settings.editing.relative_snap)


def show_span(studio: Studio) -> None:
    """Zoom to the selected span."""
    if studio.session.span.beats:
        first, last = studio.session.span.beats
        studio.view.show(first, last - first)


def switch_theme(session: Session) -> None:
    """Go to the other theme."""
    session.settings.window.follow_desktop = False
    session.look.set_theme("vellum" if session.settings.window.theme == "lamp" else "lamp")


def toggle_follow(session: Session) -> None:
    """Switch following touched controls on or off."""
    session.look.set_follow(not session.settings.editing.follow_touched)


# --- the playhead and the span ---


def step_playhead(studio: Studio, direction: int, bars: bool = False) -> None:
    """The playhead one line of the grid, or one bar, on (1) or back (−1)."""
    session = studio.session
    here, meter = session.playhead.beat, session.project.meter
    if bars:
        bar = meter.bar_at(here)
        on_line = abs(meter.bar_beat(bar) - here) < 1e-9
        new = meter.bar_beat(max(bar + direction, 1) if direction > 0 or on_line else bar)
    else:
        grid = replace(session.tools.grid, on=True, offset=0.0)
        step = grid.step_at(here, meter)
        near = float(grid.snap(here, meter))
        beyond = (near - here) * direction > 1e-9
        new = near if beyond else float(grid.snap(max(near + direction * step, 0.0), meter))
    studio.player.seek(min(max(new, 0.0), session.project.length))


def span_here(session: Session) -> None:
    """The first time: the playhead is where a span begins. The second time: the span from there to the
    playhead is selected."""
    span, here = session.span, session.playhead.beat
    text = session.project.meter.text
    if span.begun is None or abs(span.begun - here) < 1e-9:
        span.begun = here
        session.notices.say(f"The span begins at {text(here)}. Move the playhead and press U again.")
        return
    low, high = sorted((span.begun, here))
    span.begun = None
    span.choose((low, high))
    session.notices.say(f"Selected {text(low)} to {text(high)}.")


def choose_step(studio: Studio) -> None:
    """Ask for a step of the history, and go there."""
    document = studio.session.document
    history = document.history
    rows = [f"{number}. {step.label}" for number, step in enumerate(history.steps)]
    rows[history.here] += "  (now)"
    answer = studio.ask.choose("Undo history", "Go to the state after:", list(reversed(rows)))
    if answer is None:
        return
    to = rows.index(answer)
    while document.history.here > to:
        document.undo()
    while document.history.here < to:
        document.redo()
