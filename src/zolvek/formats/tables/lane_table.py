# SPDX-License-Identifier: GPL-3.0-or-later
"""Lanes as a table on a common clock: CSV (RFC 4180), a row a step."""

from __future__ import annotations

import csv
import io
import os
from collections.abc import Iterable, Sequence
from pathlib import Path

import numpy as np

from zolvek.core.arrays import Floats, floats
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.storage.atomic import write_bytes
from zolvek.storage.file_names import cell

CLOCKS = {"beats": "Beats", "seconds": "Seconds"}
CELLS = {
    "position": "Positions, 0 to 1",
    "value": "Real values",
    "text": "Values as text",
}
MOST_CELLS = 20_000_000


def clock(project: Project, step: float, unit: str, span: tuple[float, float] | None) -> Floats:
    """The beats of the rows: every `step` beats or seconds over a span, both ends included when
    the step hits them. Raises ZolvekError for a step that leads nowhere or too far."""
    if unit not in CLOCKS:
        raise ZolvekError(f"There is no time base “{unit}”.", remedy=f"Use {' or '.join(CLOCKS)}.")
    first, last = span or (0.0, project.length)
    if unit == "seconds":
        first, last = (float(project.tempo.seconds(beat)) for beat in (first, last))
    if not (np.isfinite(step) and step > 0.0 and last > first):
        raise ZolvekError(f"A step of {step:g} leads nowhere.", remedy="Use one above 0.")
    if (last - first) / step > MOST_CELLS:
        raise ZolvekError("The step makes too many rows.", remedy="Use a larger one.")
    at = first + np.arange(int((last - first) / step + 1e-9) + 1) * step
    return project.tempo.beats(at) if unit == "seconds" else floats(at)


def to_text(
    project: Project,
    lanes: list[str],
    step: float,
    unit: str = "beats",
    cells: str = "value",
    span: tuple[float, float] | None = None,
) -> str:
    """The table: beat, seconds, and a column for each lane, headed by its id.

    Positions are written so that they read back to the same bits, other numbers with 12 digits. Raises ZolvekError.
    """
    if cells not in CELLS:
        raise ZolvekError(f"There is no cell content “{cells}”.", remedy=f"Use {', '.join(CELLS)}.")
    beats = clock(project, step, unit, span)
    if len(beats) * max(len(lanes), 1) > MOST_CELLS:
        raise ZolvekError("The table gets too large.", remedy="Use a larger step or fewer lanes.")
    header = ["beat", "seconds"]
    columns: list[Sequence[float | str]] = [_plain(beats.tolist()), _plain(project.tempo.seconds(beats).tolist())]
    for key in lanes:
        parameter = project.parameter_of(key)
        position = played(project.lane(key), project).at(beats)
        header.append(cell(key))
        if cells == "text":
            columns.append([cell(parameter.text(float(p))) for p in position])
        else:
            columns.append(position.tolist() if cells == "position" else _plain(parameter.value(position).tolist()))
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(header)
    writer.writerows(zip(*columns, strict=True))
    return out.getvalue()


def _plain(numbers: Iterable[float]) -> list[float]:
    """Numbers as a person writes them: 12, not 12.000000000000014."""
    return [float(f"{number:.12g}") for number in numbers]


def save(path: str | os.PathLike[str], text: str) -> Path:
    """Write the text of a table. Raises ZolvekError if that fails."""
    return write_bytes(path, text.encode())
