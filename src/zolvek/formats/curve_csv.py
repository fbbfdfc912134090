"""A curve as CSV (RFC 4180): the header `beat,value,shape,amount`, then a row a point."""

from __future__ import annotations

import csv
import io
import math
import os
from pathlib import Path

import numpy as np

from zolvek.core.curve.curve import Curve, first_fault, shape_help
from zolvek.core.curve.shapes import CODES, SHAPES
from zolvek.core.errors import ZolvekError
from zolvek.formats.atomic import read_bytes, write_bytes

MOST_ROWS, MOST_BYTES = 1_000_000, 200_000_000
HEADER = ["beat", "value", "shape", "amount"]


def to_text(curve: Curve) -> str:
    """The curve's points; numbers are written so that they read back to the same bits."""
    keys = [shape.key for shape in SHAPES]
    columns = zip(
        curve.beat.tolist(),
        curve.value.tolist(),
        curve.shape.tolist(),
        curve.amount.tolist(),
        strict=True,
    )
    rows = [f"{b!r},{v!r},{keys[s]},{a!r}\r\n" for b, v, s, a in columns]
    return ",".join(HEADER) + "\r\n" + "".join(rows)


def from_text(text: str, where: str) -> Curve:
    """The curve in `text`. Raises ZolvekError naming `where`, the line and the remedy."""
    rows = csv.reader(io.StringIO(text.removeprefix("\ufeff"), newline=""), strict=True)
    quick = _quickly(text)
    if quick is not None:
        return quick
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


def _quickly(text: str) -> Curve | None:
    """The curve where every row is as `to_text` writes them; None where anything at all is otherwise,
    which is then read row by row so that it can be said where."""
    head, _, body = text.removeprefix("\ufeff").partition("\n")
    if head.strip() != ",".join(HEADER) or not body.strip() or '"' in body or "_" in body:
        return None
    kind = [("beat", "f8"), ("value", "f8"), ("shape", "U16"), ("amount", "f8")]
    try:
        rows = np.loadtxt(io.StringIO(body), kind, comments=None, delimiter=",", ndmin=1)
        keys, place = np.unique(rows["shape"], return_inverse=True)
        codes = np.array([CODES[key] for key in keys.tolist()], np.uint8)[place]
    except (KeyError, ValueError, IndexError):
        return None
    columns = [np.ascontiguousarray(rows[name]) for name in ("beat", "value", "amount")]
    if not len(rows):
        return None
    if not all(np.isfinite(column).all() for column in columns):
        return None
    if first_fault(columns[0], columns[1], codes, columns[2]):
        return None
    return Curve(columns[0], columns[1], codes, columns[2])


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
    data = read_bytes(path, MOST_BYTES)
    if data.count(b"\n") > MOST_ROWS:
        raise ZolvekError(
            f"It has more than {MOST_ROWS:,} rows.", str(path), "Thin it, or split it into several."
        )
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise ZolvekError(
            "This is not text in UTF-8.", str(path), "Save it as plain CSV."
        ) from error
    return from_text(text, str(path))


def save(curve: Curve, path: str | os.PathLike[str]) -> Path:
    return write_bytes(path, to_text(curve).encode())
