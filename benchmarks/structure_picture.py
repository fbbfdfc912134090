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
INK, QUIET, PAPER, EDGE, ARROW = "#22313A", "#6B6A62", "#F5F0E4", "#B4A88E", "#0C5B66"


def packages(part: str) -> list[tuple[str, int]]:
    """The packages of a part, with how many modules each has."""
    counts: Counter[str] = Counter()
    for path in (SOURCE / part).rglob("*.py"):
        if path.name != "__init__.py":
            counts["/".join(path.relative_to(SOURCE / part).parent.parts) or "."] += 1
    return sorted(counts.items())


def imports() -> Counter[tuple[str, str]]:
    """How many modules of a part import from another one."""
    found: Counter[tuple[str, str]] = Counter()
    parts = {part for row in ROWS for part in row}
    for path in SOURCE.rglob("*.py"):
        own = path.relative_to(SOURCE).parts[0]
        names = {
            node.module.split(".")[1]
            for node in ast.walk(ast.parse(path.read_text(encoding="utf-8")))
            if isinstance(node, ast.ImportFrom) and node.module and node.module.startswith("zolvek.")
        }
        found.update((own, name) for name in names & parts if own in parts and name != own)
    return found


def draw() -> str:
    """The picture, as SVG 1.1."""
    body: list[str] = []
    arrows = imports()
    top = GAP
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
            body.append(f'<rect x="{left:g}" y="{top:g}" width="{width:g}" height="{height:g}" rx="5" fill="{PAPER}" stroke="{EDGE}"/>')
            to = ", ".join(f"{name} {count}" for (own, name), count in sorted(arrows.items()) if own == part)
            body.append(f'<text x="{left + 12:g}" y="{top + 20:g}" font-weight="600" fill="{INK}">{part}</text>')
            if to:
                body.append(f'<text x="{left + width - 12:g}" y="{top + 20:g}" text-anchor="end" fill="{ARROW}">imports {escape(to)}</text>')
            for index, (name, count) in enumerate(rows):
                x = left + 12 + (index // deep) * BOX
                y = top + 40 + (index % deep) * LINE
                body.append(f'<text x="{x:g}" y="{y:g}" fill="{INK}">{escape(name)} <tspan fill="{QUIET}">{count}</tspan></text>')
        top += tallest + GAP
    head = f'<svg xmlns="http://www.w3.org/2000/svg" width="{WIDTH}" height="{top:g}" viewBox="0 0 {WIDTH} {top:g}" font-family="IBM Plex Sans, sans-serif" font-size="12">'
    return "\n".join((head, "<title>Packages of Zolvek, and imports between its parts</title>", *body, "</svg>\n"))
