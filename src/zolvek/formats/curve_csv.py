"""A curve as CSV (RFC 4180): the header `beat,value,shape,amount`, then a row a point."""

from __future__ import annotations

import csv
import io
import math
import os
from pathlib import Path

import numpy as np

from zolvek.core.curve import Curve, first_fault, shape_help
from zolvek.core.errors import ZolvekError
from zolvek.core.shapes import CODES, SHAPES
from zolvek.formats.atomic import read_bytes, write_bytes

HEADER = ["beat", "value", "shape", "amount"]


def to_text(curve: Curve) -> str:
    """The curve's points; numbers are written so that they read back to the same bits."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(HEADER)
    columns = (curve.beat.tolist(), curve.value.tolist(), curve.shape, curve.amount.tolist())
    writer.writerows((b, v, SHAPES[s].key, a) for b, v, s, a in zip(*columns, strict=True))
    return out.getvalue()


def from_text(text: str, where: str) -> Curve:
    """The curve in `text`. Raises ZolvekError naming `where`, the line and the remedy."""
    rows = csv.reader(io.StringIO(text.removeprefix("\ufeff"), newline=""), strict=True)
    points: list[tuple[float, float, int, float]] = []
    lines: list[int] = []
    try:
        header = next(rows, [])
        if [cell.strip().lower() for cell in header] != HEADER:
            raise ZolvekError(
                f"The header is “{','.join(header)[:60]}”.",
                f"{where}, line 1",
                f"It must be {','.join(HEADER)}.",
            )
        for row in rows:
            if not row:
                continue
            points.append(_point(row, f"{where}, line {rows.line_num}"))
            lines.append(rows.line_num)
    except csv.Error as error:
        place = f"{where}, line {rows.line_num}"
        raise ZolvekError(
            f"The row can't be read: {error}.", place, "Save it as plain CSV."
        ) from error
    if not lines:
        raise ZolvekError("There are no points in it.", where, "Add a row for at least one point.")
    beat, value, shape, amount = (np.array(column) for column in zip(*points, strict=True))
    fault = first_fault(beat, value, shape, amount)
    if fault:
        raise ZolvekError(fault[1], f"{where}, line {lines[fault[0]]}", fault[2])
    return Curve(beat, value, shape.astype(np.uint8), amount)


def _point(row: list[str], place: str) -> tuple[float, float, int, float]:
    if len(row) != len(HEADER):
        raise ZolvekError(
            f"The row has {len(row)} cells.", place, f"It needs {len(HEADER)}: {', '.join(HEADER)}."
        )
    key = row[2].strip().lower()
    if key not in CODES:
        raise ZolvekError(f"There is no shape “{row[2].strip()}”.", place, shape_help())
    code = CODES[key]
    amount = _number(row[3], "amount", place) if row[3].strip() else SHAPES[code].amount.default
    return _number(row[0], "beat", place), _number(row[1], "value", place), code, amount


def _number(cell: str, name: str, place: str) -> float:
    try:
        number = float(cell)
    except ValueError:
        number = math.nan
    if not math.isfinite(number) or "_" in cell:
        raise ZolvekError(
            f"The {name} “{cell.strip()[:40]}” is not a number.", place, "Mend the cell."
        )
    return number


def load(path: str | os.PathLike[str]) -> Curve:
    """Read a curve. Raises ZolvekError naming the file, the line and the remedy."""
    data = read_bytes(path)
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise ZolvekError(
            "This is not text in UTF-8.", str(path), "Save it as plain CSV."
        ) from error
    return from_text(text, str(path))


def save(curve: Curve, path: str | os.PathLike[str]) -> Path:
    return write_bytes(path, to_text(curve).encode())
