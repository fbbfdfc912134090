# SPDX-License-Identifier: GPL-3.0-or-later
"""Context menus: what each kind of thing that can be pressed offers, from the action table."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, QPoint, Qt
from PyQt6.QtGui import QContextMenuEvent
from PyQt6.QtWidgets import QMenu, QWidget

from zolvek.core.curve.shapes import SHAPES
from zolvek.studio.app.menu_letters import MenuLetters
from zolvek.studio.app.menus import Actions

LINE = "-"
CLIPBOARD = ("cut", "copy", "paste", "duplicate", "repeat", "repeat-times")
LANE = (
    "arm",
    "bypass",
    "hide-lane",
    "lock",
    LINE,
    "name-lane",
    "colour",
    "tall",
    "keep-below",
    "relative",
    "reach",
    LINE,
    "clear-lane",
    "remove-lane",
)
MENUS: dict[str, tuple[str, ...]] = {
    "point": ("type-value", "jump", "pin", "delete", LINE, "quantise", "from-dial", "to-dial", LINE,
              "thin-points", "average-points", LINE, *CLIPBOARD),
    "segment": (*(f"shape-{shape.key}" for shape in SHAPES), LINE, "quantise", "delete", LINE, *CLIPBOARD),
    "empty": ("add-point-here", "add-point", "paste", LINE, "select-all", "select-nth", LINE, "snap", "finer",
        "coarser", LINE, *LANE),
    "ruler": ("play-selection", "zoom-span", "zoom-all", LINE, "copy", "copy-all", "paste-scaled", "duplicate",
        "repeat", "repeat-times", "twice-as-fast", "half-as-fast", "repeat-growing", LINE,
              "bars-insert", "bars-remove", "section-begin", "time-rows", LINE, "own-loop", "own-loop-ends",
                  "slot-here", "span-here", "span-away"),
    "section": ("section-rename", "section-colour", "section-select", LINE, "section-double", "section-earlier",
        "section-later", "section-join", LINE,
                "version-new", "version-next", LINE, "section-begin", "section-remove"),
    "tempo": ("tempo-type", "tempo-ramp", "tempo-tap", "tempo-remove", LINE, "keep-sound", "tempo-from-sound", LINE,
        "bar-mark", "marks-fit", "marks-clear"),
    "meter": ("meter-type", "meter-remove", LINE, "bars-insert", "bars-remove", "end-type"),
    "time": ("section-begin", "tempo-type", "meter-type", "end-type", LINE, "bars-insert", "bars-remove", LINE,
        "time-rows"),
    "block": ("block-split", "block-loop", "block-duplicate", LINE, "block-gain", "block-fades", "block-track", LINE,
        "source-earlier", "source-later", LINE,
              "tempo-from-sound", "bar-mark", "marks-fit", LINE, "source-delete"),
    "notes": ("notes-up", "notes-down", "notes-octave-up", "notes-octave-down", LINE, "source-earlier", "source-later",
        "notes-longer", "notes-shorter", "notes-quantise", LINE,
              "notes-all", "notes-span", LINE, "source-delete"),
    "strip": ("sound-file", "notes-all", "notes-span", LINE, "bar-mark", "marks-fit", "tempo-from-sound", LINE,
        "hit-next", "hits-snap", "hits-of", LINE, "strip-tall", "strip-fold"),
    "switch": ("slot-here", "switch-remove", "next-slot"),
    "other-lane": LANE,
    "track": ("mute", "solo", "solo-safe", LINE, "rename-track", "track-colour", "double-track", "track-up",
        "track-down", "copy-automation", LINE, "bypass-track", "clear-track", LINE, "add-track", "remove-track"),
    "device": ("bypass-device", LINE, "rename-device", "double-device", "device-up", "device-down", "device-track",
        LINE, "clear-device", "write-device", "remove-device"),
    "parameter": ("add-lane", "retarget", LINE, *LANE),
    "dial": ("add-lane", "dial-type", "dial-default", "from-dial", "to-dial", "retarget", LINE, "arm", "bypass",
        "hide-lane"),
    "take": ("take-hear", "take-solo", "take-mute", LINE, "take-choose", "take-choose-span", "take-let-go", "take-crop",
        "take-edit", LINE,
             "take-rename", "take-rate", "take-colour", "take-copy", LINE, "take-delete"),
    "layer": ("layer-on", "layer-solo", "layer-draw", "layer-depth", "layer-rate", "layer-steady", LINE, "layer-rename",
        "layer-earlier", "layer-later", "layer-span", "layer-share", LINE,
              "layer-bake", LINE, "layer-remove"),
    "pattern": ("pattern-place", "slot-add", LINE, "pattern-rename", "pattern-delete", "pattern-undo"),
    "overview": ("zoom-all", "zoom-span", "zoom-in", "zoom-out", LINE, "show-lanes", "bypass-all"),
}  # fmt: skip

Pick = Callable[[QPoint | None], str]


class ContextMenu(QObject):
    """Opens the menu of what is pressed on `widget`: `pick` selects it and says its kind, "" for
    nothing; its argument is None where the menu key was pressed."""

    def __init__(self, widget: QWidget, actions: Actions, pick: Pick) -> None:
        super().__init__(widget)
        self.widget, self.actions, self.pick = widget, actions, pick
        widget.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if not isinstance(event, QContextMenuEvent):
            return False
        by_key = event.reason() == QContextMenuEvent.Reason.Keyboard
        kind = self.pick(None if by_key else event.pos())
        if kind:
            self.actions.refresh()  # what is pressed has just been selected
            menu = menu_of(self.actions, kind, self.widget)
            at = self.widget.rect().center() if by_key else event.pos()
            menu.popup(self.widget.mapToGlobal(at))
        event.accept()
        return True


def menu_of(actions: Actions, kind: str, parent: QWidget) -> QMenu:
    """The context menu of a kind of thing."""
    menu = QMenu(parent)
    menu.setObjectName(f"menu of a {kind}")
    menu.setToolTipsVisible(True)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    for key in MENUS[kind]:
        if key == LINE:
            menu.addSeparator()
        else:
            menu.addAction(actions.made[key])
    MenuLetters(menu)
    return menu
