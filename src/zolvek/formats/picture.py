# SPDX-License-Identifier: GPL-3.0-or-later
"""Lanes as a picture for documents: SVG 1.1, on white, the lanes above one another on one axis."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from xml.sax import saxutils

import numpy as np

from zolvek.core.arrays import among
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.shapes import SHAPES
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.movement.evaluation.layering import LayeredCurve
from zolvek.storage.atomic import write_bytes
from zolvek.storage.file_names import xml_text

WIDTH, HEIGHT = 960, 150  # of a lane's row, in pixels
LEFT, TOP, GAP, LABEL = 96, 34, 30, 12
INK, CURVE, FAINT = "#22313A", "#0C5B66", "#B4A88E"
FONT = "IBM Plex Sans, sans-serif"
FINE = 10  # places a pixel at which a curve with gates or waves is drawn
MOST_BARS = 24  # that are numbered


def escape(text: str) -> str:
    """Text for XML, without characters that XML does not allow."""
    return saxutils.escape(xml_text(text))


def svg(project: Project, lanes: list[str], span: tuple[float, float] | None = None) -> str:
    """The picture of some lanes over a span of beats. Raises ZolvekError for no lanes or no span."""
    first, last = span or (0.0, project.length)
    if not lanes or last <= first:
        raise ZolvekError("There is nothing to draw.", remedy="Choose a lane and a span.")
    inner = WIDTH - LEFT - 16
    whole = TOP + len(lanes) * (HEIGHT + GAP) + 8
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{WIDTH}" height="{whole}" viewBox="0 0 {WIDTH} {whole}" '
        f'font-family="{FONT}" font-size="12" fill="{INK}">',
        f"<title>{escape(project.name)}</title>",
        f'<rect width="{WIDTH}" height="{whole}" fill="#FFFFFF"/>',
    ]

    def x(beat: float) -> float:
        return LEFT + inner * (beat - first) / (last - first)

    bars, beats = project.meter.bar_lines(first, last)
    every = max(-(-len(bars) // MOST_BARS), 1)
    for bar, beat in zip(bars[::every].tolist(), beats[::every].tolist(), strict=True):
        parts.append(
            f'<path d="M{x(beat):.2f} {TOP - 6}V{whole - 8 - GAP + 6}" stroke="{FAINT}" stroke-width="0.5" '
            f'fill="none"/>'
        )
        late = x(beat) > WIDTH - 2 * LABEL
        at, side = (x(beat) - 3, "end") if late else (x(beat) + 3, "start")
        parts.append(f'<text x="{at:.2f}" y="{TOP - 12}" font-size="10" text-anchor="{side}">{bar}</text>')
    for row, key in enumerate(lanes):
        top = TOP + row * (HEIGHT + GAP)
        lane, parameter = project.lane(key), project.parameter_of(key)
        parts.append(f'<text x="{LEFT}" y="{top + HEIGHT + 16}">{escape(project.label_of(key))}</text>')
        parts.append(f'<rect x="{LEFT}" y="{top}" width="{inner}" height="{HEIGHT}" fill="none" stroke="{FAINT}"/>')
        for share in (0.0, 0.5, 1.0):
            text = escape(parameter.text(float(lane.to_position(share))))
            y = top + HEIGHT * (1.0 - share)
            parts.append(f'<text x="{LEFT - 6}" y="{y + 4:.1f}" text-anchor="end">{text}</text>')
        path = _path(played(lane, project).curve, first, last, x, top)
        parts.append(f'<path d="{path}" stroke="{CURVE}" stroke-width="1.6" fill="none" stroke-linejoin="round"/>')
    return "\n".join([*parts, "</svg>", ""])


def _path(curve: Curve | LayeredCurve, first: float, last: float, x: Callable[[float], float], top: float) -> str:
    """The curve as a path: both sides of every jump, and closely between."""
    from zolvek.core.curve.discontinuities import leaps

    jumps = leaps(curve) if isinstance(curve, Curve) else curve.leaps
    jumps = jumps[(jumps > first) & (jumps <= last)]
    knots = curve.beat[(curve.beat > first) & (curve.beat < last)] if isinstance(curve, Curve) else np.zeros(0)
    turning = isinstance(curve, Curve) and not all(SHAPES[code].steady for code in curve.shape)
    grid = np.linspace(first, last, (FINE if turning else 2) * (WIDTH - LEFT))
    plain = np.concatenate((grid, knots[~among(knots, jumps)]))
    beats = np.concatenate((plain, jumps, jumps))
    values = np.concatenate((curve.at(plain), curve.before(jumps), curve.at(jumps)))
    order = np.argsort(beats, kind="stable")
    beats, values = beats[order], values[order]
    # Where it is level only the ends say anything.
    level = (values[1:-1] == values[:-2]) & (values[1:-1] == values[2:])
    drawn = np.concatenate(([True], ~level, [True]))
    rows = [
        f"{x(b):.3f} {top + HEIGHT * (1.0 - v):.4f}"
        for b, v in zip(beats[drawn].tolist(), values[drawn].tolist(), strict=True)
    ]
    return "M" + "L".join(dict.fromkeys(rows))


def save(
    project: Project, lanes: list[str], path: str | os.PathLike[str], span: tuple[float, float] | None = None
) -> Path:
    """Write the picture. Raises ZolvekError when it can't be."""
    return write_bytes(path, svg(project, lanes, span).encode())
