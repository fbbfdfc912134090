"""What is shown, and how: grid, zoom, theme, following."""

from __future__ import annotations

from zolvek.core.time.grid import BARS, DIVISIONS, GRID_KINDS
from zolvek.studio.context import Studio
from zolvek.studio.session import Session


def grid_step(session: Session, way: int) -> None:
    """The next finer or coarser grid of the same kind."""
    grid = session.tools.grid
    values = BARS[::-1] if grid.kind == "bars" else DIVISIONS
    place = values.index(grid.division) + way
    if 0 <= place < len(values):
        session.tools.set_grid(division=values[place])


def next_grid_kind(session: Session) -> None:
    """The next kind of grid, its value kept where that kind has it."""
    grid, kinds = session.tools.grid, list(GRID_KINDS)
    kind = kinds[(kinds.index(grid.kind) + 1) % len(kinds)]
    division = grid.division
    if (kind == "bars") != (grid.kind == "bars"):
        division = 1 if kind == "bars" else 16
    session.tools.set_grid(kind=kind, division=division)


def toggle_snap(session: Session) -> None:
    session.tools.set_grid(on=not session.tools.grid.on)


def toggle_distance(session: Session) -> None:
    session.tools.set_keep_distance(not session.settings.keep_distance)


def show_span(studio: Studio) -> None:
    if studio.session.span.beats:
        first, last = studio.session.span.beats
        studio.view.show(first, last - first)


def switch_theme(session: Session) -> None:
    session.look.set_theme("vellum" if session.settings.theme == "lamp" else "lamp")


def toggle_follow(session: Session) -> None:
    session.look.set_follow(not session.settings.follow)
