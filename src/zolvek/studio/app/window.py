# SPDX-License-Identifier: GPL-3.0-or-later
"""The main window: puts the areas together, and shows what commands ask for."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, Qt, QTimer
from PyQt6.QtGui import (
    QAction,
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QKeySequence,
    QResizeEvent,
)
from PyQt6.QtWidgets import (
    QApplication,
    QLineEdit,
    QMainWindow,
    QWidget,
)

from zolvek.core.errors import ZolvekError
from zolvek.studio.actions.action_table import shortcut_rows
from zolvek.studio.actions.panel_entries import ENTRIES_BY_ID
from zolvek.studio.app import closing, preferences
from zolvek.studio.app.areas import Areas
from zolvek.studio.app.context_menus import ContextMenu, Pick
from zolvek.studio.app.menus import Actions
from zolvek.studio.app.question_dialogs import error_box
from zolvek.studio.commands import tempo_fit
from zolvek.studio.services.context import Studio
from zolvek.studio.session import settings as stored
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.key_routing import Keys, go_on
from zolvek.studio.views.panels.rail import STEPS
from zolvek.studio.views.start.start_screen import BeginningSheet

if TYPE_CHECKING:
    from zolvek.studio.views.windows.guide_window import Guide
    from zolvek.studio.views.windows.midi_monitor import Monitor

LEAST_INDEX = 130


class Window(QMainWindow):
    """Shows what a studio holds; it is the studio's `show` (see asking.Show)."""

    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.studio, self.session = studio, studio.session
        studio.show = self
        self.monitor_window: Monitor | None = None
        self.guide_window: Guide | None = None
        self.theme = self.session.settings.window.theme  # that is shown
        self.showing_error = False  # an error is being shown
        self.leaving = False  # without asking, as the system wants it
        self.made: Actions = Actions(studio, self)
        kept = self.session.settings.window
        self._lay_out()
        bar = self.menuBar()
        assert bar is not None
        self.made.fill(bar)
        self.made.give_keys(self, self.focus_lane)
        self._give_menus()
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        self.keys = Keys(app, self)
        self.resize(max(kept.width, 1024), max(kept.height, 700))
        if kept.maximised:
            self.setWindowState(Qt.WindowState.WindowMaximized)
        self.setAcceptDrops(True)
        studio.files.stems_imported = lambda track: QTimer.singleShot(0, lambda: tempo_fit.offer_tempo(studio, track))
        session = self.session
        session.document.changed.connect(self._refresh_title)
        session.notices.changed.connect(self.hint.setText)
        session.notices.edited.connect(self.did.setText)
        session.look.changed.connect(self._apply_theme)
        session.notices.notifier.subscribe(self.show_error)
        self.made.refresh()
        fold = lambda: self.bench.setHidden(session.settings.window.dials_hidden)  # noqa: E731
        session.look.changed.connect(fold)
        fold()
        self._refresh_title()
        self.focus_lane.setFocus()

    def _lay_out(self) -> None:
        areas = self.areas = Areas(self.studio, self)
        self.index, self.overview, self.head = areas.index, areas.overview, areas.head
        self.time_rows, self.ruler, self.strip = areas.time_rows, areas.ruler, areas.strip
        self.focus_lane, self.low_lanes, self.takes_view = (
            areas.focus_lane,
            areas.low_lanes,
            areas.takes_view,
        )
        self.rail, self.bench, self.transport = areas.rail, areas.bench, areas.transport
        self.hint, self.did = areas.hint, areas.did
        self.guided, self.lesson = areas.guided, areas.lesson
        self.setCentralWidget(areas)
        self.sheet = BeginningSheet(self.studio, areas)
        self.sheet.left.connect(self._begun)

    def _begun(self) -> None:
        """The sheet has been left: the lane has the keyboard; who is new is led through a curve."""
        self.focus_lane.setFocus()
        if not self.session.settings.window.first_curve_done:
            self.guided.begin()

    def _give_menus(self) -> None:
        for widget, pick in (
            (self.focus_lane, self.focus_lane.menu_kind),
            (self.ruler, self.ruler.menu_kind),
            (self.time_rows, self.time_rows.menu_kind),
            (self.strip, self.strip.menu_kind),
            (self.low_lanes, self.low_lanes.menu_kind),
            (self.takes_view, self.takes_view.menu_kind),
            (self.overview, lambda _: "overview"),
            (self.index.tree.viewport(), self.index.menu_kind),
        ):
            if widget is not None:
                ContextMenu(widget, self.made, pick)

    # --- what commands ask it to show: asking.Show ---

    def beginning(self) -> None:
        """See `Show`."""
        self.sheet.come()

    def first_curve(self) -> None:
        """See `Show`."""
        self.guided.begin()

    def action(self, key: str) -> QAction:
        """See `Show`."""
        return self.made.made[key]

    def panel(self, key: str) -> None:
        """See `Show`."""
        self.rail.show_step(key)

    def page(self, key: str, page: str) -> None:
        """See `Show`."""
        self.rail.show_page(key, page)

    def field(self, name: str) -> None:
        """See `Show`."""
        for entry in self.rail.findChildren(QLineEdit):
            if entry.accessibleName() == name:
                self.rail.reveal(entry)
                entry.setFocus(Qt.FocusReason.ShortcutFocusReason)
                entry.selectAll()

    def search(self) -> None:
        """See `Show`."""
        self.index.begin_search()

    def rename(self, track: str | None, device: str | None) -> None:
        """See `Show`."""
        self.index.rename(self.index.row_of(track, device))

    def escape(self) -> None:
        """See `Show`."""
        self.focus_lane.escape()

    def context_menu(self, widget: QWidget, pick: Pick) -> None:
        """See `Show`."""
        ContextMenu(widget, self.made, pick)

    def spot(self) -> tuple[float, float] | None:
        """See `Show`."""
        return self.focus_lane.spot

    def next_area(self, direction: int) -> None:
        """The keyboard to the next part of the window: index, lane, panel, dials."""
        lane, rail, bench = self.focus_lane, self.rail, self.bench
        places = (self.index.tree, lane, rail.first_field(), bench.first_dial())
        go_on(list(zip((self.index, lane, rail, bench), places, strict=True)), direction)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """A key that nobody took: what it stands for is done on the lane, or the reason is said why it can't be."""
        assert event is not None
        if self.keys.typing or not self.made.press(QKeySequence(event.keyCombination())):
            super().keyPressEvent(event)

    def backdrop(self, kind: str) -> None:
        """See `Show`."""
        self.focus_lane.backdrops.set_kind(kind)

    def preferences(self) -> None:
        """See `Show`."""
        preferences.edit(self.studio)

    def about(self) -> None:
        """See `Show`."""
        from zolvek.studio.views.windows.about_dialog import AboutDialog

        self.studio.ask.filled(AboutDialog)

    def full_screen(self) -> None:
        """See `Show`."""
        self.setWindowState(self.windowState() ^ Qt.WindowState.WindowFullScreen)

    def is_full_screen(self) -> bool:
        """See `Show`."""
        return self.isFullScreen()

    def leave(self) -> None:
        """See `Show`."""
        self.close()

    def monitor(self) -> None:
        """See `Show`."""
        from zolvek.studio.views.windows.midi_monitor import Monitor

        self.monitor_window = self.monitor_window or Monitor(self.session, self.studio.midi_io, self)
        self.monitor_window.show()
        self.monitor_window.activateWindow()

    def guide(self) -> None:
        """See `Show`."""
        from zolvek.studio.views.windows.guide_window import Guide

        self.guide_window = self.guide_window or Guide(self)
        self.guide_window.show()
        self.guide_window.activateWindow()

    def shortcuts(self) -> None:
        """See `Show`."""
        from zolvek.studio.toolkit.dialogs import ShortcutsDialog

        ShortcutsDialog(shortcut_rows(), self).exec()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        QTimer.singleShot(0, self.lesson.follow)

    def finder(self) -> None:
        """See `Show`."""
        from zolvek.studio.views.windows.command_finder import Finder

        finder = Finder(self.studio, self)
        if finder.exec() and finder.chosen:
            if finder.chosen in ENTRIES_BY_ID:
                self.rail.show_entry(ENTRIES_BY_ID[finder.chosen])
            else:
                self.action(finder.chosen).trigger()

    def show_error(self, error: ZolvekError) -> None:
        """Say what is wrong, where and how to put it right; one box at a time."""
        if self.showing_error:
            return
        self.showing_error = True
        error_box(error, self).exec()
        self.showing_error = False

    def _refresh_title(self) -> None:
        document = self.session.document
        self.setWindowTitle(f"{document.title}{' •' if document.modified else ''} — Zolvek")

    def _apply_theme(self) -> None:
        if self.theme != self.session.settings.window.theme:
            self.theme = self.session.settings.window.theme
            themes.put_on(themes.THEMES[self.theme])
            self.made.load_icons()

    # --- what is dropped here ---

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        from zolvek.studio.app import drop_import

        if event is not None and drop_import.files_in(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Files of any kind that is read: a project opens, the others come in."""
        from zolvek.studio.app import drop_import

        result = drop_import.files_in(event.mimeData()) if event is not None else []
        if result and event is not None:
            event.acceptProposedAction()
            notices = self.session.notices
            begin = self.sheet.isVisible()
            # After the event: what takes them may ask, and the other program waits for us.
            QTimer.singleShot(0, lambda: notices.run_guarded(lambda: drop_import.take_all(self.studio, result, begin)))

    # --- coming and going ---

    def changeEvent(self, event: QEvent | None) -> None:
        """Coming back to the window: has another program changed the file meanwhile?"""
        super().changeEvent(event)
        if event is not None and event.type() == QEvent.Type.WindowStateChange:
            self.made.refresh()
        if event is not None and event.type() == QEvent.Type.ActivationChange and self.isActiveWindow():
            self.studio.files.check_disk()

    def complete(self) -> None:
        """What the first picture does without: symbols, and the panel of the first step."""
        self.made.load_icons()
        kept = self.session.settings.window.panel
        self.rail.show_step(kept if kept in STEPS else "step-draw")

    def warm_up(self) -> None:
        """After the first picture; the playback's worker too, so that Play starts at once."""
        self.complete()
        QTimer.singleShot(200, lambda: self.studio.player.ready().warm_up())
        QTimer.singleShot(400, self.studio.sounds.begin)
        QTimer.singleShot(900, self.focus_lane.backdrops.begin)
        if self.session.settings.connect.use_jack:
            QTimer.singleShot(300, lambda: self.studio.sync_link.switch(True))
        self.studio.autosave.begin()
        if not self.session.settings.window.first_curve_done and self.sheet.isHidden():
            self.guided.begin()
        QTimer.singleShot(300, self._look_after)

    def _look_after(self) -> None:
        """What the last session left behind, and what the project lacks."""
        self.studio.files.offer_left()
        self.studio.files.report_missing()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        assert event is not None
        studio = self.studio
        if not self.leaving and not (closing.may_stop_work(studio, self.close) and studio.files.may_leave()):
            event.ignore()
            return
        if not self.leaving:
            studio.autosave.settled()
        if self.monitor_window is not None:
            self.monitor_window.close()
        self.rail.close_work()
        self.focus_lane.backdrops.close()
        studio.close()
        closing.remember(self, self.rail.shown_step, self.session.settings.window)
        stored.save(self.session.settings)
        event.accept()

    def leave_at_once(self) -> None:
        """Close without a question. Unsaved work stays in its copy, which the next start offers."""
        studio = self.studio
        if studio.recorder.recording:
            studio.player.stop()
        studio.recorder.settle()
        studio.autosave.save_now()
        self.leaving = True
        self.close()
