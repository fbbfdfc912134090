# SPDX-License-Identifier: GPL-3.0-or-later
"""Which control moves the sound: those of a device or a track, measured over the selected span, greatest first."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QModelIndex, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import (
    QApplication,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QWidget,
)

from zolvek.core.edits.measured_lanes import lane_with_reach, swept
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project, Track
from zolvek.studio.services.context import Studio
from zolvek.studio.services.tasks.background_job import Background
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.outline import polygon
from zolvek.studio.toolkit.refreshing import RefreshWhileShown
from zolvek.studio.toolkit.widgets import choice, column, field_label, form, note
from zolvek.studio.views.shared.job_controls import JobControls

if TYPE_CHECKING:
    from zolvek.sound.analysis.control_effects import ControlEffect

JOB = "zolvek.sound.analysis.control_effects:job"
# What can be asked: the measure by which the list is sorted.
QUESTIONS = (
    ("Anything", ""),
    ("Brighter", "brightness"),
    ("Louder", "loudness"),
    ("Wider", "width"),
    ("Noisier", "noise"),
    ("Busier", "movement"),
    ("Faster", "rate"),
    ("More spacious", "space"),
    ("Higher", "pitch"),
)
SCOPES = (("This device", "device"), ("Whole track", "track"))
ROW_HEIGHT, PLOT_WIDTH, PLOT_HEIGHT = 40, 56, 18
EFFECT = Qt.ItemDataRole.UserRole


def effect_text(effect: ControlEffect, measure: str = "", most: int = 3) -> str:
    """What a control does, in a few words: the greatest measures, or the asked one first."""
    from zolvek.sound.analysis.descriptors import BY_KEY, KEYS, MEASURES

    if effect.fault:
        return effect.fault
    if effect.silent_while is not None:
        return f"Not heard while {' is '.join(effect.silent_while)}"
    sizes = effect.ranges / np.array([row.one for row in MEASURES])
    order = [key for key in np.array(KEYS)[np.argsort(-sizes, kind="stable")].tolist() if sizes[KEYS.index(key)] > 0.0]
    if measure in order:
        order = [measure, *(key for key in order if key != measure)]
    if not order:
        return "Not heard here"
    words = []
    for key in order[:most]:
        row, value = BY_KEY[key], float(effect.signed[KEYS.index(key)])
        digits = 2 if abs(value) < 1.0 else 1
        number = f"{value:+.{digits}f}".replace("-", "−")
        words.append(f"{row.name.lower()} {number}{' ' + row.unit if row.unit else ''}")
    text = ", ".join(words)
    return f"{text} (up and down)" if order[0] in effect.returns else text


class EffectRow(QStyledItemDelegate):
    """The control's name, what it does, and its effect against its travel, with the useful reach."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.session = session
        self.measure = ""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        """See Qt."""
        return QSize(100, ROW_HEIGHT)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """See Qt."""
        assert painter is not None
        theme = themes.THEMES[self.session.settings.window.theme]
        rect, effect = option.rect, index.data(EFFECT)
        painter.save()
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(rect, themes.color(theme.wash))
        inner = rect.adjusted(6, 3, -6, -3)
        shown = bool(effect.strength)
        beside_plot = inner.adjusted(0, 0, -(PLOT_WIDTH + 6 if shown else 0), 0)
        metrics = themes.font(11.0), themes.font(9.5)
        said = index.data(Qt.ItemDataRole.StatusTipRole)
        for font, ink, words, text, align in (
            (metrics[0], theme.ink if shown else theme.quiet, index.data(), beside_plot, Qt.AlignmentFlag.AlignTop),
            (metrics[1], theme.quiet, said, inner, Qt.AlignmentFlag.AlignBottom),
        ):
            painter.setFont(font)
            painter.setPen(themes.color(ink))
            line = painter.fontMetrics().elidedText(str(words), Qt.TextElideMode.ElideRight, text.width())
            painter.drawText(text, int(align | Qt.AlignmentFlag.AlignLeft), line)
        if shown:
            area = QRectF(inner.right() - PLOT_WIDTH, inner.top(), PLOT_WIDTH, PLOT_HEIGHT)
            self._plot(painter, area, effect)
        painter.restore()

    def _plot(self, painter: QPainter, area: QRectF, effect: ControlEffect) -> None:
        from zolvek.sound.analysis.descriptors import KEYS, MEASURES

        theme = themes.THEMES[self.session.settings.window.theme]
        painter.fillRect(area, themes.color(theme.sheet))
        low, high = (area.left() + end * area.width() for end in effect.reach)
        painter.fillRect(QRectF(low, area.top(), high - low, area.height()), themes.color(theme.wash, 0.8))
        sizes = effect.ranges / np.array([row.one for row in MEASURES])
        asked = KEYS.index(self.measure) if self.measure and sizes[KEYS.index(self.measure)] else int(sizes.argmax())
        values = effect.measures[asked]
        known = np.isfinite(values)
        x = area.left() + effect.positions[known] * area.width()
        spread = max(float(np.ptp(values[known])), 1e-9)
        y = area.bottom() - 2 - (values[known] - values[known].min()) / spread * (area.height() - 4)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(themes.color(theme.curve), 1.5))
        painter.drawPolyline(polygon(x, y))


class EffectsPage(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.studio, self.session = studio, studio.session
        self.effects: dict[tuple[str, str], ControlEffect] = {}
        self.heard = ("", "")  # the control whose sweep was played last
        self.taken = -1e9  # when a lane was made last
        self.asked: tuple[object, ...] = ()  # what the effects are of: track, tempo, devices and span
        self.kept: list[tuple[tuple[object, ...], dict[tuple[str, str], ControlEffect]]] = []
        self.background = Background(self)
        self.background.found.connect(self._found)
        self.background.done.connect(self._done)
        self.background.failed.connect(self._failed)
        layout = column(self)
        layout.addWidget(note("What each control does to what is heard in the selected span."))
        self.scope = choice(SCOPES, "Controls of", lambda _: self.refresh())
        self.question = choice(QUESTIONS, "What to make more of", self._ask)
        fields = form()
        fields.addRow(field_label("Controls of", self.scope), self.scope)
        fields.addRow(field_label("More", self.question), self.question)
        layout.addLayout(fields)
        tip = "Renders the span with each control at three to nine positions"
        self.job = JobControls(self.background, "Measure the controls", self.start, tip, self.refresh)
        layout.addWidget(self.job)
        self.list = QListWidget()
        self.list.setAccessibleName("Controls by effect")
        self.rows = EffectRow(self.session, self.list)
        self.list.setItemDelegate(self.rows)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.itemClicked.connect(self._hear)
        self.list.itemActivated.connect(self._take)
        self.list.setToolTip("Click to hear the sweep, double-click or Enter for its lane")
        layout.addWidget(self.list, 1)
        self.said = note()
        layout.addWidget(self.said)
        session = self.session
        studio.player.stopped.connect(self._end_trial)
        signals = session.document.changed, session.focus.changed, session.shown.changed, session.span.changed
        RefreshWhileShown(self, self.refresh, signals)
        self.refresh()

    # --- what is asked ---

    def _devices(self) -> tuple[Track, list[str]] | None:
        device = self.session.shown.device
        if device is None or not self.session.project.has_device(device):
            return None
        track = self.session.project.device_track(device)
        whole = self.scope.currentData() == "track"
        return track, [item.id for item in track.devices if whole or item.id == device]

    def _span(self) -> tuple[float, float]:
        session = self.session
        return session.span.beats or session.project.section_at(session.playhead.beat)

    def start(self) -> None:
        """Measure, or show what has been measured of the same before."""
        found, span = self._devices(), self._span()
        if found is None:
            return
        track, devices = found
        project = self.session.project
        self.asked = (track, project.tempo, tuple(devices), span)
        self.effects = next((effects for asked, effects in self.kept if _same(asked, self.asked)), {})
        if not self.effects:
            self.job.begun()
            self.background.start(JOB, project, devices, span)
        self.refresh()

    def _found(self, effect: ControlEffect) -> None:
        self.effects[effect.device, effect.parameter] = effect
        self._list()

    def _done(self, effects: list[ControlEffect]) -> None:
        self.effects = {(effect.device, effect.parameter): effect for effect in effects}
        self.kept = [(self.asked, self.effects), *self.kept][:16]
        self.refresh()

    def _failed(self, error: ZolvekError) -> None:
        self.session.notices.report(error)
        self.refresh()

    def _ask(self, measure: object) -> None:
        self.rows.measure = str(measure)
        self._list()

    # --- what is shown ---

    def refresh(self) -> None:
        """Show what there is."""
        found = self._devices()
        self.job.refresh(found is not None and bool(found[1]))
        self._list()

    def _list(self) -> None:
        from zolvek.sound.analysis.descriptors import KEYS

        project, measure = self.session.project, str(self.question.currentData() or "")
        effects = [e for e in self.effects.values() if project.has_device(e.device)]

        def size(effect: ControlEffect) -> float:
            return effect.strength if not measure else abs(float(effect.signed[KEYS.index(measure)]))

        effects.sort(key=lambda effect: (-size(effect), -effect.strength))
        chosen = self.list.currentItem()
        current = (chosen.data(EFFECT).device, chosen.data(EFFECT).parameter) if chosen is not None else None
        self.list.clear()
        several = {effect.device for effect in effects} != {self.session.shown.device}
        for effect in effects:
            device = project.device_track(effect.device).device(effect.device)
            name = device.parameter(effect.parameter).name
            item = QListWidgetItem(f"{device.name} {name}" if several else name)
            text = effect_text(effect, measure)
            item.setData(EFFECT, effect)
            item.setStatusTip(text)
            item.setToolTip(f"{item.text()}: {text}")
            item.setData(Qt.ItemDataRole.AccessibleTextRole, item.toolTip())
            self.list.addItem(item)
            if current == (effect.device, effect.parameter):
                self.list.setCurrentItem(item)
        heard = sum(1 for effect in effects if effect.strength)
        self.said.setText(f"{heard} of {len(effects)} controls are heard." if effects else self._hint())

    def _hint(self) -> str:
        first, last = (self.session.project.meter.text(beat) for beat in self._span())
        return f"Not measured yet. Span: {first} to {last}."

    # --- what is done with it ---

    def _hear(self, item: QListWidgetItem) -> None:
        """Play the sweep in the loop; a second click ends it."""
        effect: ControlEffect = item.data(EFFECT)
        session, span, key = self.session, self._span(), (effect.device, effect.parameter)
        if time.monotonic() - self.taken < QApplication.doubleClickInterval() / 1_000.0:
            return  # of a double-click, whose second half comes after what it did
        if session.audition.comparing == "trial" and self.heard == key:
            self._end_trial()
            return
        self.heard = key
        if not effect.strength:
            session.notices.say(effect_text(effect))
            return
        trial: Project = swept(session.project, effect.device, effect.parameter, effect.reach, span)
        if session.span.beats is None:
            session.span.choose(span)
        session.audition.hear_trial(trial)
        session.notices.say(f"Playing a sweep of {item.text()}. Nothing is changed. Stop ends it.")
        if not self.studio.player.playing:
            self.studio.player.play_selection()

    def _end_trial(self) -> None:
        if self.session.audition.comparing == "trial":
            self.session.audition.hear_trial(None)

    def _take(self, item: QListWidgetItem) -> None:
        """The control's lane, with the reach in which it is heard."""
        effect: ControlEffect = item.data(EFFECT)
        session = self.session
        self.taken = time.monotonic()
        session.audition.hear_trial(None)
        project, key = lane_with_reach(session.project, effect.device, effect.parameter, effect.reach)
        if project is not session.project:
            session.document.edit(f"Add a lane for {item.text()}", project)
        session.focus.on(key)

    def close_work(self) -> None:
        """End what is going on, when the window closes."""
        self.background.close()


def _same(asked: tuple[object, ...], other: tuple[object, ...]) -> bool:
    """Whether the same was asked of the same."""
    return all(a is b or (not isinstance(a, Track) and a == b) for a, b in zip(asked, other, strict=True))
