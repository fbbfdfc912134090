"""The layout the design promises: arrows point one way, and nothing is declared twice."""

from __future__ import annotations

import ast
import subprocess
import sys
import unittest
from collections.abc import Iterator
from graphlib import TopologicalSorter
from pathlib import Path

from zolvek.core.same import Same
from zolvek.studio.actions.table import ACTIONS, shortcuts_page
from zolvek.studio.app import application
from zolvek.studio.icons import NAMES, icon
from zolvek.studio.theme import THEMES

ROOT = Path(__file__).resolve().parent.parent
ALONE = """
import importlib, pkgutil, sys, zolvek
compiled = {"sending", "sounding", "moving", "bars", "callbacks", "client", "native"}  # they need the system's library
for package in ("core", "storage", "formats", "sound", "beside"):
    root = importlib.import_module(f"zolvek.{package}")
    for found in pkgutil.walk_packages(root.__path__, root.__name__ + "."):
        if not (found.name.startswith("zolvek.beside.jack.") and found.name.split(".")[-1] in compiled):
            importlib.import_module(found.name)
print([name for name in sys.modules if name.startswith(("PyQt6", "zolvek.studio"))])
importlib.import_module("zolvek.cli")
print([name for name in ("scipy", "pedalboard", "mido", "numpy") if name in sys.modules and name != "numpy"])
"""


# What the parts of the program may import of one another, apart from themselves.
MAY_IMPORT = {
    "core": set(),
    "storage": {"core"},
    "formats": {"core", "storage", "sound"},
    "sound": {"core", "storage", "process"},
    "demo": {"core", "formats"},
    "beside": {"core", "storage", "formats", "sound", "process"},
    "cli": {
        "core",
        "storage",
        "formats",
        "sound",
        "beside",
        "demo",
        "desktop",
        "process",
        "studio",
    },
    "studio": {"core", "storage", "formats", "sound", "beside", "demo", "process"},
}
LONGEST = {"file": 400, "class": 300, "function": 60}


def sources() -> dict[str, ast.Module]:
    """Every module of the program, by its name."""
    src = ROOT / "src"
    found = {}
    for path in sorted(src.rglob("*.py")):
        name = ".".join(path.relative_to(src).with_suffix("").parts).removesuffix(".__init__")
        found[name] = ast.parse(path.read_text())
    return found


def imports(tree: ast.Module, known: set[str]) -> Iterator[str]:
    """What a module imports of ours, at once or later, or for its types alone."""
    for node in ast.walk(tree):
        if isinstance(node, ast.ImportFrom) and node.module:
            for name in node.names:
                whole = f"{node.module}.{name.name}"
                yield from [whole] if whole in known else [node.module]
        elif isinstance(node, ast.Import):
            yield from (name.name for name in node.names)


def contrast(one: str, other: str) -> float:
    """WCAG 2 contrast ratio of two #RRGGBB colours."""

    def luminance(color: str) -> float:
        parts = [int(color[i : i + 2], 16) / 255 for i in (1, 3, 5)]
        linear = [c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4 for c in parts]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    low, high = sorted((luminance(one), luminance(other)))
    return (high + 0.05) / (low + 0.05)


class Structure(unittest.TestCase):
    def test_core_formats_and_sound_know_no_qt_and_load_nothing_slow(self) -> None:
        done = subprocess.run(
            [sys.executable, "-c", ALONE], capture_output=True, text=True, check=True
        )
        self.assertEqual(done.stdout.split("\n")[:2], ["[]", "[]"])

    def test_no_two_modules_import_each_other(self) -> None:
        found = sources()
        graph = {
            name: {other for other in imports(tree, set(found)) if other in found and other != name}
            for name, tree in found.items()
        }
        self.assertGreater(sum(map(len, graph.values())), 500, "the imports are read")
        TopologicalSorter(graph).prepare()  # raises CycleError, which names them

    def test_arrows_point_one_way(self) -> None:
        found = sources()
        for name, tree in found.items():
            part = name.split(".")[1] if name.count(".") else ""
            if part in MAY_IMPORT:
                others = {
                    other.split(".")[1]
                    for other in imports(tree, set(found))
                    if other.startswith("zolvek.") and other.split(".")[1] != part
                }
                self.assertLessEqual(others - {"version"}, MAY_IMPORT[part], name)

    def test_nothing_is_named_by_its_address(self) -> None:
        """An address belongs to another object once the first has gone: keys hold what they name (core.same). The
        sender between processes holds every object whose address it knows."""
        for name, tree in sources().items():
            calls = [
                node.lineno
                for node in ast.walk(tree)
                if isinstance(node, ast.Call)
                and isinstance(node.func, ast.Name)
                and node.func.id == "id"
            ]
            if name != "zolvek.sound.processes.framing":
                self.assertEqual(calls, [], name)
        first, second = [1], [1]
        self.assertEqual({Same(first): "one"}.get(Same(first)), "one")
        self.assertIsNone({Same(first): "one"}.get(Same(second)))

    def test_rooms_are_not_halls(self) -> None:
        """Files, classes and functions of a size that can be taken in; a longer function says why
        in its docstring ("Long: …")."""
        tall = []
        for name, tree in sources().items():
            last = max((node.end_lineno or 0 for node in tree.body), default=0)
            rows = [("file", name, last, "")]
            for node in ast.walk(tree):
                if isinstance(node, ast.ClassDef | ast.FunctionDef):
                    kind = "class" if isinstance(node, ast.ClassDef) else "function"
                    size = (node.end_lineno or 0) - node.lineno + 1
                    rows.append((kind, f"{name}.{node.name}", size, ast.get_docstring(node) or ""))
            tall += [
                f"{what}: {size} lines"
                for kind, what, size, says in rows
                if size > LONGEST[kind] and "Long:" not in says
            ]
        self.assertEqual(tall, [])

    def test_actions_are_whole(self) -> None:
        for row in ACTIONS:
            self.assertTrue(row.tip and row.text, row.id)
            self.assertIn(row.icon or "play", NAMES)
        app = application()
        for name in NAMES:
            self.assertFalse(icon(name, THEMES["vellum"]).isNull(), name)
        self.assertTrue(app.styleSheet())
        page = (ROOT / "docs" / "shortcuts.md").read_text()
        self.assertEqual(page, shortcuts_page(), "run ./zolvek shots")

    def test_text_and_curves_reach_aa_contrast(self) -> None:
        """WCAG 2.1, 1.4.3 (text 4.5:1) and 1.4.11 (graphics 3:1)."""
        for theme in THEMES.values():
            for paper in (theme.sheet, theme.desk, theme.raised):
                for ink in (theme.ink, theme.quiet):
                    self.assertGreaterEqual(contrast(ink, paper), 4.5, (theme.key, ink, paper))
                for ink in (theme.curve, theme.layer, theme.playhead):
                    self.assertGreaterEqual(contrast(ink, paper), 3.0, (theme.key, ink, paper))
            self.assertGreaterEqual(contrast(theme.selection, theme.sheet), 3.0)
