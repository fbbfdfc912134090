# SPDX-License-Identifier: GPL-3.0-or-later
"""How the clips and notes of a track look on the track row, and where they lie."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from zolvek.core.edits import clips
from zolvek.core.model.project import Project, Track
from zolvek.core.model.source import Clip, Note
from zolvek.studio.toolkit import theme as themes
from zolvek.studio.toolkit.outline import polygon
from zolvek.studio.toolkit.theme import Theme
from zolvek.studio.toolkit.viewport import Viewport
from zolvek.studio.views.timeline.plot import SCALE

if TYPE_CHECKING:
    from zolvek.sound.analysis.waveform import Peaks

NAME_HEIGHT_PX = 15.0  # pixels at a block's top that its name takes
LEAST_PITCHES = 12
WIDEST_FADE = 400  # corners of a drawn fade


class Strip(NamedTuple):
    """What is drawn: a track of a project, over what part of time, in what area; `peaks` of files as far
    as they are known."""

    project: Project
    track: Track
    view: Viewport
    area: QRectF
    peaks: dict[str, Peaks]

    def x(self, beat: float) -> float:
        """The pixel of a beat."""
        return SCALE + self.view.x(beat)

    def beat(self, x: float) -> float:
        """The beat of a pixel."""
        return self.view.beat(x - SCALE)

    def lasts(self, clip: Clip) -> float | None:
        """How many beats a clip lasts."""
        peak = self.peaks.get(clip.file)
        return peak.seconds if peak is not None else None

    def block_area(self, clip: Clip) -> QRectF:
        """The rectangle of a clip."""
        end = clips.end_of(clip, self.project.tempo, self.lasts(clip))
        left = self.x(clip.beat)
        return QRectF(left, self.area.top() + 1, self.x(end) - left, self.area.height() - 2)

    @property
    def pitches(self) -> tuple[int, int]:
        """The lowest and highest pitch that is shown."""
        result = [note.pitch for note in self.track.notes] or [48, 60]
        low, high = min(result) - 2, max(result) + 2
        short = max(LEAST_PITCHES - (high - low), 0)
        return max(low - short // 2, 0), min(high + short - short // 2, 127)

    def pitch(self, y: float) -> int:
        """The pitch of a pixel."""
        low, high = self.pitches
        part = (self.area.bottom() - y) / self.area.height()
        return int(min(max(low + part * (high - low + 1), low), high))

    def note_area(self, note: Note) -> QRectF:
        """The rectangle of a note."""
        low, high = self.pitches
        height = self.area.height() / (high - low + 1)
        left, right = self.x(note.beat), self.x(note.beat + note.length)
        top = self.area.bottom() - (note.pitch - low + 1) * height
        return QRectF(left, top, max(right - left - 1.0, 2.0), max(height - 0.5, 2.0))


def draw(painter: QPainter, strip: Strip, theme: Theme, block: int | None, notes: frozenset[int]) -> None:
    """The blocks, then the notes over them; `block` and `notes` are selected."""
    for number, clip in enumerate(strip.track.clips):
        _draw_block(painter, strip, theme, clip, number == block)
    _draw_notes(painter, strip, theme, notes)


def ink_of(theme: Theme, track: Track) -> str:
    """The colour of a track."""
    inks = themes.LANE_INKS[theme.key]
    return inks[(track.colour - 1) % len(inks)] if track.colour else theme.curve


def _draw_block(painter: QPainter, strip: Strip, theme: Theme, clip: Clip, chosen: bool) -> None:
    area = strip.block_area(clip)
    seen = area.intersected(strip.area)
    if seen.width() <= 0.0:
        return
    ink = ink_of(theme, strip.track)
    painter.fillRect(seen, themes.color(ink, 0.10))
    peak = strip.peaks.get(clip.file)
    if peak is not None:
        _draw_wave(painter, strip, clip, peak, seen, themes.color(ink, 0.62))
    _draw_fades(painter, strip, clip, area, theme)
    painter.setPen(QPen(themes.color(theme.selection if chosen else ink), 2.0 if chosen else 1.0))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(area.adjusted(0.5, 0.5, -0.5, -0.5))
    name = clip.file.rpartition("/")[2].removeprefix("shipped:")
    more = f"  {clip.gain_db:+.1f} dB".replace("-", "−") if clip.gain_db else ""
    state = "" if peak is not None else "  (missing, or still loading)"
    turns = "  looped" if clip.loop_until is not None else ""
    painter.setPen(themes.color(theme.ink))
    room = seen.adjusted(5, 1, -3, 0)
    text = painter.fontMetrics().elidedText(
        f"{name}{more}{turns}{state}", Qt.TextElideMode.ElideRight, max(int(room.width()), 0)
    )
    painter.drawText(QRectF(room.left(), room.top(), room.width(), NAME_HEIGHT_PX), Qt.AlignmentFlag.AlignVCenter, text)


def _draw_wave(painter: QPainter, strip: Strip, clip: Clip, peaks: Peaks, seen: QRectF, ink: QColor) -> None:
    """Lowest and highest sample of what each pixel lasts."""
    from zolvek.sound.analysis.waveform import A_SECOND

    columns = int(seen.width())
    if columns < 1:
        return
    edges = seen.left() + np.arange(columns + 1)
    beats = strip.view.first + (edges - SCALE) * strip.view.beats / strip.view.width
    tempo = strip.project.tempo
    into = tempo.seconds(np.maximum(beats, 0.0)) - float(tempo.seconds(clip.beat))
    at = clip.start + into
    if clip.loop_until is not None:
        length = clip.seconds if clip.seconds is not None else max(peaks.seconds - clip.start, 1e-3)
        at = clip.start + (into + clip.turn) % length
    first = np.clip((at[:-1] * A_SECOND).astype(np.intp), 0, len(peaks.low) - 1)
    last = np.clip(np.ceil(at[1:] * A_SECOND).astype(np.intp), 0, len(peaks.low))
    last = np.where(last > first, last, first + 1)
    pairs = np.empty(2 * columns, np.intp)
    pairs[0::2], pairs[1::2] = first, np.minimum(last, len(peaks.low) - 1)
    low = np.minimum.reduceat(peaks.low, pairs)[0::2]
    high = np.maximum.reduceat(peaks.high, pairs)[0::2]
    gain = 10.0 ** (clip.gain_db / 20.0) * _faded(strip, clip, beats[:-1])
    middle = seen.center().y() + NAME_HEIGHT_PX / 2.0
    half = (seen.height() - NAME_HEIGHT_PX) / 2.0 - 1.0
    x = edges[:-1] + 0.5
    top = middle - half * np.clip(high * gain, -1.0, 1.0)
    bottom = np.maximum(middle - half * np.clip(low * gain, -1.0, 1.0), top + 1.0)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ink)
    painter.drawPolygon(polygon(np.concatenate((x, x[::-1])), np.concatenate((top, bottom[::-1]))))


def _faded(strip: Strip, clip: Clip, beats: np.ndarray) -> np.ndarray:
    """How far a block's fades let it through at each of `beats`."""
    tempo = strip.project.tempo
    seconds = tempo.seconds(np.maximum(beats, 0.0))
    begin = float(tempo.seconds(clip.beat))
    end = float(tempo.seconds(clips.end_of(clip, tempo, strip.lasts(clip))))
    gain = np.ones(len(beats))
    for length, elapsed in ((clip.fade_in, seconds - begin), (clip.fade_out, end - seconds)):
        if length > 0.0:
            gain *= 0.5 - 0.5 * np.cos(np.pi * np.clip(elapsed / length, 0.0, 1.0))
    return gain


def fade_handles(strip: Strip, clip: Clip) -> tuple[QPointF, QPointF]:
    """Where the ends of a block's fades are taken hold of."""
    tempo, area = strip.project.tempo, strip.block_area(clip)
    begin = float(tempo.seconds(clip.beat))
    end = float(tempo.seconds(clips.end_of(clip, tempo, strip.lasts(clip))))
    left = strip.x(float(tempo.beats(begin + clip.fade_in)))
    right = strip.x(float(tempo.beats(max(end - clip.fade_out, 0.0))))
    top = area.top() + NAME_HEIGHT_PX + 2.0
    return QPointF(left, top), QPointF(right, top)


def _draw_fades(painter: QPainter, strip: Strip, clip: Clip, area: QRectF, theme: Theme) -> None:
    left, right = fade_handles(strip, clip)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(themes.color(theme.ghost), 1.2))
    bottom = area.bottom() - 1
    for corner, handle in ((area.left(), left), (area.right(), right)):
        if abs(handle.x() - corner) > 0.5:
            u = np.linspace(0.0, 1.0, 25)
            x = corner + (handle.x() - corner) * u
            y = bottom - (bottom - handle.y()) * (0.5 - 0.5 * np.cos(np.pi * u))
            painter.drawPolyline(polygon(x, y))
    painter.setBrush(themes.color(theme.sheet))
    if area.width() > 40.0:
        for handle in (left, right):
            painter.drawEllipse(handle, 3.0, 3.0)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def _draw_notes(painter: QPainter, strip: Strip, theme: Theme, chosen: frozenset[int]) -> None:
    first, last = strip.view.first, strip.view.last
    ink = ink_of(theme, strip.track)
    plain: list[QRectF] = []
    picked: list[QRectF] = []
    for number, note in enumerate(strip.track.notes):
        if note.beat < last and note.beat + note.length > first:
            (picked if number in chosen else plain).append(strip.note_area(note))
    painter.setPen(Qt.PenStyle.NoPen)
    for rows, colour in ((plain, themes.color(ink, 0.75)), (picked, themes.color(theme.selection))):
        if rows:
            painter.setBrush(colour)
            painter.drawRects(rows)  # type: ignore[call-overload]  # a list will do
