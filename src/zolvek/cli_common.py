"""What the commands have in common: options, positions, ranges, loading."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import click

from zolvek.core.errors import ZolvekError

if TYPE_CHECKING:
    from zolvek.core.project import Project


def number(name: str, default: float, help_: str, **more: Any) -> Any:
    return click.option(name, default=default, show_default=True, type=float, help=help_, **more)


def in_range(name: str, value: float, low: float, high: float) -> None:
    if not low <= value <= high:
        raise ZolvekError(f"{value:g} is out of range.", name, f"It goes from {low:g} to {high:g}.")


def load(path: str) -> Project:
    from zolvek.formats import project_file

    return project_file.load(path)


def span(project: Project, first: str | None, last: str | None) -> tuple[float, float]:
    low = project.meter.parse(first, project.tempo) if first is not None else 0.0
    high = project.meter.parse(last, project.tempo) if last is not None else project.length
    if high <= low:
        raise ZolvekError("The span is empty.", "--to", "Let it lie after --from.")
    return low, high
