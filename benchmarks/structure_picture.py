# SPDX-License-Identifier: GPL-3.0-or-later
"""Draws docs/structure.svg from the source: the packages of the program, and how many imports go from part to part."""

from __future__ import annotations

import ast
from collections import Counter
from html import escape
from pathlib import Path

SOURCE = Path(__file__).resolve().parent.parent / "src" / "zolvek"
# Rows from top to bottom; a part may import those in rows below it.
ROWS = (("studio", "cli"), ("sync",), ("sound",), ("formats",), ("storage",), ("core",))
WIDTH, GAP, LINE, BOX = 1_180, 26, 17, 190
INK, PAPER, EDGE, ARROW = "#22313A", "#F5F0E4", "#B4A88E", "#0C5B66"


def packages(part: str) -> list[tuple[str, int]]:
    """The packages of a part, with how many modules each has."""
    counts: Counter[str] = Counter()
    for path in (SOURCE / part).rglob("*.py"):
        if path.name != "__init__.py":
            counts["/".join(path.relative_to(SOURCE / part).parent.parts) or "."] += 1
    return sorted(counts.items())


def imports() -> Counter[tuple[str, str]]:
    """How many modules of a part import from another one."""
    result: Counter[tuple[str, str]] = Counter()
    parts = {part for row in ROWS for part in row}
    for path in SOURCE.rglob("*.py"):
        own = path.relative_to(SOURCE).parts[0]
        names = {
            node.module.split(".")[1]
            for node in ast.walk(ast.parse(path.read_text(encoding="utf-8")))
            if isinstance(node, ast.ImportFrom) and node.module and node.module.startswith("zolvek.")
        }
        result.update((own, name) for name in names & parts if own in parts and name != own)
    return result


def draw() -> str:
    """The picture, as SVG 1.1."""
    body: list[str] = []
    arrows = imports()
    top = float(GAP)
    for row in ROWS:
        width = (WIDTH - GAP * (len(row) + 1)) / len(row)
        tallest = 0.0
        for column, part in enumerate(row):
            left = GAP + column * (width + GAP)
            rows = packages(part)
            columns = max(int(width // BOX), 1)
            deep = -(-len(rows) // columns)
            height = 40 + deep * LINE
            tallest = max(tallest, height)
            body.append(_box(left, top, width, height))
            to = ", ".join(f"{name} {count}" for (own, name), count in sorted(arrows.items()) if own == part)
            body.append(_text(left + 12, top + 20, part, weight="600"))
            body.append(_text(left + width - 12, top + 20, f"imports {to}" if to else "", ARROW, "end"))
            for index, (name, count) in enumerate(rows):
                x = left + 12 + (index // deep) * BOX
                y = top + 40 + (index % deep) * LINE
                body.append(_text(x, y, f"{name}  {count}"))
        top += tallest + GAP
    head = (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{WIDTH}" height="{top:g}" viewBox="0 0 {WIDTH} {top:g}" '
        'font-family="IBM Plex Sans, sans-serif" font-size="12">'
    )
    return "\n".join((head, "<title>Packages of Zolvek, and imports between its parts</title>", *body, "</svg>\n"))


def _box(x: float, y: float, width: float, height: float) -> str:
    place = f'x="{x:g}" y="{y:g}" width="{width:g}" height="{height:g}"'
    return f'<rect {place} rx="5" fill="{PAPER}" stroke="{EDGE}"/>'


def _text(x: float, y: float, text: str, colour: str = INK, anchor: str = "start", weight: str = "400") -> str:
    looks = f'fill="{colour}" text-anchor="{anchor}" font-weight="{weight}"'
    return f'<text x="{x:g}" y="{y:g}" {looks}>{escape(text)}</text>'
