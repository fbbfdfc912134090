# SPDX-License-Identifier: GPL-3.0-or-later
"""Curves on the clipboard: our CSV, so that they go into a spreadsheet and back. Several lanes
share one table with a column `lane` in front, their pieces aligned at beat 0."""

from __future__ import annotations

import csv
import io

from zolvek.core.curve.curve import Curve
from zolvek.core.errors import ZolvekError
from zolvek.formats.tables import curve_csv
from zolvek.storage.file_names import cell, from_cell

WHERE = "the clipboard"


def to_text(pieces: list[tuple[str, Curve]]) -> str:
    """`pieces`: a lane's name and its piece, which begins at beat 0."""
    if len(pieces) == 1:
        return curve_csv.to_text(pieces[0][1])
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    whole = [*curve_csv.HEADER, curve_csv.PART]
    writer.writerow(["lane", *whole])
    for name, piece in pieces:
        rows = csv.reader(io.StringIO(curve_csv.to_text(piece)))
        next(rows)
        # A piece without cut segments has a column less than others.
        writer.writerows([cell(name), *row, *[""] * (len(whole) - len(row))] for row in rows)
    return out.getvalue()


def from_text(text: str) -> list[tuple[str, Curve]]:
    """The pieces in `text`. Raises ZolvekError when it is no curve."""
    head = text.lstrip("\ufeff").split("\n", 1)[0].strip().lower()
    separator = "\t" if "\t" in head else ","  # spreadsheets put tabs between their cells
    if separator == "\t":
        text, head = text.replace("\t", ","), head.replace("\t", ",")
    headers = [curve_csv.HEADER, [*curve_csv.HEADER, curve_csv.PART]]
    if head in [",".join(names) for names in headers]:
        return [("", curve_csv.from_text(text, WHERE))]
    header = next((names for names in headers if head == ",".join(["lane", *names])), None)
    if header is None:
        raise ZolvekError("There is no curve on the clipboard.", remedy="Copy a part of a lane first.")
    groups: dict[str, list[list[str]]] = {}
    try:
        rows = list(csv.reader(io.StringIO(text, newline="")))[1:]
    except csv.Error as error:
        raise ZolvekError(f"The table can't be read: {error}.", WHERE, "Copy it again.") from error
    for row in rows:
        if row:
            groups.setdefault(row[0], []).append(row[1:])
    return [(from_cell(name), curve_csv.from_text(_table(header, rows), WHERE)) for name, rows in groups.items()]


def _table(header: list[str], rows: list[list[str]]) -> str:
    out = io.StringIO()
    csv.writer(out).writerows([header, *rows])
    return out.getvalue()
