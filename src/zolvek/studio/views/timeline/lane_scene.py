# SPDX-License-Identifier: GPL-3.0-or-later
"""What is painted over the background of the focus lane, from back to front."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from zolvek.core.arrays import floats
from zolvek.core.curve.construction import lines
from zolvek.core.curve.shapes import HOLD
from zolvek.core.edits.targets import Target
from zolvek.core.model.project import Lane
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.movement.evaluation.layering import LayeredCurve
from zolvek.studio.session.session import Session
from zolvek.studio.toolkit import curve_painting
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.outline import band, by_column, dense, largest_in, polygon, range_shown
from zolvek.studio.toolkit.theme import Theme
from zolvek.studio.views.timeline.hit_test import Hit, HitKind
from zolvek.studio.views.timeline.plot import SCALE, Plot
from zolvek.studio.views.timeline.selection_frame import HANDLES, Handle, frame_of

MOST_DIAMONDS = 90  # drawn of a selection that is too dense to take hold of
ALONE_PX = 1.8  # the width of what is drawn on, where it is all that is seen
RESULT_PX, DRAWN_ON_PX = 1.3, 2.6  # widths of what is heard, and of what is drawn on, where both are seen
NAME_PX = 15.0  # the height of a curve's name
ERROR_STRIP_PX = 16.0  # pixels that the largest error of a preview is tall


class Hand(NamedTuple):
    """What the pointer does: what it is over, the handle it is on, whether it drags, the box it
    draws, where it is, and what is written next to it."""

    over: Hit
    handle: Handle | None = None
    dragging: bool = False
    box: QRectF | None = None
    at: QPointF | None = None
    text: str = ""


class Scene(NamedTuple):
    """What is drawn, with what, and where. `ink`: of what is drawn on."""

    session: Session
    lane: Lane
    target: Target
    plot: Plot
    theme: Theme
    ink: str
    hand: Hand


def scene_of(session: Session, plot: Plot, hand: Hand) -> Scene | None:
    """What there is to draw; None when there is no lane."""
    lane, target = session.lane, session.target
    if lane is None or target is None:
        return None
    theme = themes.THEMES[session.settings.window.theme]
    ink = theme.layer if target.aside else themes.lane_ink(theme, lane)
    return Scene(session, lane, target, plot, theme, ink, hand)


def draw(painter: QPainter, scene: Scene) -> None:
    """Draw the scene, from back to front."""
    for layer in (
        _draw_span, _draw_behind, _draw_layers, _draw_choices, _draw_curve, _draw_names, _draw_errors, _draw_pass,
        _draw_frame, _draw_points, _draw_segment, _draw_hand, _draw_playhead,
    ):  # fmt: skip
        layer(painter, scene)


def _draw_span(painter: QPainter, scene: Scene) -> None:
    span, plot = scene.session.span.beats, scene.plot
    if span:
        left, right = (plot.x(beat) for beat in span)
        left, right = max(left, SCALE), min(right, plot.width)
        if right > left:
            area = QRectF(left, 0, right - left, plot.height)
            painter.fillRect(area, themes.color(scene.theme.wash, 0.45))


def _draw_behind(painter: QPainter, scene: Scene) -> None:
    """Another lane as a faint guide; while something else is drawn on, the base; and the middle of
    what goes both ways."""
    plot, theme, behind = scene.plot, scene.theme, scene.session.preview.behind
    if behind and behind != scene.lane.id:
        other = scene.session.project.lane(behind).curve
        curve_painting.draw_curve(painter, other, plot.view, plot.area, theme.ghost, 1.2)
    if scene.target.aside:
        middle = plot.line_y(0.5)
        painter.setPen(QPen(themes.color(theme.bar_line), 1.0, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(SCALE, middle), QPointF(plot.width, middle))
        base = scene.lane.curve
        curve_painting.draw_curve(painter, base, plot.view, plot.area, theme.ghost, 1.0, dashed=True)


def _draw_layers(painter: QPainter, scene: Scene) -> None:
    """What is heard, where that is not the curve itself: cycle, slots and layers; and where the
    reach's edge cuts."""
    heard, plot = played(scene.lane, scene.session.project), scene.plot
    if heard.plain:
        return
    ink = themes.lane_ink(scene.theme, scene.lane)
    curve_painting.draw_curve(painter, heard.drawn, plot.view, plot.area, ink, RESULT_PX)
    if isinstance(heard.drawn, LayeredCurve) and not heard.drawn.fit:
        _draw_cut(painter, scene, heard.drawn)


def _draw_choices(painter: QPainter, scene: Scene) -> None:
    """What a curve over choices does: which one holds, and where it flips, beneath the curve."""
    target, plot = scene.target, scene.plot
    if not target.parameter.steps:
        return
    parameter, ink = target.parameter, scene.theme.layer
    if dense(target.curve, plot.view):
        low, high = band(target.curve, plot.view)
        low, high = (
            target.from_position(parameter.position(parameter.value(target.to_position(edge)))) for edge in (low, high)
        )
        curve_painting.draw_band(painter, (low, high), plot.area, ink)
        return
    beats = np.union1d(
        plot.view.first + np.arange(int(plot.view.width) + 1) * (plot.view.beats / plot.view.width),
        target.curve.beat[(target.curve.beat >= plot.view.first) & (target.curve.beat <= plot.view.last)],
    )
    chosen = parameter.value(target.to_position(target.curve.at(beats)))
    new = np.flatnonzero(np.append(True, np.diff(chosen) != 0.0))
    level = target.from_position(parameter.position(chosen[new]))
    drawn = lines(np.append(beats[new], beats[-1]), np.append(level, level[-1]), HOLD)
    curve_painting.draw_curve(painter, drawn, plot.view, plot.area, ink, 1.4)


def _draw_cut(painter: QPainter, scene: Scene, curve: LayeredCurve) -> None:
    """Bars along the edges of the lane where layers go beyond its reach."""
    view, area = scene.plot.view, scene.plot.area
    edges = floats(view.first + np.arange(view.width // 2 + 1) * (2.0 * view.beats / view.width))
    low, high = curve.ranges(edges, raw=True)
    for over, y in ((high > 1.0 + 1e-9, area.top() - 5), (low < -1e-9, area.bottom() + 2)):
        for index in np.flatnonzero(over).tolist():
            bar = QRectF(SCALE + 2.0 * index, y, 2.0, 3.0)
            painter.fillRect(bar, themes.color(scene.theme.selection))


def _draw_curve(painter: QPainter, scene: Scene) -> None:
    """What is drawn on; while a preview is shown, its ghost and the preview."""
    plot, preview, curve = scene.plot, scene.session.preview.curve, scene.target.curve
    if preview is None:
        alone = played(scene.lane, scene.session.project).plain and not scene.target.aside
        width = ALONE_PX if alone else DRAWN_ON_PX  # the strongest of those that are seen together
        curve_painting.draw_curve(painter, curve, plot.view, plot.area, scene.ink, width)
    else:
        ghost = scene.theme.ghost
        curve_painting.draw_curve(painter, curve, plot.view, plot.area, ghost, dashed=True)
        curve_painting.draw_curve(painter, preview, plot.view, plot.area, scene.ink, 2.2)


def _draw_names(painter: QPainter, scene: Scene) -> None:
    """Which curve is which, at their right ends, where there are several."""
    heard, plot, target = played(scene.lane, scene.session.project), scene.plot, scene.target
    if (heard.plain and not target.aside) or scene.session.preview.curve is not None:
        return
    theme, end = scene.theme, plot.view.last
    rows = [(float(heard.drawn.at(end)), "Result", themes.lane_ink(theme, scene.lane))]
    rows += [(float(target.curve.at(end)), "Base" if not target.aside else "Layer", scene.ink)]
    rows += [(float(scene.lane.curve.at(end)), "Base", theme.quiet)] if target.aside else []
    painter.setFont(themes.font(9.5, themes.QFont.Weight.Medium))
    lowest = float("-inf")
    for value, text, ink in sorted(rows, key=lambda row: -row[0]):
        top = max(plot.area.bottom() - value * plot.area.height() - NAME_PX / 2.0, lowest)
        lowest = top + NAME_PX
        width = painter.fontMetrics().horizontalAdvance(text) + 8
        area = QRectF(plot.width - width - 2, top, width, NAME_PX)
        painter.fillRect(area, themes.color(theme.sheet, 0.85))
        painter.setPen(themes.color(ink))
        painter.drawText(area, Qt.AlignmentFlag.AlignCenter, text)


def _draw_errors(painter: QPainter, scene: Scene) -> None:
    """How far a thinned preview strays, as a strip along the foot: its highest bar is the
    largest error."""
    preview, view = scene.session.preview, scene.plot.view
    if preview.errors is None or preview.curve is None:
        return
    band = largest_in(preview.errors, view.first, view.last, view.width)
    most = max(float(preview.errors[1].max()), 1e-12)
    foot = scene.plot.height - 1.0
    painter.setPen(QPen(themes.color(scene.theme.selection, 0.55), 1.0))
    for x in np.flatnonzero(band > 0.0).tolist():
        tall = ERROR_STRIP_PX * band[x] / most
        painter.drawLine(QPointF(SCALE + x + 0.5, foot - tall), QPointF(SCALE + x + 0.5, foot))


def _draw_pass(painter: QPainter, scene: Scene) -> None:
    """What a hand has done in the pass that is going on."""
    hands, view, area = scene.session.passes.hands, scene.plot.view, scene.plot.area
    if hands is None:
        return
    beat, value = hands.live(scene.lane.id, view.first, view.last)
    if len(beat) > 1:
        x, y = by_column(SCALE + view.xs(beat), area.bottom() - value * area.height())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        # Two fine strokes: a long broad one takes Qt thirty times as long.
        painter.setPen(QPen(themes.color(scene.theme.selection), 1.0))
        for below in (-0.4, 0.4):
            painter.drawPolyline(polygon(x, y + below))


def _draw_frame(painter: QPainter, scene: Scene) -> None:
    frame, plot, theme = frame_of(scene.session), scene.plot, scene.theme
    if frame is None or scene.session.preview.curve is not None:
        return
    painter.setPen(QPen(themes.color(theme.selection), 1.0, Qt.PenStyle.DotLine))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(plot.box(frame))
    for handle in HANDLES:
        at = plot.spot(handle, frame)
        if at.x() >= SCALE - 4:
            painter.setPen(QPen(themes.color(theme.selection), 1.3))
            held = scene.hand.handle is handle
            painter.setBrush(themes.color(theme.selection if held else theme.raised))
            painter.drawEllipse(at, 4.0, 4.0)


def _draw_points(painter: QPainter, scene: Scene) -> None:
    curve, chosen, over = scene.target.curve, scene.session.points.chosen, scene.hand.over
    plot, theme = scene.plot, scene.theme
    those = range_shown(curve, plot.view)
    if len(those) > plot.view.width / 7:
        # Too close together to take hold of: only what is selected, and the hovered one.
        inside = chosen[(chosen >= those[0]) & (chosen <= those[-1])]
        shown = inside[:: max(1, inside.size // MOST_DIAMONDS)]
        if over.kind == HitKind.POINT:
            shown = np.append(shown, over.index)
    else:
        shown = np.array(those, np.intp)
    shown = shown[shown < len(curve)]
    picked = np.zeros(len(curve), bool)
    picked[chosen] = True
    pins = () if scene.target.aside else scene.lane.pins
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for index, selected in zip(shown.tolist(), picked[shown].tolist(), strict=True):
        at = plot.point(curve.beat[index], curve.value[index])
        if at.x() < SCALE - 6:
            continue
        if float(curve.beat[index]) in pins:
            painter.setPen(QPen(themes.color(theme.ink), 1.6))
            painter.drawLine(at + QPointF(-5, 9), at + QPointF(5, 9))
        ink = theme.selection if selected else scene.ink
        size = 6.5 if over == Hit(HitKind.POINT, index) else curve_painting.DIAMOND
        painter.setPen(QPen(themes.color(ink), 1.5))
        painter.setBrush(themes.color(ink if selected else theme.sheet))
        painter.drawPolygon(curve_painting.diamond(at.x(), at.y(), size))


def _draw_segment(painter: QPainter, scene: Scene) -> None:
    """The hovered segment."""
    hand, curve, plot = scene.hand, scene.target.curve, scene.plot
    if hand.over.kind != HitKind.SEGMENT or hand.dragging or hand.over.index >= len(curve) - 1:
        return
    left, right = (plot.x(float(curve.beat[hand.over.index + i])) for i in (0, 1))
    area = plot.area
    part = QRectF(left, area.top(), right - left, area.height()).intersected(area)
    painter.save()
    painter.setClipRect(part.adjusted(0, -4, 0, 4))
    curve_painting.draw_curve(painter, curve, plot.view, area, scene.theme.selection, 2.4)
    painter.restore()


def _draw_hand(painter: QPainter, scene: Scene) -> None:
    """The box, and the value and position at the pointer."""
    hand, theme, plot = scene.hand, scene.theme, scene.plot
    if hand.box is not None:
        painter.setPen(QPen(themes.color(theme.selection), 1.0, Qt.PenStyle.DashLine))
        painter.setBrush(themes.color(theme.selection, 0.08))
        painter.drawRect(hand.box)
    if hand.at is None:
        return
    painter.setFont(themes.font(9.5, themes.QFont.Weight.Medium))
    width = painter.fontMetrics().horizontalAdvance(hand.text) + 16
    fits = hand.at.x() + 20 + width < plot.width
    x = hand.at.x() + 14 if fits else hand.at.x() - width - 14
    tag = QRectF(x, max(hand.at.y() - 34, 4), width, 22)
    painter.setPen(QPen(themes.color(theme.bar_line), 1.0))
    painter.setBrush(themes.color(theme.raised))
    painter.drawRect(tag)
    painter.setPen(themes.color(theme.ink))
    painter.drawText(tag, Qt.AlignmentFlag.AlignCenter, hand.text)


def _draw_playhead(painter: QPainter, scene: Scene) -> None:
    plot = scene.plot
    x = plot.x(scene.session.playhead.beat)
    if SCALE <= x <= plot.width:
        curve_painting.draw_playhead(painter, x, QRectF(0, 0, plot.width, plot.height), scene.theme)
