"""The main window: puts the areas together and makes menus from the action table."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, Qt, QTimer
from PyQt6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence
from PyQt6.QtWidgets import (
    QApplication,
    QDialog,
    QFrame,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QLineEdit,
    QMainWindow,
    QMenu,
    QMessageBox,
    QScrollArea,
    QSplitter,
    QToolButton,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from zolvek.core.document import chain, lanes
from zolvek.core.errors import ZolvekError
from zolvek.core.model import project as projects
from zolvek.core.model.project import Project
from zolvek.studio import commands
from zolvek.studio import settings as stored
from zolvek.studio import theme as themes
from zolvek.studio.actions import ACTIONS, BREAKS, MENUS, shortcut_rows
from zolvek.studio.bench.bench import Bench
from zolvek.studio.bench.player import Player
from zolvek.studio.bench.recorder import Recorder
from zolvek.studio.bench.transport import Transport
from zolvek.studio.deliveries import Deliveries
from zolvek.studio.files import Files
from zolvek.studio.index.index_panel import IndexPanel
from zolvek.studio.keeper import Keeper
from zolvek.studio.lanes.focus_lane import FocusLane
from zolvek.studio.lanes.low_lanes import LowLanes
from zolvek.studio.lanes.ruler import Ruler
from zolvek.studio.lanes.takes_view import TakesView
from zolvek.studio.outside import Outside
from zolvek.studio.overview.overview import Overview
from zolvek.studio.rail.rail import Rail
from zolvek.studio.session import Session
from zolvek.studio.settings import Settings
from zolvek.studio.viewport import Viewport
from zolvek.studio.widgets import Elided

if TYPE_CHECKING:
    from zolvek.core.model.take import Take
    from zolvek.studio.guide import Guide
    from zolvek.studio.monitor import Monitor

INDEX_WIDTH = 196
DRAGGED_MS = 150  # between refreshes of the actions while something is dragged


class Window(QMainWindow):
    def __init__(self, project: Project, settings: Settings, path: Path | None = None) -> None:
        super().__init__()
        self.session: Session = Session(project, settings, path)
        self.view: Viewport = Viewport(project.length)
        self.player: Player = Player(self.session)
        self.files: Files = Files(self)
        self.deliveries: Deliveries = Deliveries(self)
        self.outside: Outside = Outside(self.session, self.player)
        self.recorder: Recorder = Recorder(self.session, self.player)
        self.keeper: Keeper = Keeper(self.session)
        self.monitor: Monitor | None = None
        self.guide: Guide | None = None
        self.telling = False  # an error is being shown
        self.leaving = False  # without asking, as the system wants it
        self.made: dict[str, QAction] = {}
        self.refreshing = QTimer(self)
        self.refreshing.setSingleShot(True)
        self.refreshing.timeout.connect(self._refresh_actions)
        self._make_actions()
        self._lay_out()
        self._make_menus()
        for row in ACTIONS:
            if row.on_lane:
                self.made[row.id].setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
            (self.focus_lane if row.on_lane else self).addAction(self.made[row.id])
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        session = self.session
        for signal in (
            session.project_changed, session.focus_changed, session.selection_changed, session.span_changed,
            session.grid_changed, session.touched, self.player.changed, session.listening_changed,
            session.learning_changed, session.gesture_ended, session.armed_changed,
        ):  # fmt: skip
            signal.connect(self._refresh_later)
        session.project_changed.connect(self._refresh_title)
        session.project_changed.connect(lambda: self.view.set_length(session.project.length))
        session.focus_changed.connect(self._refresh_head)
        session.project_changed.connect(self._refresh_head)
        session.armed_changed.connect(self._refresh_head)
        session.hint_changed.connect(self.hint.setText)
        session.theme_changed.connect(self._apply_theme)
        session.notifier.subscribe(self.show_error)
        self._refresh_actions()
        self._refresh_title()
        self._refresh_head()
        self.focus_lane.setFocus()

    # --- making ---

    def action(self, key: str) -> QAction:
        return self.made[key]

    def _make_actions(self) -> None:
        for row in ACTIONS:
            action = QAction(row.text, self)
            if row.keys:
                action.setShortcut(QKeySequence(row.keys))
            keys = f" ({row.keys})" if row.keys else ""
            action.setToolTip(f"{row.tip}{keys}")
            action.setStatusTip(row.tip)
            action.setCheckable(row.checked is not None)
            action.triggered.connect(lambda _, run=row.run: self.session.try_to(lambda: run(self)))
            self.made[row.id] = action

    def _make_menus(self) -> None:
        bar = self.menuBar()
        assert bar is not None
        for name in MENUS:
            menu = bar.addMenu(name)
            assert menu is not None
            for row in ACTIONS:
                if row.menu == name:
                    if row.id in BREAKS:
                        menu.addSeparator()
                    menu.addAction(self.made[row.id])
                if row.id == "open" and name == "File":
                    self.recent = QMenu("Open recent", self)
                    self.recent.aboutToShow.connect(self._fill_recent)
                    menu.addMenu(self.recent)

    def _fill_recent(self) -> None:
        self.recent.clear()
        for name in self.session.settings.recent:
            path = Path(name)
            entry = self.recent.addAction(path.name)
            assert entry is not None
            entry.setToolTip(name)
            entry.triggered.connect(lambda _, p=path: self.files.open_path(p))
        self.recent.setEnabled(bool(self.session.settings.recent))

    def _lay_out(self) -> None:
        session, view = self.session, self.view
        self.index: IndexPanel = IndexPanel(session, self.player.levels)
        self.index.setFixedWidth(INDEX_WIDTH)
        self.overview = Overview(session, view)
        self.ruler = Ruler(session, view)
        self.focus_lane: FocusLane = FocusLane(session, view)
        self.focus_lane.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.focus_lane.customContextMenuRequested.connect(self._lane_menu)
        self.low_lanes = LowLanes(session, view)
        self.takes_view = TakesView(session, view)
        self.rail: Rail = Rail(session, self.action)
        self.bench = Bench(session, self.action)
        self.transport = Transport(session, self.player, self.action)
        self.hint = Elided("What a press would do")

        low = QScrollArea()
        low.setWidget(self.low_lanes)
        low.setWidgetResizable(True)
        low.setFrameShape(QFrame.Shape.NoFrame)
        low.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        low.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        stack = QSplitter(Qt.Orientation.Vertical)
        tall = QWidget()
        tall.setLayout(_column(self.focus_lane, self.takes_view, stretch=self.focus_lane))
        stack.addWidget(tall)
        stack.addWidget(low)
        stack.setStretchFactor(0, 3)
        stack.setStretchFactor(1, 1)
        stack.setSizes([330, 140])
        stack.setChildrenCollapsible(False)
        middle = _column(self.overview, self._head(), self.ruler, stack, stretch=stack)
        upper = QHBoxLayout()
        upper.setContentsMargins(0, 0, 0, 0)
        upper.setSpacing(6)
        upper.addWidget(self.index)
        upper.addLayout(middle, 1)
        upper.addWidget(self.rail)
        foot = QHBoxLayout()
        foot.setContentsMargins(12, 0, 12, 4)
        foot.addWidget(self.hint, 2)
        foot.addWidget(self.transport.note, 1)
        whole = QWidget()
        layout = QVBoxLayout(whole)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(upper, 1)
        layout.addWidget(_rule())
        bar = QHBoxLayout()
        bar.addWidget(self.transport, 1)
        bar.addWidget(self.bench.head, 1)
        layout.addLayout(bar)
        layout.addWidget(self.bench)
        layout.addLayout(foot)
        self.setCentralWidget(whole)

    def _head(self) -> QWidget:
        """Over the ruler: what the focus lane drives."""
        self.focus_name = QLabel()
        self.focus_name.setProperty("role", "heading")
        self.focus_note = Elided("Reach, points and state of the lane")
        head = QWidget()
        row = QHBoxLayout(head)
        row.setContentsMargins(4, 2, 4, 2)
        row.addWidget(self.focus_name)
        row.addWidget(self.focus_note, 1)
        for key in ("arm", "bypass"):
            switch = QToolButton()
            switch.setDefaultAction(self.action(key))
            switch.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            row.addWidget(switch)
        return head

    # --- showing ---

    def _refresh_later(self) -> None:
        """Actions follow what has changed: at once, but only now and then during a drag."""
        if self.session.history.gesture is None:
            self._refresh_actions()
        elif not self.refreshing.isActive():
            self.refreshing.start(DRAGGED_MS)

    def _refresh_actions(self) -> None:
        for row in ACTIONS:
            action = self.made[row.id]
            action.setEnabled(row.enabled(self))
            if row.checked is not None:
                action.setChecked(row.checked(self))
            if row.label is not None:
                action.setText(row.label(self))

    def _refresh_title(self) -> None:
        star = " •" if self.session.modified else ""
        self.setWindowTitle(f"{self.session.title}{star} — Zolvek")

    def _refresh_head(self) -> None:
        session, lane = self.session, self.session.lane
        if lane is None:
            self.focus_name.setText("No lane")
            self.focus_note.setText("")
            return
        self.focus_name.setText(session.project.label_of(lane.id))
        low, high = (session.parameter.text(end) for end in lane.reach)
        count = len(lane.curve)
        points = "1 point" if count == 1 else f"{count} points"
        layer = session.drawn_layer
        drawing = f"drawing on the layer {layer.label}" if layer else ""
        if session.drawn_pad is not None:
            drawing = f"drawing on the pad's path, {session.parameter.name.lower()}"
        layers = len(session.own_lane.layers) if session.own_lane else 0
        number = f"{layers} layer" + ("s" if layers > 1 else "") if layers else ""
        armed = "armed" if lane.id in session.armed else ""
        marks = ((armed, armed), ("bypassed", lane.bypassed), ("locked", lane.locked), ("cycling", lane.cycle),
                 (number, number), (drawing, drawing))  # fmt: skip
        state = "".join(f", {word}" for word, on in marks if on)
        self.focus_note.setText(f"{low} to {high}, {points}{state}")

    def load_icons(self) -> None:
        from zolvek.studio.icons import icon

        theme = themes.THEMES[self.session.settings.theme]
        for row in ACTIONS:
            if row.icon:
                self.made[row.id].setIcon(icon(row.icon, theme, row.id.startswith("step-")))

    def _apply_theme(self) -> None:
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        theme = themes.THEMES[self.session.settings.theme]
        app.setPalette(themes.palette(theme))
        app.setStyleSheet(themes.style_sheet(theme))
        self.load_icons()

    def show_project(self, project: Project, path: Path | None) -> None:
        self.player.stop()
        self.session.open(project, path)
        self.view.set_length(project.length)
        self.view.show(0.0, project.length)

    def show_error(self, error: ZolvekError) -> None:
        """Say what is wrong, where and how to put it right; one box at a time."""
        if self.telling:
            return
        self.telling = True
        box = QMessageBox(QMessageBox.Icon.NoIcon, "Zolvek", error.what, parent=self)
        details = "\n".join(text for text in (error.where, error.remedy) if text)
        box.setInformativeText(details)
        box.exec()
        self.telling = False

    def ask_unsaved(self) -> QMessageBox.StandardButton:
        button = QMessageBox.StandardButton
        box = QMessageBox(self)
        box.setWindowTitle("Zolvek")
        box.setText(f"“{self.session.title}” has changes that are not saved.")
        box.setInformativeText("Save them before going on?")
        box.setStandardButtons(button.Save | button.Discard | button.Cancel)
        box.setDefaultButton(button.Save)
        return QMessageBox.StandardButton(box.exec())

    # --- what actions do ---

    def seek(self, beat: float) -> None:
        self.player.seek(beat)

    def type_value(self) -> None:
        self.rail.show_step("step-draw")
        for entry in self.rail.findChildren(QLineEdit):
            if entry.accessibleName() == "Value":
                entry.setFocus(Qt.FocusReason.ShortcutFocusReason)
                entry.selectAll()

    def zoom_to_span(self) -> None:
        if self.session.span:
            first, last = self.session.span
            self.view.show(first, last - first)

    def remove_lane(self) -> None:
        lane = self.session.lane
        if lane:
            name = self.session.parameter.name
            project = projects.remove_lane(self.session.project, lane.id)
            self.session.edit(f"Remove the lane for {name}", project)
            self.session.say(f"{name} is back at the control's own value.")

    def name_lane(self) -> None:
        lane = self.session.lane
        if lane:
            name, done = QInputDialog.getText(self, "Name the lane", "Name:", text=lane.name)
            if done:
                commands.change_lane(self.session, "Name the lane", name=name.strip())

    def retarget(self) -> None:
        session = self.session
        if session.focus and session.touch_target:
            project = lanes.retarget(session.project, session.focus, *session.touch_target)
            session.edit("Move the curve to another control", project)
            session.focus_changed.emit()

    def move_lane(self, by: int) -> None:
        if self.session.focus:
            project = lanes.moved(self.session.project, self.session.focus, by)
            self.session.edit("Move the lane", project)

    def _other_lane(self, title: str) -> str | None:
        """Ask for another lane than the focus."""
        project = self.session.project
        others = {
            project.label_of(x.id): x.id for x in project.lanes() if x.id != self.session.focus
        }
        if not others:
            raise ZolvekError("There is no other lane.", remedy="Add one first.")
        label, done = QInputDialog.getItem(self, title, "Lane:", list(others), 0, False)
        return others[label] if done else None

    def choose_behind(self) -> None:
        """Show another lane behind the focus; again takes it away."""
        session = self.session
        session.behind = None if session.behind else self._other_lane("Show behind")
        session.preview_changed.emit()
        self._refresh_actions()

    def link_lane(self) -> None:
        other = self._other_lane("Link a lane")
        if other:
            factor, done = QInputDialog.getDouble(
                self,
                "Link a lane",
                "Factor (negative: the opposite way; 0 ends the link):",
                1.0,
                -10,
                10,
                2,
            )
            if done:
                commands.link_to(self.session, other, factor)

    def copy_take(self, take: Take) -> None:
        """Ask for another lane to keep the take beside."""
        other = self._other_lane("Copy the take")
        if other:
            from zolvek.core.document.takes import with_take

            session = self.session
            made = with_take(session.project.lane(other), take.curve, take.first, take.last)
            session.edit("Copy the take", projects.with_lane(session.project, made))

    def hear_state(self, number: int) -> None:
        from zolvek.studio.rail.states_page import StatesPage

        self.rail.show_step("step-morph")
        page = self.rail.findChild(StatesPage)
        assert page is not None
        page.hear(number)

    def share_layer(self, layer: str) -> None:
        """Ask for another lane to put a layer's movement on, and its amount there."""
        other = self._other_lane("Share the layer")
        if other:
            amount, done = QInputDialog.getDouble(
                self, "Share the layer", "Amount there in % (negative: the opposite way):", 50.0, -200, 200, 1
            )  # fmt: skip
            focus = self.session.focus
            if done and focus:
                from zolvek.core.movement.layers import shared_with

                session = self.session
                project = shared_with(session.project, focus, layer, other, amount / 100.0)
                session.edit("Share the layer", project)

    def type_reach(self) -> None:
        """Ask for both ends of the reach in the parameter's unit, and what the curve keeps."""
        from zolvek.studio.dialogs import ReachDialog

        lane = self.session.lane
        if lane:
            dialog = ReachDialog(self.session.parameter, lane, self)
            while dialog.exec():
                if self.session.try_to(
                    lambda: commands.set_reach(self.session, *dialog.ends(), dialog.keeps_sound)
                ):
                    return

    def repeat_growing(self) -> None:
        """Ask for the bar to repeat to and the change of each repeat."""
        from zolvek.studio.dialogs import RepeatDialog

        dialog = RepeatDialog(self)
        if dialog.exec():
            project = self.session.project
            end = project.meter.parse(dialog.until.text(), project.tempo)
            commands.repeat_to(
                self.session, min(end, project.length), dialog.scale.value() / 100.0,
                dialog.tilt.value() / 100.0, dialog.all_lanes.isChecked(),
            )  # fmt: skip

    def bypass_lanes(self, everywhere: bool) -> None:
        """Bypass a track's lanes, or all; when they all are, apply them again."""
        session = self.session
        if session.focus is None:
            return
        track = session.project.track_of(session.focus)
        which = list(session.project.lanes()) if everywhere else list(track.lanes)
        bypassed = not all(lane.bypassed for lane in which)
        project = lanes.bypass_all(session.project, bypassed, None if everywhere else track.id)
        where = "all lanes" if everywhere else f"the lanes of {track.name}"
        session.edit(f"{'Bypass' if bypassed else 'Apply'} {where}", project)

    def toggle_follow(self) -> None:
        settings = self.session.settings
        settings.follow = not settings.follow
        self._refresh_actions()

    def learn(self, what: str) -> None:
        """Begin to learn favourites or a control, or end it."""
        session = self.session
        self.outside.last_control = ""
        if session.learning != what:
            session.touch_target = None
        session.set_learning("" if session.learning == what else what)
        if what == "controls" and session.learning:
            self.rail.show_step("step-perform")
            session.learning_changed.emit()

    def hear_alone(self) -> None:
        session = self.session
        session.listen(alone=None if session.listening.alone else session.focus)

    def keep_version(self) -> None:
        self.session.keep_version()
        self.session.say("Kept. X goes over to it and back.")

    def switch_compare(self) -> None:
        session = self.session
        other = "kept" if session.kept is not None else "bypass"
        session.compare("" if session.comparing else other)
        session.say(
            {"": "You hear the project.", "kept": "You hear the kept version.",
             "bypass": "You hear the project without automation."}[session.comparing]
        )  # fmt: skip

    def show_monitor(self) -> None:
        from zolvek.studio.monitor import Monitor

        if self.monitor is None:
            self.monitor = Monitor(self.session, self.outside, self)
        self.monitor.show()
        self.monitor.activateWindow()

    def add_track(self, takes_sends: bool) -> None:
        title = "Add a send track" if takes_sends else "Add a track"
        name, done = QInputDialog.getText(self, title, "Name:")
        if done:
            usual = "Sends" if takes_sends else "Track"
            commands.add_track(self.session, name.strip() or usual, takes_sends)

    def remove_track(self) -> None:
        session = self.session
        track = commands.shown_track(session)
        names = ", ".join(session.project.label_of(lane.id) for lane in track.lanes) or "No lanes"
        if self.confirm(
            f"Remove the track {track.name} and its {len(track.lanes)} lanes?",
            f"{names}. Undo brings it back.",
        ):
            session.edit(f"Remove {track.name}", chain.remove_track(session.project, track.id))

    def remove_device(self) -> None:
        """Remove the shown device; its lanes are named first."""
        session = self.session
        device = commands.chosen_device(session)
        gone = chain.lanes_of(session.project, device.id)
        names = ", ".join(session.project.parameter_of(lane.id).name for lane in gone)
        if gone and not self.confirm(
            f"Remove {device.name} and its {len(gone)} lanes?", f"{names}. Undo brings all back."
        ):
            return
        session.edit(f"Remove {device.name}", chain.remove_device(session.project, device.id))

    def clear_lane(self) -> None:
        session, lane = self.session, commands.focus(self.session)
        session.edit("Clear the lane", lanes.cleared(session.project, lane.id))
        session.say("The lane is flat at the control's present value.")

    def remove_lanes(self, device_only: bool) -> None:
        """Remove a track's lanes, or a device's, once the person has seen how many."""
        session, lane = self.session, self.session.lane
        if lane is None:
            return
        track = session.project.track_of(lane.id)
        gone = [x for x in track.lanes if not device_only or x.device == lane.device]
        owner = track.device(lane.device).name if device_only else track.name
        names = ", ".join(session.project.parameter_of(x.id).name for x in gone)
        if not self.confirm(
            f"Remove {len(gone)} lanes of {owner}?", f"{names}. Undo brings them back."
        ):
            return
        if device_only:
            project = lanes.without_device_lanes(session.project, lane.device)
        else:
            project = lanes.without_track_lanes(session.project, track)
        session.edit(f"Remove {len(gone)} lanes of {owner}", project)

    def confirm(self, question: str, details: str) -> bool:
        button = QMessageBox.StandardButton
        box = QMessageBox(
            QMessageBox.Icon.NoIcon, "Zolvek", question, button.Yes | button.Cancel, self
        )
        box.setInformativeText(details)
        return box.exec() == button.Yes

    def asked(self, dialog: QDialog) -> bool:
        """Show a dialog; whether it was accepted."""
        return bool(dialog.exec())

    def switch_theme(self) -> None:
        self.session.set_theme("vellum" if self.session.settings.theme == "lamp" else "lamp")
        self._refresh_actions()

    def find_action(self) -> None:
        from zolvek.studio.finder import Finder

        finder = Finder(self)
        if finder.exec() and finder.chosen:
            self.action(finder.chosen).trigger()

    def show_shortcuts(self) -> None:
        from zolvek.studio.dialogs import ShortcutsDialog

        ShortcutsDialog(shortcut_rows(), self).exec()

    def show_guide(self) -> None:
        from zolvek.studio.guide import Guide

        if self.guide is None:
            self.guide = Guide(self)
        self.guide.show()
        self.guide.activateWindow()

    # --- what is dropped here ---

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        from zolvek.studio import dropped

        if event is not None and dropped.file_in(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """A file of any kind that is read: projects open, the others come in."""
        from zolvek.studio import dropped

        path = dropped.file_in(event.mimeData()) if event is not None else None
        if path is not None and event is not None:
            event.acceptProposedAction()
            # After the event: what takes it may ask, and the other program waits for us.
            QTimer.singleShot(0, lambda: self.session.try_to(lambda: dropped.take(self, path)))

    def changeEvent(self, event: QEvent | None) -> None:
        """Coming back to the window: has another program changed the file meanwhile?"""
        super().changeEvent(event)
        if (
            event is not None
            and event.type() == QEvent.Type.ActivationChange
            and self.isActiveWindow()
        ):
            self.files.look_at_disk()

    def _lane_menu(self, at: object) -> None:
        menu = QMenu(self)
        for row in ACTIONS:
            if row.id.startswith("shape-") or row.id in (
                "delete",
                "select-all",
                "type-value",
                "bypass",
            ):
                menu.addAction(self.made[row.id])
        menu.exec(self.focus_lane.mapToGlobal(at))  # type: ignore[call-overload]

    def closeEvent(self, event: QCloseEvent | None) -> None:
        assert event is not None
        if not self.leaving and not self.files.may_leave():
            event.ignore()
            return
        self.deliveries.close()
        self.files.close()
        if not self.leaving:
            self.keeper.settled()
        if self.monitor is not None:
            self.monitor.close()
        self.rail.close_work()
        self.focus_lane.backdrops.close()
        self.outside.close()
        self.player.close()
        stored.save(self.session.settings)
        event.accept()

    def leave_at_once(self) -> None:
        """Close without a question. Unsaved work stays in its copy, which the next start offers."""
        if self.recorder.recording:
            self.player.stop()
        self.recorder.settle()
        self.keeper.keep_now()
        self.leaving = True
        self.close()

    def complete(self) -> None:
        """What the first picture does without: symbols, and the panel of the first step."""
        self.load_icons()
        self.rail.show_step("step-draw")

    def warm_up(self) -> None:
        """After the first picture; the playback's worker too, so that Play starts at once."""
        self.complete()
        QTimer.singleShot(200, lambda: self.player.ready().warm_up())
        QTimer.singleShot(900, self.focus_lane.backdrops.begin)
        self.keeper.begin()
        QTimer.singleShot(300, self.files.offer_left)


def _column(*widgets: QWidget, stretch: QWidget) -> QVBoxLayout:
    """Widgets one under another, one of which takes the room."""
    layout = QVBoxLayout()
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(0)
    for widget in widgets:
        layout.addWidget(widget, 1 if widget is stretch else 0)
    return layout


def _rule() -> QFrame:
    rule = QFrame()
    rule.setProperty("rule", True)
    rule.setFixedHeight(1)
    return rule
