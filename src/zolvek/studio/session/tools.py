# SPDX-License-Identifier: GPL-3.0-or-later
"""The drawing tool, the grid, and how the window looks."""

from __future__ import annotations

from contextlib import suppress
from enum import StrEnum

from PyQt6.QtCore import QObject, pyqtSignal

from zolvek.core.errors import ZolvekError
from zolvek.core.records import replace
from zolvek.core.time.grid import Grid
from zolvek.core.time.meter import MeterMap
from zolvek.core.value.value_grid import ValueGrid
from zolvek.studio.session.settings import Settings


class Tool(StrEnum):
    """What a press on the focus lane draws with."""

    POINTS = "points"
    FREEHAND = "freehand"
    LINE = "line"
    STAMP = "stamp"


class Tools(QObject):
    """`tool`: what a press on the focus lane draws with; `stamp` and `sliders`: what the stamp tool
    stamps; the time grid and the value grid."""

    changed = pyqtSignal()

    def __init__(self, settings: Settings) -> None:
        super().__init__()
        self.settings = settings
        self.tool: str = Tool.POINTS
        self.stamp = "swell"
        self.sliders: dict[str, float] = {}
        self.value_grid = ValueGrid()
        self.grid = Grid()
        with suppress(ZolvekError):  # kept by a program that knew other grids
            self.grid = Grid(settings.editing.grid_division, settings.editing.grid_kind, settings.editing.snap)

    def choose(self, tool: str) -> None:
        """Choose a drawing tool."""
        self.tool = tool
        self.changed.emit()

    def choose_stamp(self, stamp: str) -> None:
        """Choose the stamp."""
        self.stamp, self.sliders = stamp, {}
        self.changed.emit()

    def set_slider(self, key: str, value: float) -> None:
        """A slider of the stamp: given to nobody, as only the next stamp asks for it."""
        self.sliders[key] = value

    def set_grid(self, **changes: object) -> None:
        """Use another time grid."""
        self.grid = replace(self.grid, **changes)
        self.settings.editing.grid_division = self.grid.division
        self.settings.editing.grid_kind, self.settings.editing.snap = self.grid.kind, self.grid.on
        self.changed.emit()

    def set_keep_distance(self, on: bool) -> None:
        """Moves go by whole steps of the grid, and keep what lies off it."""
        self.settings.editing.relative_snap = on
        self.changed.emit()

    def moved(self, beat: float, to: float, meter: MeterMap) -> float:
        """Where a thing at `beat` lands that is moved to `to`."""
        if self.settings.editing.relative_snap:
            return self.grid.snap_move(beat, to, meter)
        return float(self.grid.snap(to, meter))

    def set_value_grid(self, **changes: object) -> None:
        """Use another value grid."""
        self.value_grid = replace(self.value_grid, **changes)
        self.changed.emit()

    def set_when_met(self, choice: str) -> None:
        """What becomes of points that a moved one meets."""
        self.settings.editing.collisions = choice
        self.changed.emit()


class Look(QObject):
    """The theme, a key of studio.toolkit.theme.THEMES, and whether touched controls bring their lanes up:
    both kept in the settings."""

    changed = pyqtSignal()

    def __init__(self, settings: Settings) -> None:
        super().__init__()
        self.settings = settings
        self.kept: frozenset[str] = frozenset()  # lanes that stay in view below the focus

    def keep(self, lane: str) -> None:
        """The lane stays first below the focus, or no longer."""
        self.kept = self.kept ^ {lane}
        self.changed.emit()

    def set_low(self, **changes: bool) -> None:
        """Which lanes lie below the focus: `related_first`, `moving_only` of the settings."""
        for name, on in changes.items():
            setattr(self.settings.window, name, on)
        self.changed.emit()

    def fold_bench(self, folded: bool) -> None:
        """Hide the dials, or show them."""
        self.settings.window.dials_hidden = folded
        self.changed.emit()

    def set_theme(self, key: str) -> None:
        """Use another theme."""
        self.settings.window.theme = key
        self.changed.emit()

    def set_follow(self, on: bool) -> None:
        """Follow touched controls, or not."""
        self.settings.editing.follow_touched = on
        self.changed.emit()


TOOLS: tuple[tuple[str, str, str], ...] = (
    (Tool.POINTS, "Points", "Add and move points"),
    (Tool.FREEHAND, "Freehand", "Draw a stroke; it becomes few shaped points"),
    (Tool.LINE, "Line", "Draw a straight line over what is there"),
    (Tool.STAMP, "Stamp", "Drag a span to stamp the chosen shape"),
)
