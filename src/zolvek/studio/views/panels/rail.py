# SPDX-License-Identifier: GPL-3.0-or-later
"""The rail: a column of buttons, one for each step of the work, each with its panel."""

from __future__ import annotations

from importlib import import_module
from typing import TypeGuard

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtWidgets import (
    QAbstractButton,
    QButtonGroup,
    QComboBox,
    QFrame,
    QHBoxLayout,
    QScrollArea,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from zolvek.studio.actions.panel_entries import PanelEntry
from zolvek.studio.services.context import Studio
from zolvek.studio.toolkit.widgets import Pages, PageStack


def _has_text(widget: QWidget) -> TypeGuard[QAbstractButton]:
    return isinstance(widget, QAbstractButton)


PANEL_WIDTH, RAIL_WIDTH = 226, 74

# The steps in the order people work: action id, and the panel as "module:class". Panels are
# loaded and made when they are first opened.
STEPS = {
    "step-piece": "zolvek.studio.views.panels.song_panel:SongPanel",
    "step-devices": "zolvek.studio.views.panels.devices_panel:DevicesPanel",
    "step-draw": "zolvek.studio.views.panels.draw_pages:DrawPages",
    "step-shape": "zolvek.studio.views.panels.shape_panel:ShapePanel",
    "step-patterns": "zolvek.studio.views.panels.patterns_panel:PatternsPanel",
    "step-movement": "zolvek.studio.views.panels.movement.movement_panel:MovementPanel",
    "step-perform": "zolvek.studio.views.panels.record.record_panel:RecordPanel",
    "step-thin": "zolvek.studio.views.panels.thin_panel:ThinPanel",
    "step-morph": "zolvek.studio.views.panels.morph.morph_panel:MorphPanel",
    "step-listen": "zolvek.studio.views.panels.listen_pages:ListenPages",
    "step-export": "zolvek.studio.views.panels.export.export_panel:ExportPanel",
    "step-connect": "zolvek.studio.views.panels.connect.connect_panel:ConnectPanel",
}


class Rail(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.studio = studio
        self.panels = QStackedWidget()
        self.shown: dict[str, QScrollArea] = {}  # panels are made when they are first opened
        self.panels.setMinimumWidth(PANEL_WIDTH)
        self.buttons: dict[str, QToolButton] = {}
        group = QButtonGroup(self)
        strip = QVBoxLayout()
        strip.setContentsMargins(2, 4, 4, 4)
        strip.setSpacing(1)
        for key in STEPS:
            action = studio.action(key)
            step = QToolButton()
            step.setProperty("rail", True)
            step.setCheckable(True)
            step.setText(action.text())
            step.setIconSize(QSize(20, 20))
            step.setToolTip(action.toolTip())
            step.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            step.setFixedWidth(RAIL_WIDTH - 6)
            step.clicked.connect(action.trigger)
            step.setAccessibleName(f"{action.text()} panel")
            # Symbols come after the first picture, and say so by the action's change.
            action.changed.connect(lambda a=action, b=step: b.setIcon(a.icon()))
            group.addButton(step)
            strip.addWidget(step)
            self.buttons[key] = step
        strip.addStretch(1)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.panels)
        layout.addLayout(strip)

    def show_step(self, key: str) -> None:
        """Show a panel by its action."""
        if key not in self.shown:
            scroll = QScrollArea()
            module, _, name = STEPS[key].partition(":")
            panel = getattr(import_module(module), name)
            scroll.setWidget(panel(self.studio))
            scroll.setWidgetResizable(True)
            scroll.setFrameShape(QFrame.Shape.NoFrame)
            scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
            self.shown[key] = scroll
            self.panels.addWidget(scroll)
        if self.panels.currentWidget() is not self.shown[key]:
            self.studio.session.preview.show(None)  # it was the panel's that is left
        self.panels.setCurrentWidget(self.shown[key])
        self.buttons[key].setChecked(True)

    def show_page(self, key: str, page: str) -> None:
        """Show a page of a panel, with the keyboard in it; "" for the panel as it is."""
        self.show_step(key)
        panel = self.shown[key].widget()
        pages = panel if isinstance(panel, Pages) else panel.findChild(Pages) if panel is not None else None
        if pages is not None and page:
            pages.show_page(page)
            shown = pages.stack.currentWidget()
            if shown is not None:
                shown.setFocus(Qt.FocusReason.ShortcutFocusReason)

    def reveal(self, widget: QWidget) -> None:
        """Show the page that a field is on."""
        inside, above = widget, widget.parentWidget()
        while above is not None:
            pages = above.parentWidget()
            if isinstance(above, PageStack) and isinstance(pages, Pages):
                pages.show_page(list(pages.buttons)[above.pages.index(inside)])
            inside, above = above, pages

    @property
    def shown_step(self) -> str:
        """The action of the panel that is shown."""
        return next((key for key, scroll in self.shown.items() if scroll is self.panels.currentWidget()), "")

    def show_entry(self, entry: PanelEntry) -> None:
        """Show what an entry of the command finder stands for, with the keyboard on it."""
        self.show_page(entry.panel, entry.page)
        panel, target = self.shown[entry.panel].widget(), self.target_of(entry)
        assert panel is not None
        if target is None or not target.isVisibleTo(panel):  # such as ports, where there are none: the panel says so
            self.first_field().setFocus(Qt.FocusReason.ShortcutFocusReason)
            return
        if entry.option and isinstance(target, QComboBox):
            target.setCurrentIndex(target.findData(entry.option))
            target.activated.emit(target.currentIndex())
        self.shown[entry.panel].ensureWidgetVisible(target)
        target.setFocus(Qt.FocusReason.ShortcutFocusReason)

    def target_of(self, entry: PanelEntry) -> QWidget | None:
        """The button or field of an entry, in its panel, which has been shown."""
        panel = self.shown[entry.panel].widget()
        widgets = panel.findChildren(QWidget) if panel is not None else []
        fits = [w for w in widgets if entry.target in (w.accessibleName(), w.text() if _has_text(w) else "")]
        return next((w for w in fits if w.isVisibleTo(panel)), fits[0] if fits else None)

    def first_field(self) -> QWidget:
        """Where the keyboard begins in the panel that is shown."""
        panel = self.panels.currentWidget()
        widgets = panel.findChildren(QWidget) if panel is not None else []
        tabs = Qt.FocusPolicy.TabFocus.value
        usable = (w for w in widgets if w.isVisible() and w.isEnabled() and not isinstance(w, QScrollArea))
        focusable = next((w for w in usable if w.focusPolicy().value & tabs), None)
        if focusable is not None:
            return focusable
        return next(iter(self.buttons.values()))

    def close_work(self) -> None:
        """End what panels have going on in the background."""
        for scroll in self.shown.values():
            close = getattr(scroll.widget(), "close_work", None)
            if close is not None:
                close()
