"""The layout the design promises: arrows point one way, and nothing is declared twice."""

from __future__ import annotations

import subprocess
import sys
import unittest
from pathlib import Path

from zolvek.studio.actions import ACTIONS, MENUS, shortcuts_page
from zolvek.studio.app import application
from zolvek.studio.icons import NAMES, icon
from zolvek.studio.theme import THEMES

ROOT = Path(__file__).resolve().parent.parent
ALONE = """
import importlib, pkgutil, sys, zolvek
for package in ("core", "formats", "sound"):
    root = importlib.import_module(f"zolvek.{package}")
    for found in pkgutil.walk_packages(root.__path__, root.__name__ + "."):
        importlib.import_module(found.name)
print([name for name in sys.modules if name.startswith(("PyQt6", "zolvek.studio"))])
importlib.import_module("zolvek.cli")
print([name for name in ("scipy", "pedalboard", "mido", "numpy") if name in sys.modules and name != "numpy"])
"""


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

    def test_actions_are_whole(self) -> None:
        for row in ACTIONS:
            self.assertIn(row.menu, MENUS)
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
