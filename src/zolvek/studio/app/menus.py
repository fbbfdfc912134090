# SPDX-License-Identifier: GPL-3.0-or-later
"""The window's actions as Qt's: made from the table, kept in step with the studio, and put into
menus."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QObject, Qt, QTimer
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu, QMenuBar, QWidget

from zolvek.core.errors import ZolvekError
from zolvek.studio.actions.action import Action
from zolvek.studio.actions.action_table import ACTIONS, MENUS, MNEMONICS
from zolvek.studio.app.menu_letters import MenuLetters
from zolvek.studio.services.context import Studio
from zolvek.studio.toolkit import theme as themes

DRAGGED_MS = 150  # between refreshes of the actions while something is dragged


def in_dialog(row: Action) -> bool:
    """Whether what goes wrong is shown in a dialog: where one is open already, and where a file is at stake."""
    return row.asks or row in MENUS["File"]


class Actions(QObject):
    """`made`: a QAction for each row of the table."""

    def __init__(self, studio: Studio, parent: QObject) -> None:
        super().__init__(parent)
        self.studio = studio
        self.made: dict[str, QAction] = {}
        self.refreshing = QTimer(self)
        self.refreshing.setSingleShot(True)
        self.refreshing.timeout.connect(self.refresh)
        notices = studio.session.notices
        for row in ACTIONS:
            action = QAction(row.text, self)
            if row.keys:
                action.setShortcut(QKeySequence(row.keys))
            if row.on_lane:
                action.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
            action.setStatusTip(row.tip)
            action.setCheckable(row.checked is not None)
            attempt = notices.run_guarded if in_dialog(row) else notices.attempt
            action.triggered.connect(lambda _, run=row.run, attempt=attempt: attempt(lambda: run(studio)))
            self.made[row.id] = action
        session = studio.session
        for part in (
            session.document, session.focus, session.points, session.span, session.tools,
            session.shown, studio.player, session.audition, session.passes, session.preview,
            session.look, session.picked, session.shelf, session.arranging, studio.hits,
        ):  # fmt: skip
            part.changed.connect(self._refresh_later)
        session.playhead.changed.connect(self._refresh_soon)

    def give_keys(self, window: QWidget, focus_lane: QWidget) -> None:
        """The keys of each action count in the window, or on the focus lane alone."""
        for row in ACTIONS:
            (focus_lane if row.on_lane else window).addAction(self.made[row.id])

    def fill(self, bar: QMenuBar) -> None:
        """Fill the menu bar."""
        for name, rows in MENUS.items():
            menu = bar.addMenu(MNEMONICS.get(name, f"&{name}"))
            assert menu is not None
            menu.setToolTipsVisible(True)
            MenuLetters(menu)
            submenus: dict[str, QMenu] = {}
            for row in rows:
                if row.group and row.group not in submenus:
                    submenus[row.group] = QMenu(row.group, menu)
                    submenus[row.group].setToolTipsVisible(True)
                    MenuLetters(submenus[row.group])
                    menu.addMenu(submenus[row.group])
                elif row.apart:
                    submenus.get(row.group, menu).addSeparator()
                submenus.get(row.group, menu).addAction(self.made[row.id])
                if row.id == "open":
                    menu.addMenu(Recent(self.studio, menu))

    def press(self, keys: QKeySequence) -> bool:
        """Keys that no widget took: do what they stand for on the lane, or say why that can't be done now. Returns
        whether they stand for anything."""
        for row in ACTIONS:
            action = self.made[row.id]
            if row.keys and action.shortcut() == keys:
                if action.isEnabled():
                    action.trigger()
                else:
                    self.studio.session.notices.refuse(ZolvekError(str(action.data())))
                return True
        return False

    def _refresh_later(self) -> None:
        """Actions follow what has changed: at once, but only now and then during a drag."""
        if not self.studio.session.document.in_gesture:
            self.refresh()
        elif not self.refreshing.isActive():
            self.refreshing.start(DRAGGED_MS)

    def _refresh_soon(self) -> None:
        """What depends on where the playhead is follows it now and then, not at each of its steps."""
        if not self.refreshing.isActive():
            self.refreshing.start(DRAGGED_MS)

    def refresh(self) -> None:
        """Set text, check mark and availability of every action."""
        for row in ACTIONS:
            action = self.made[row.id]
            reason = row.refused(self.studio)
            if action.isEnabled() == bool(reason) or reason != action.data():
                action.setEnabled(not reason)
                action.setData(reason)
                keys = f" ({row.keys})" if row.keys else ""
                action.setToolTip(f"{row.tip}{keys}" + (f"\n{reason}" if reason else ""))
            if row.checked is not None:
                action.setChecked(row.checked(self.studio))
            if row.label is not None:
                action.setText(row.label(self.studio))

    def load_icons(self) -> None:
        """Load the symbols, after the first picture."""
        from zolvek.studio.toolkit.icons import icon

        theme = themes.THEMES[self.studio.session.settings.window.theme]
        for row in ACTIONS:
            if row.icon:
                self.made[row.id].setIcon(icon(row.icon, theme, row.id.startswith("step-")))


class Recent(QMenu):
    """The projects that were open last."""

    def __init__(self, studio: Studio, parent: QWidget) -> None:
        super().__init__("Open recent", parent)
        self.studio = studio
        self.aboutToShow.connect(self.fill)

    def fill(self) -> None:
        """Fill the menu of recent projects."""
        self.clear()
        names = self.studio.session.settings.files.recent
        for name in names:
            entry = self.addAction(Path(name).name)
            assert entry is not None
            entry.setToolTip(name)
            entry.triggered.connect(lambda _, p=Path(name): self.studio.files.open_path(p))
        self.setEnabled(bool(names))
