# SPDX-License-Identifier: GPL-3.0-or-later
"""Rows over the ruler, folded until wanted: sections, meter and tempo, edited where they are seen."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QGroupBox, QSizePolicy

from zolvek.core.time.meter import MeterMap
from zolvek.studio.commands import sections, song, time_maps
from zolvek.studio.services.context import Studio
from zolvek.studio.services.playback.player import Player
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.curve_painting import diamond, shown_bars
from zolvek.studio.toolkit.inline_field import InPlace
from zolvek.studio.toolkit.viewport import Viewport
from zolvek.studio.views.shared.description import Description
from zolvek.studio.views.shared.spoken_texts import described_time
from zolvek.studio.views.timeline import time_row_drags
from zolvek.studio.views.timeline.drag import Dragging, keys_of
from zolvek.studio.views.timeline.plot import SCALE
from zolvek.studio.views.timeline.tempo_scale import TempoScale, way_of

Places = Callable[[float], float]  # the pixel of a beat
SECTIONS, METER, TEMPO = (0, 21), (21, 18), (39, 62)  # top and height of each row
HEIGHT = 102
NEAR_PX = 6.0  # pixels
HINTS = {
    "section": "Click to select the section · drag to move it with its contents · double-click to rename",
    "sections": "Double-click to add a section here",
    "border": "Drag to move the start of the section",
    "end": "Drag to move the song end · double-click to type it",
    "meter": "Drag the meter change to another bar · double-click to type it",
    "meters": "Double-click to set a meter from this bar on",
    "tempo": "Drag the tempo point · Shift: one axis · Ctrl: off the grid · double-click to type",
    "tempos": "Double-click to add a tempo point here",
    "": "",
}


class TimeRows(QGroupBox):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.studio = studio
        self.session: Session = studio.session
        self.view: Viewport = studio.view
        self.player: Player = studio.player
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        self.setAccessibleName("Sections, meter and tempo")
        self.field = InPlace(self)
        self.dragging = Dragging(self.session, self.view, self)
        session = self.session
        Description(self, lambda: described_time(session), session.document.changed, session.playhead.changed)
        for signal in (session.document.changed, session.look.changed, session.arranging.changed,
                       self.view.changed, session.span.changed):  # fmt: skip
            signal.connect(self._follow)
        self._follow()

    def sizeHint(self) -> QSize:
        return QSize(200, HEIGHT)

    def _follow(self) -> None:
        shown = self.session.settings.window.time_rows
        if self.isHidden() == shown:
            self.setVisible(shown)
        if shown:
            self.setFixedHeight(HEIGHT)
            self.update()

    # --- places ---

    def at_beat(self, beat: float) -> float:
        """The beat under the pointer."""
        return SCALE + self.view.x(beat)

    def scale(self) -> TempoScale:
        """Of the tempo row; while a point is dragged it stays as it was."""
        if isinstance(self.dragging.drag, time_row_drags.TempoDrag):
            return self.dragging.drag.scale
        return TempoScale.of(self.session.project.tempo, TEMPO[0] + 9.0, TEMPO[0] + TEMPO[1] - 9.0)

    def found(self, at: QPointF) -> tuple[str, int]:
        """What lies at a place."""
        project, x, y = self.session.project, at.x(), at.y()
        if x < SCALE:
            return "", 0
        if y < SECTIONS[1]:
            if abs(self.at_beat(project.length) - x) <= NEAR_PX:
                return "end", 0
            spans = project.section_spans()
            for number, (_, first, _) in enumerate(spans):
                if first > 0.0 and abs(self.at_beat(first) - x) <= NEAR_PX:
                    return "border", number
            beat = self.view.beat(x - SCALE)
            inside = [i for i, (_, a, b) in enumerate(spans) if a <= beat < b]
            return ("section", inside[0]) if inside else ("sections", 0)
        if y < TEMPO[0]:
            for number, beat in enumerate(project.meter.starts):
                if -2.0 <= x - self.at_beat(beat) <= 34.0:
                    return "meter", number
            return "meters", 0
        scale = self.scale()
        for number, point in enumerate(project.tempo.points):
            if abs(self.at_beat(point.beat) - x) <= NEAR_PX and abs(scale.y(point.bpm) - y) <= NEAR_PX + 2:
                return "tempo", number
        return "tempos", 0

    def beat_at(self, event: QMouseEvent, bars: bool) -> float:
        """The beat under the pointer, on a bar line or on the grid; Ctrl frees it."""
        beat = max(self.view.beat(event.position().x() - SCALE), 0.0)
        return time_row_drags.snapped_to(self.session, beat, keys_of(event), bars)

    # --- the mouse ---

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() != Qt.MouseButton.LeftButton:
            return
        at = event.position()
        kind, number = self.found(at)
        session = self.session
        if kind == "section":
            session.arranging.pick_section(number)
            self.dragging.begin(at, lambda: time_row_drags.SectionDrag(session, number))
        elif kind == "border":
            session.arranging.pick_section(number)
            self.dragging.begin(at, lambda: time_row_drags.BorderDrag(session, number))
        elif kind == "end":
            self.dragging.begin(at, lambda: time_row_drags.EndDrag(self.studio))
        elif kind == "meter" and number > 0:
            self.dragging.begin(at, lambda: time_row_drags.MeterDrag(session, number))
        elif kind == "tempo":
            self.dragging.begin(at, lambda: time_row_drags.TempoDrag(session, number, self.scale()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.dragging.update(event):
            self.update()
        else:
            kind, _ = self.found(event.position())
            shapes = Qt.CursorShape
            across = kind in ("border", "end", "meter")
            self.setCursor(shapes.SplitHCursor if across else shapes.ArrowCursor)
            self.session.notices.hover(HINTS[kind])

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self.dragging.finish()
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        kind, number = self.found(event.position())
        session, project = self.session, self.session.project
        if kind in ("section", "border"):
            section, first, last = project.section_spans()[number]
            area = QRectF(
                self.at_beat(first) + 1, SECTIONS[0] + 1, self.at_beat(last) - self.at_beat(first) - 2, SECTIONS[1] - 2
            )
            self.field.ask(
                area,
                "Section",
                section.name,
                lambda text: sections.change_section(
                    session, number, f"Rename {section.name}", name=" ".join(text.split())
                ),
            )
        elif kind == "sections":
            self._begin_section(self.beat_at(event, True))
        elif kind == "end":
            session.notices.attempt(lambda: song.type_end(self.studio))
        elif kind in ("meter", "meters"):
            self._type_meter(kind, number, event)
        elif kind == "tempo":
            self._type_tempo(number)
        elif kind == "tempos":
            beat = self.beat_at(event, False)
            bpm = self.scale().rounded(self.scale().bpm(event.position().y()))
            session.notices.attempt(lambda: time_maps.tempo_typed(session, f"{bpm:g}", beat))

    def _begin_section(self, beat: float) -> None:
        """At a bar line, its name to be typed there."""
        session = self.session
        if session.notices.attempt(lambda: sections.begin_section_at(session, beat)):
            number = session.arranging.section or 0
            section, first, _ = session.project.section_spans()[number]
            area = QRectF(self.at_beat(first) + 1, SECTIONS[0] + 1, 120, SECTIONS[1] - 2)
            self.field.ask(
                area,
                "Section",
                section.name,
                lambda text: sections.change_section(
                    session, number, f"Name {section.name}", name=" ".join(text.split())
                ),
            )

    def _type_meter(self, kind: str, number: int, event: QMouseEvent) -> None:
        session, meter = self.session, self.session.project.meter
        point = meter.points[number]
        bar = point.bar
        if kind == "meters":
            bar = meter.bar_at(max(self.view.beat(event.position().x() - SCALE), 0.0))
            point = meter.meter_at(meter.bar_beat(bar))
        area = QRectF(self.at_beat(meter.bar_beat(bar)), METER[0], 60, METER[1])
        self.field.ask(
            area, "Meter", f"{point.count}/{point.unit}", lambda text: time_maps.meter_typed(session, text, bar)
        )

    def _type_tempo(self, number: int) -> None:
        session = self.session
        point = session.project.tempo.points[number]
        area = QRectF(self.at_beat(point.beat) + 4, self.scale().y(point.bpm) - 9, 150, 18)
        area.moveTop(min(max(area.top(), TEMPO[0]), HEIGHT - 19.0))
        self.field.ask(
            area, "Tempo", f"{round(point.bpm, 3):g}", lambda text: time_maps.tempo_typed(session, text, point.beat)
        )

    def menu_kind(self, at: QPoint | None) -> str:
        """The menu is of what is pressed: the playhead goes there."""
        if at is None:
            return "time"
        kind, number = self.found(QPointF(at))
        beat = max(self.view.beat(at.x() - SCALE), 0.0)
        project = self.session.project
        if kind in ("section", "border"):
            self.session.arranging.pick_section(number)
            return "section"
        if kind == "meter":
            beat = project.meter.starts[number]
        elif kind == "tempo":
            beat = project.tempo.points[number].beat
        self.player.seek(min(beat, project.length))
        return {"meter": "meter", "meters": "meter", "tempo": "tempo", "tempos": "tempo"}.get(kind, "time")

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        self.view.zoom(0.8 ** (event.angleDelta().y() / 120.0), self.view.beat(event.position().x() - SCALE))
        event.accept()

    def leaveEvent(self, event: object) -> None:
        self.session.notices.hover("")

    # --- the picture ---

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        theme = themes.THEMES[self.session.settings.window.theme]
        painter.fillRect(self.rect(), themes.color(theme.desk))
        painter.fillRect(QRectF(SCALE, 0, self.width() - SCALE, HEIGHT), themes.color(theme.sheet))
        painter.setFont(themes.font(9.5))
        for text, (top, height) in (
            ("Sections", SECTIONS),
            ("Meter", METER),
            ("Tempo", (TEMPO[0], 18)),
        ):
            painter.setPen(themes.color(theme.quiet))
            right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(QRectF(0, top, SCALE - 6, height), right, text)
        painter.setClipRect(QRectF(SCALE, 0, self.width() - SCALE, HEIGHT))
        painter.setPen(QPen(themes.color(theme.hairline), 1.0))
        for _, beat in shown_bars(self.session.project, self.view):
            x = round(self.at_beat(beat)) + 0.5
            painter.drawLine(QPointF(x, METER[0]), QPointF(x, HEIGHT))
        for y in (METER[0], TEMPO[0], HEIGHT - 1):
            painter.drawLine(QPointF(SCALE, y - 0.5), QPointF(self.width(), y - 0.5))
        self._paint_sections(painter, theme)
        _draw_meter(painter, theme, self.session.project.meter, self.at_beat)
        self._paint_tempo(painter, theme)
        drag = self.dragging.drag
        dragged = drag.end if isinstance(drag, time_row_drags.EndDrag) else None  # it is asked about when released
        _draw_end(painter, theme, self.session.project.length if dragged is None else dragged, self.at_beat)

    def _paint_sections(self, painter: QPainter, theme: themes.Theme) -> None:
        picked = self.session.arranging.section
        painter.setFont(themes.font(9.5, themes.QFont.Weight.Medium))
        for number, (section, first, last) in enumerate(self.session.project.section_spans()):
            left, right = self.at_beat(first), self.at_beat(last)
            area = QRectF(left + 1, 1, right - left - 1, SECTIONS[1] - 3)
            ink = themes.section_ink(theme, section)
            painter.fillRect(area, themes.color(ink, 0.30 if number == picked else 0.14))
            painter.fillRect(QRectF(left, 1, 2, SECTIONS[1] - 3), themes.color(ink))
            painter.setPen(themes.color(theme.ink))
            versions = f"  ({section.versions[section.chosen].name})" if section.versions else ""
            shown = area.intersected(QRectF(SCALE, 0, self.width() - SCALE, SECTIONS[1]))
            shown.adjust(6, 0, -2, 0)
            name = painter.fontMetrics().elidedText(
                section.name + versions, Qt.TextElideMode.ElideRight, max(int(shown.width()), 0)
            )
            painter.drawText(shown, Qt.AlignmentFlag.AlignVCenter, name)
        drag = self.dragging.drag
        if isinstance(drag, time_row_drags.SectionDrag) and drag.target is not None:
            spans = self.session.project.section_spans()
            to = drag.target
            beat = spans[to][1] if to < len(spans) else self.session.project.length
            painter.fillRect(QRectF(self.at_beat(beat) - 1.5, 0, 3, SECTIONS[1]), themes.color(theme.selection))

    def _paint_tempo(self, painter: QPainter, theme: themes.Theme) -> None:
        scale, tempo = self.scale(), self.session.project.tempo
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(themes.color(theme.curve), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(way_of(tempo, scale, self.at_beat, self.view.last))
        painter.setFont(themes.font(9.5))
        for index, point in enumerate(tempo.points):
            x, y = self.at_beat(point.beat), scale.y(point.bpm)
            if not SCALE - 8 <= x <= self.width() + 8:
                continue
            painter.setPen(QPen(themes.color(theme.curve), 1.4))
            painter.setBrush(themes.color(theme.sheet))
            painter.drawPolygon(diamond(x, y, 4.0))
            later = tempo.points[index + 1 :]
            room = self.at_beat(later[0].beat) - x if later else 200.0
            if room > 40.0:
                painter.setPen(themes.color(theme.ink))
                above = y > TEMPO[0] + TEMPO[1] / 2.0
                top = y - 18 if above else y + 3
                text = f"{round(point.bpm, 2):g}"
                painter.drawText(QRectF(x + 6, top, 64, 15), Qt.AlignmentFlag.AlignVCenter, text)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def _draw_meter(painter: QPainter, theme: themes.Theme, meter: MeterMap, at: Places) -> None:
    painter.setFont(themes.font(9.5))
    for point, beat in zip(meter.points, meter.starts, strict=True):
        x = round(at(beat)) + 0.5
        painter.setPen(QPen(themes.color(theme.bar_line), 1.4))
        painter.drawLine(QPointF(x, METER[0]), QPointF(x, METER[0] + METER[1]))
        painter.setPen(themes.color(theme.ink))
        area = QRectF(x + 4, METER[0], 40, METER[1] - 1)
        painter.drawText(area, Qt.AlignmentFlag.AlignVCenter, f"{point.count}/{point.unit}")


def _draw_end(painter: QPainter, theme: themes.Theme, beat: float, at: Places) -> None:
    x = round(at(beat)) - 0.5
    painter.setPen(QPen(themes.color(theme.ink), 2.0))
    painter.drawLine(QPointF(x, 1), QPointF(x, HEIGHT - 2))
    painter.fillRect(QRectF(x - 8, 1, 8, 8), themes.color(theme.ink))
