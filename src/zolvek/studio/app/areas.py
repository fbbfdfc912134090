# SPDX-License-Identifier: GPL-3.0-or-later
"""Makes and lays out the areas of the window."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QMainWindow,
    QScrollArea,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from zolvek.studio.services.context import Studio
from zolvek.studio.toolkit.widgets import ElidedLabel
from zolvek.studio.views.bench.bench import Bench
from zolvek.studio.views.bench.transport_bar import Transport
from zolvek.studio.views.index.index_panel import IndexPanel
from zolvek.studio.views.overview.overview import Overview
from zolvek.studio.views.panels.rail import Rail
from zolvek.studio.views.start.first_curve import FirstCurve, LessonBar
from zolvek.studio.views.timeline.focus_lane import FocusLane
from zolvek.studio.views.timeline.lane_header import Head
from zolvek.studio.views.timeline.other_lanes import OtherLanes
from zolvek.studio.views.timeline.ruler import Ruler
from zolvek.studio.views.timeline.take_rows import TakesArea, TakesView
from zolvek.studio.views.timeline.time_rows import TimeRows
from zolvek.studio.views.timeline.track_row import TrackRow

LEAST_INDEX = 130


class Areas(QWidget):
    """Everything between the menu and the foot; `over` is the window."""

    def __init__(self, studio: Studio, over: QMainWindow) -> None:
        super().__init__()
        self.studio, self.session = studio, studio.session
        self._make()
        self._lay_out(over)

    def _make(self) -> None:
        studio, session, view = self.studio, self.session, self.studio.view
        self.index: IndexPanel = IndexPanel(session, studio.player.levels, lambda key: studio.action(key).trigger())
        self.index.setMinimumWidth(LEAST_INDEX)
        self.overview = Overview(session, view)
        self.head = Head(studio)
        self.time_rows = TimeRows(studio)
        self.ruler = Ruler(session, view, studio.player, studio.hits)
        self.focus_lane: FocusLane = FocusLane(session, view)
        self.low_lanes = OtherLanes(session, view)
        self.strip = TrackRow(studio)
        self.takes_view = TakesView(session, view)
        self.rail: Rail = Rail(studio)
        self.bench = Bench(studio)
        self.transport = Transport(session, studio.player, studio.action)
        self.hint = ElidedLabel("Hint")
        self.did = ElidedLabel("Last action")

    def _lay_out(self, over: QMainWindow) -> None:
        across = QSplitter(Qt.Orientation.Horizontal)
        for part in (self.index, self._centre(), self.rail):
            across.addWidget(part)
        across.setStretchFactor(1, 1)
        across.setChildrenCollapsible(False)
        settings = self.session.settings
        across.setSizes([settings.window.index_width, 2_000, settings.window.panel_width])
        across.splitterMoved.connect(lambda *_: settings.keep_widths(*across.sizes()))
        foot = self._foot()
        bar = QHBoxLayout()
        bar.addWidget(self.transport, 3)
        bar.addWidget(self.bench.head, 1)
        places = {
            "bench": self.bench, "lane": self.focus_lane, "transport": self.transport, "index": self.index,
            "ruler": self.ruler, "export": self.rail.buttons["step-export"],
        }  # fmt: skip
        self.guided = FirstCurve(self.studio)
        self.lesson = LessonBar(self.guided, over, places)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(across, 1)
        layout.addWidget(_rule())
        layout.addLayout(bar)
        layout.addWidget(self.bench)
        layout.addWidget(self.lesson)
        layout.addLayout(foot)

    def _centre(self) -> QWidget:
        """Overview, head, time and lanes."""
        tall = QWidget()
        area = TakesArea(self.takes_view)
        tall.setLayout(_column(self.focus_lane, self.strip, area, stretch=self.focus_lane))
        stack = QSplitter(Qt.Orientation.Vertical)
        stack.addWidget(tall)
        stack.addWidget(_scrolled(self.low_lanes))
        stack.setStretchFactor(0, 3)
        stack.setStretchFactor(1, 1)
        settings = self.session.settings
        stack.setSizes([470 - settings.window.other_lanes_height, settings.window.other_lanes_height])
        stack.setChildrenCollapsible(False)
        centre = QWidget()
        centre.setLayout(_column(self.overview, self.head, self.time_rows, self.ruler, stack, stretch=stack))
        # Borders stay where they were dragged to.
        stack.splitterMoved.connect(lambda *_: settings.put("window.other_lanes_height", stack.sizes()[1]))
        return centre

    def _foot(self) -> QHBoxLayout:
        """What a press would do, what has been done, and what is to be known of the sound."""
        foot = QHBoxLayout()
        foot.setContentsMargins(12, 0, 12, 4)
        foot.setSpacing(16)
        foot.addWidget(self.hint, 5)
        foot.addWidget(self.did, 4)
        foot.addWidget(self.transport.note, 3)
        return foot


def _column(*widgets: QWidget, stretch: QWidget) -> QVBoxLayout:
    """Widgets one under another, one of which takes the room."""
    layout = QVBoxLayout()
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(0)
    for widget in widgets:
        layout.addWidget(widget, 1 if widget is stretch else 0)
    return layout


def _scrolled(widget: QWidget) -> QScrollArea:
    """The widget as tall as it likes; the wheel scrolls it."""
    area = QScrollArea()
    area.setWidget(widget)
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    return area


def _rule() -> QFrame:
    rule = QFrame()
    rule.setProperty("rule", True)
    rule.setFixedHeight(1)
    return rule
