# SPDX-License-Identifier: GPL-3.0-or-later
"""The first curve, guided: a step at a time in the real window, each done by the person and noticed
here."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from PyQt6.QtCore import QObject, QRect, Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QWidget

from zolvek.core.curve.shapes import BENT
from zolvek.studio.services.context import Studio


class Memory(NamedTuple):
    """What was so when a step began."""

    control: object
    points: int
    step: int  # of the history
    comparing: str
    exported: int
    opened: object  # of the document
    span: object


class Lesson(NamedTuple):
    """`place` names the part of the window that it is done in; `done` notices it, given what was so when
    it began."""

    title: str
    words: str
    place: str
    done: Callable[[Studio, Memory], bool]


def _points(studio: Studio) -> int:
    target = studio.session.target
    return len(target.curve) if target is not None else 0


def _has_lane(studio: Studio, _: Memory) -> bool:
    lane, control = studio.session.lane, studio.session.shown.control
    return lane is not None and control is not None and (lane.device, lane.parameter) == control


def _has_own_lane(studio: Studio, memory: Memory) -> bool:
    """A lane has been added, or one that there is comes up."""
    return _has_lane(studio, memory) and studio.session.shown.control != memory.control


def _bent(studio: Studio, _: Memory) -> bool:
    target = studio.session.target
    if target is None:
        return False
    curve = target.curve
    return bool(np.any((curve.shape[:-1] == BENT) & (curve.amount[:-1] != 0.0)))


def _did(word: str) -> Callable[[Studio, Memory], bool]:
    def done(studio: Studio, memory: Memory) -> bool:
        history = studio.session.document.history
        return history.here > memory.step and history.undo_label.startswith(word)

    return done


LESSONS = (
    Lesson("Choose a control", "Click any dial at the foot of the window, such as Decay.", "bench",
           lambda s, m: s.session.shown.control not in (None, m.control)),
    Lesson("Add a lane", "Press A. The control gets a flat lane at its current value; the sound does not change yet.",
        "lane", _has_lane),
    Lesson("Hear it", "Press Space to play, and Space again to stop.", "transport", lambda s, m: s.player.playing),
    Lesson("Draw", "Click three times in the lane, at different heights. Each click adds a point.", "lane",
           lambda s, m: _points(s) >= m.points + 3),
    Lesson("Bend", "Hold B and drag a line between two points up or down.", "lane", _bent),
    Lesson("Repeat", "Drag over your points on the ruler, then press Ctrl+R to repeat them to the end of the section.",
        "ruler", _did("Repeat")),
    Lesson("Compare", "Press Shift+X to hear the song without automation, and again to return.", "transport",
           lambda s, m: s.session.audition.comparing != m.comparing),
    Lesson("Undo", "Press Ctrl+Z to undo the last step, and Ctrl+Shift+Z to redo it.", "lane",
           lambda s, m: s.session.document.history.here < m.step),
    Lesson("Export", "Press Ctrl+M and name a file to export your curve as MIDI, for any host.", "export",
           lambda s, m: s.exports.exported > m.exported),
    Lesson("Your own piece", "That was your first curve. For your own song press Ctrl+Shift+N and choose its files.",
           "index", lambda s, m: s.session.document.opened is not m.opened),
    Lesson("Where nothing moves", "Play it. Where it should move, drag a span of a few bars on the ruler.", "ruler",
           lambda s, m: s.session.span.beats not in (None, m.span)),
    Lesson("What should move", "Click a control of that track in the index, press A. The Devices panel adds plugins.",
           "index", _has_own_lane),
    Lesson("Make it move", "Click at the start and at the end of the span, and bend the line between them with B.",
           "lane", lambda s, m: _points(s) >= m.points + 2),
    Lesson("Take it with you", "Press Ctrl+S to save your song, and Ctrl+M to export it as MIDI for your host.",
           "export", lambda s, m: s.exports.exported > m.exported),
)  # fmt: skip
LANE_LESSON = 1  # which is over where the control has a lane already


class FirstCurve(QObject):
    """Which lesson it is: `place` counts from 0, −1 when none is given."""

    changed = pyqtSignal()

    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.studio, self.place = studio, -1
        self.memory = self._now()
        session = studio.session
        for part in (
            session.document, session.focus, session.shown, session.audition, session.span, studio.player,
            studio.exports,
        ):  # fmt: skip
            part.changed.connect(self._look)

    def _now(self) -> Memory:
        session = self.studio.session
        return Memory(
            session.shown.control,
            _points(self.studio),
            session.document.history.here,
            session.audition.comparing,
            self.studio.exports.exported,
            session.document.opened,
            session.span.beats,
        )

    @property
    def lesson(self) -> Lesson | None:
        """The present lesson."""
        return LESSONS[self.place] if 0 <= self.place < len(LESSONS) else None

    def begin(self) -> None:
        """Begin with the first lesson."""
        self._go(0)

    def skip(self) -> None:
        """Go to the next lesson."""
        self._go(self.place + 1)

    def leave(self) -> None:
        """Leave the lessons."""
        self._go(-1)

    def _go(self, index: int) -> None:
        if index == LANE_LESSON and _has_lane(self.studio, self.memory):
            self.studio.session.notices.say("This control has a lane already: you see it.")
            index += 1
        over = index >= len(LESSONS)
        self.place, self.memory = -1 if over else index, self._now()
        if over:
            self.studio.session.notices.say("That is all. The Help menu has the guide and all keys.")
        self.studio.session.settings.window.first_curve_done = True
        self.changed.emit()

    def _look(self) -> None:
        lesson = self.lesson
        if lesson is not None and lesson.done(self.studio, self.memory):
            self._go(self.place + 1)


class LessonBar(QFrame):
    """What to do now, with a frame round the part of the window it is done in."""

    def __init__(self, guided: FirstCurve, window: QWidget, places: dict[str, QWidget]) -> None:
        super().__init__()
        self.guided, self.places = guided, places
        self.setProperty("lesson", True)
        self.title, self.words = QLabel(), QLabel()
        self.title.setProperty("role", "heading")
        self.words.setWordWrap(True)
        self.words.setMinimumWidth(1)
        self.frame = QFrame(window)
        self.frame.setProperty("lesson-place", True)
        self.frame.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 12, 6)
        row.addWidget(self.title)
        row.addWidget(self.words, 1)
        for text, work in (("Skip", guided.skip), ("Leave", guided.leave)):
            button = QPushButton(text)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(lambda _, work=work: work())
            row.addWidget(button)
        guided.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the present lesson."""
        lesson = self.guided.lesson
        self.setVisible(lesson is not None)
        self.frame.setVisible(lesson is not None)
        if lesson is not None:
            self.title.setText(f"{self.guided.place + 1} of {len(LESSONS)}  {lesson.title}")
            self.words.setText(lesson.words)
            self.follow()

    def follow(self) -> None:
        """The frame round where the part is now."""
        lesson = self.guided.lesson
        if lesson is None:
            return
        widget, window = self.places[lesson.place], self.frame.parentWidget()
        if window is not None and widget.isVisible():
            at = widget.mapTo(window, widget.rect().topLeft())
            self.frame.setGeometry(QRect(at, widget.size()))
            self.frame.raise_()
