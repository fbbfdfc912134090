# SPDX-License-Identifier: GPL-3.0-or-later
"""The layout the design promises: arrows point one way, and nothing is declared twice."""

from __future__ import annotations

import ast
import subprocess
import sys
import unittest
from collections.abc import Collection, Iterator
from functools import cache
from graphlib import TopologicalSorter
from pathlib import Path

from tests import starts_processes
from zolvek.core.same import Same
from zolvek.studio.actions.action_table import ACTIONS, shortcuts_page
from zolvek.studio.app.application import application
from zolvek.studio.toolkit.icons import NAMES, icon
from zolvek.studio.toolkit.theme import THEMES

ROOT = Path(__file__).resolve().parent.parent
ALONE = """
import importlib, pkgutil, sys, zolvek
for package in ("core", "storage", "formats", "sound", "sync"):
    root = importlib.import_module(f"zolvek.{package}")
    for found in pkgutil.walk_packages(root.__path__, root.__name__ + "."):
        importlib.import_module(found.name)
print([name for name in sys.modules if name.startswith(("PyQt6", "zolvek.studio"))])
importlib.import_module("zolvek.cli")
print([name for name in ("scipy", "pedalboard", "mido", "numpy") if name in sys.modules and name != "numpy"])
"""


# Each part may import those after it; the window and the commands are both on top.
PARTS = ("cli", "studio", "sync", "sound", "formats", "storage", "core", "native")
STUDIO = ("app", "views", "actions", "commands", "services", "session", "toolkit")
LONGEST = {"file": 400, "class": 300, "function": 60}


@cache
def sources() -> dict[str, ast.Module]:
    """Every module of the program, by its name."""
    src = ROOT / "src"
    result = {}
    for path in sorted(src.rglob("*.py")):
        name = ".".join(path.relative_to(src).with_suffix("").parts).removesuffix(".__init__")
        result[name] = ast.parse(path.read_text())
    return result


def imports(tree: ast.Module, known: Collection[str]) -> Iterator[str]:
    """What a module imports of ours: at once or later, for its types alone, or by a name in a string (a process that
    is started, a function that another one loads)."""
    for node in ast.walk(tree):
        if isinstance(node, ast.ImportFrom) and node.module:
            for name in node.names:
                whole = f"{node.module}.{name.name}"
                yield whole if whole in known else node.module
        elif isinstance(node, ast.Import):
            yield from (name.name for name in node.names)
        elif isinstance(node, ast.Constant) and isinstance(node.value, str):
            module = node.value.partition(":")[0]
            if "." in module and module in known:
                yield module


@cache
def arrows() -> dict[str, set[str]]:
    """Module -> the modules of ours that it imports."""
    found = sources()
    return {
        name: {other for other in imports(tree, found) if other in found and other != name}
        for name, tree in found.items()
    }


def package_of(name: str) -> str:
    path = ROOT / "src" / Path(*name.split("."))
    return name if path.is_dir() else name.rpartition(".")[0]


def contrast(one: str, other: str) -> float:
    """WCAG 2 contrast ratio of two #RRGGBB colours."""

    def luminance(color: str) -> float:
        parts = [int(color[i : i + 2], 16) / 255 for i in (1, 3, 5)]
        linear = [c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4 for c in parts]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    low, high = sorted((luminance(one), luminance(other)))
    return (high + 0.05) / (low + 0.05)


class Structure(unittest.TestCase):
    @starts_processes
    def test_core_formats_and_sound_know_no_qt_and_load_nothing_slow(self) -> None:
        done = subprocess.run([sys.executable, "-c", ALONE], capture_output=True, text=True, check=True)
        self.assertEqual(done.stdout.split("\n")[:2], ["[]", "[]"])

    def test_no_two_modules_or_packages_import_each_other(self) -> None:
        graph = arrows()
        self.assertGreater(sum(map(len, graph.values())), 500, "the imports are read")
        TopologicalSorter(graph).prepare()  # raises CycleError, which names them
        packages: dict[str, set[str]] = {}
        for name, others in graph.items():
            if name != "zolvek.__main__":  # the entry, which starts the commands
                own = package_of(name)
                packages.setdefault(own, set()).update(map(package_of, others))
                packages[own].discard(own)
        TopologicalSorter(packages).prepare()

    def test_arrows_point_one_way(self) -> None:
        wrong = []
        for name, others in arrows().items():
            for other in others:
                own, its = name.split("."), other.split(".")
                if len(own) < 2 or len(its) < 2 or own[1] not in PARTS or its[1] not in PARTS:
                    continue
                if own[1] != its[1]:
                    up = PARTS.index(own[1]) > PARTS.index(its[1])
                elif own[1] == "studio" and own[2:3] != its[2:3]:
                    up = STUDIO.index(own[2]) > STUDIO.index(its[2])
                else:  # views know their own room and the shared one
                    rooms = own[2:4], its[2:4]
                    up = own[1:3] == ["studio", "views"] and rooms[0] != rooms[1] and its[3] != "shared"
                if up:
                    wrong.append(f"{name} -> {other}")
        self.assertEqual(wrong, [])

    def test_a_file_name_says_one_thing(self) -> None:
        """A name is used once, but for commands of the window that carry out the edits of the same name."""
        places: dict[str, list[str]] = {}
        for name in sources():
            if package_of(name) != name:
                package, _, last = name.rpartition(".")
                places.setdefault(last, []).append(package)
        sisters = ["zolvek.core.edits", "zolvek.studio.commands"]
        twice = {k: v for k, v in places.items() if len(v) > 1 and sorted(v) != sisters}
        self.assertEqual(twice, {})

    def test_nothing_is_named_by_its_address(self) -> None:
        """An address belongs to another object once the first has gone: keys hold what they name (core.same). The
        sender between processes holds every object whose address it knows."""
        for name, tree in sources().items():
            calls = [
                node.lineno
                for node in ast.walk(tree)
                if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "id"
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
