# SPDX-License-Identifier: GPL-3.0-or-later
"""A curve as CSV (RFC 4180): the header `beat,value,shape,amount`, then a row a point.

A fifth column, `part`, is there where a segment runs through a part of its shape only: where in the
shape it begins and ends, 0..1, and its swing, as `0.25/0.75/0.4`; empty for the whole of it. It may be
left out when read, and so may shape and amount: lines are between such points."""

from __future__ import annotations

import csv
import io
import math
import os
from pathlib import Path

import numpy as np

from zolvek.core.curve.curve import WHOLE, Curve
from zolvek.core.curve.rules import first_fault, shape_help
from zolvek.core.curve.shapes import CODES, LINE, SHAPES
from zolvek.core.errors import ZolvekError
from zolvek.storage.atomic import write_bytes
from zolvek.storage.opening import read_bytes

MOST_ROWS, MOST_BYTES = 1_000_000, 200_000_000
HEADER = ["beat", "value", "shape", "amount"]
PART = "part"
VALUES = ["beat", "value"]  # a table of values alone
HEADERS = (HEADER, [*HEADER, PART], VALUES)


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
    rows = [f"{b!r},{v!r},{keys[s]},{a!r}" for b, v, s, a in columns]
    header = HEADER
    if len(curve.part):
        header = [*HEADER, PART]
        rows = [f"{row},{_part_text(part)}" for row, part in zip(rows, curve.part.tolist(), strict=True)]
    return "".join(f"{row}\r\n" for row in (",".join(header), *rows))


def _part_text(part: list[float]) -> str:
    return "" if tuple(part) == WHOLE else "/".join(repr(number) for number in part)


def from_text(text: str, where: str) -> Curve:
    """The curve in `text`. Raises ZolvekError naming `where`, the line and the remedy."""
    rows = csv.reader(io.StringIO(text.removeprefix("\ufeff"), newline=""), strict=True)
    quick = _quickly(text)
    if quick is not None:
        return quick
    points: list[tuple[float, float, int, float, tuple[float, ...]]] = []
    lines: list[int] = []
    try:
        header = next(rows, [])
        names = [cell.strip().lower() for cell in header]
        if names not in HEADERS:
            raise ZolvekError(
                f"The header is “{','.join(header)[:60]}”.",
                f"{where}, line 1",
                f"It must be {','.join(HEADER)}, may have {PART} after them, or be {','.join(VALUES)} alone.",
            )
        for row in rows:
            if not row:
                continue
            points.append(_point(row, names, f"{where}, line {rows.line_num}"))
            lines.append(rows.line_num)
    except csv.Error as error:
        position = f"{where}, line {rows.line_num}"
        raise ZolvekError(f"The row can't be read: {error}.", position, "Save it as plain CSV.") from error
    if not lines:
        raise ZolvekError("There are no points in it.", where, "Add a row for at least one point.")
    beat, value, shape, amount, part = (np.array(column) for column in zip(*points, strict=True))
    fault = first_fault(beat, value, shape, amount, part)
    if fault:
        raise ZolvekError(fault[1], f"{where}, line {lines[fault[0]]}", fault[2])
    return Curve(beat, value, shape.astype(np.uint8), amount, part)


def _quickly(text: str) -> Curve | None:
    """The curve where every row is as `to_text` writes them; None where anything at all is otherwise,
    which is then read row by row so that it can be said where."""
    head, _, body = text.removeprefix("\ufeff").partition("\n")
    if head.strip() != ",".join(HEADER) or not body.strip() or '"' in body or "_" in body:
        return None
    kind = [("beat", "f8"), ("value", "f8"), ("shape", "U16"), ("amount", "f8")]
    try:
        rows = np.loadtxt(io.StringIO(body), kind, comments=None, delimiter=",", ndmin=1)
        keys, index = np.unique(rows["shape"], return_inverse=True)
        codes = np.array([CODES[key] for key in keys.tolist()], np.uint8)[index]
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


def _point(row: list[str], names: list[str], where: str) -> tuple[float, float, int, float, tuple[float, ...]]:
    if len(row) != len(names):
        raise ZolvekError(f"The row has {len(row)} cells.", where, f"It needs {len(names)}: {', '.join(names)}.")
    if names == VALUES:
        return _number(row[0], "beat", where), _number(row[1], "value", where), LINE, 0.0, WHOLE
    key = row[2].strip().lower()
    if key not in CODES:
        raise ZolvekError(f"There is no shape “{row[2].strip()}”.", where, shape_help())
    code = CODES[key]
    amount = _number(row[3], "amount", where) if row[3].strip() else SHAPES[code].amount.default
    beat, value = _number(row[0], "beat", where), _number(row[1], "value", where)
    return beat, value, code, amount, _part(row[4] if len(row) > 4 else "", where)


def _part(cell: str, where: str) -> tuple[float, ...]:
    if not cell.strip():
        return WHOLE
    numbers = tuple(_number(text, PART, where) for text in cell.split("/"))
    if len(numbers) != len(WHOLE):
        raise ZolvekError(
            f"The part “{cell.strip()[:40]}” can't be read.",
            where,
            "Give its start, end and swing, as 0.25/0.75/0.4, or leave it empty.",
        )
    return numbers


def _number(cell: str, name: str, where: str) -> float:
    try:
        number = float(cell)
    except ValueError:
        number = math.nan
    if not math.isfinite(number) or "_" in cell:
        raise ZolvekError(f"The {name} “{cell.strip()[:40]}” is not a number.", where, "Correct the cell.")
    return number


def load(path: str | os.PathLike[str]) -> Curve:
    """Read a curve. Raises ZolvekError naming the file, the line and the remedy."""
    data = read_bytes(path, MOST_BYTES)
    if data.count(b"\n") > MOST_ROWS:
        raise ZolvekError(f"It has more than {MOST_ROWS:,} rows.", str(path), "Thin it, or split it into several.")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise ZolvekError("This is not text in UTF-8.", str(path), "Save it as plain CSV.") from error
    return from_text(text, str(path))


def save(curve: Curve, path: str | os.PathLike[str]) -> Path:
    """Write a curve as CSV. Raises ZolvekError if that fails."""
    return write_bytes(path, to_text(curve).encode())
