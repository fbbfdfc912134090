# SPDX-License-Identifier: GPL-3.0-or-later
"""The session: what one window holds, part by part, and the changes that concern several parts.

Widgets read from the parts and call their methods; each part says by its signal what has changed.
Data goes one way: a widget never says another.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import NamedTuple

from zolvek.core.arrays import Ints
from zolvek.core.curve.curve import Curve
from zolvek.core.edits import replacement
from zolvek.core.edits.monitoring import Listening, heard
from zolvek.core.edits.targets import Target, put_curve
from zolvek.core.errors import ZolvekError
from zolvek.core.history.history import changed_lanes
from zolvek.core.limits import LIMITS
from zolvek.core.model.project import Lane, Project
from zolvek.core.records import replace
from zolvek.core.time import durations
from zolvek.studio.session.arming import Passes
from zolvek.studio.session.arrangement import Arranging
from zolvek.studio.session.audition import Audition, HeldLanes
from zolvek.studio.session.document import Document
from zolvek.studio.session.focus import Focus, ShownDevice
from zolvek.studio.session.notices import Notices
from zolvek.studio.session.pattern_shelf import Shelf
from zolvek.studio.session.picks import Picks
from zolvek.studio.session.preview import Preview
from zolvek.studio.session.selection import NONE_CHOSEN, Playhead, Points, Span
from zolvek.studio.session.settings import Settings
from zolvek.studio.session.tools import Look, Tools

__all__ = ["NONE_CHOSEN", "Session"]


class SelectionState(NamedTuple):
    """What is worked on and selected: it comes back with undo and redo."""

    lane: str | None
    layer: str | None
    aspect: str
    path: tuple[str, str] | None
    points: Ints
    span: tuple[float, float] | None
    device: str | None  # whose dials are shown

    def restore(self, session: Session) -> None:
        """Select again what was selected at that step."""
        if self.lane is None or not session.project.has_lane(self.lane):
            return
        session.focus.on(self.lane)
        if self.path is not None and session.focus.path != self.path:
            session.focus.draw_on_path(*self.path)
        elif self.path is None:
            session.focus.draw_on_layer(self.layer, self.aspect)
        target = session.target
        count = len(target.curve) if target else 0
        session.points.choose(self.points[self.points < count])
        if session.span.beats != self.span:
            session.span.choose(self.span)
        if session.shown.picked != self.device:
            session.shown.show(self.device)


class Session:
    """The parts, in the order in which they follow the document."""

    def __init__(self, project: Project, settings: Settings, path: Path | None = None) -> None:
        self.settings = settings
        self.notices = Notices()
        self.document = Document(project, settings, self.notices, path)
        self.focus = Focus(self.document)
        self.shown = ShownDevice(self.document, self.focus)
        self.points = Points(self.document, self.focus)
        self.span = Span(self.document)
        self.playhead = Playhead(self.document)
        self.audition = Audition(self.document)
        self.held = HeldLanes(self.document)
        self.preview = Preview(self.document, self.focus)
        self.picked = Picks(self.document, self.focus)
        self.arranging = Arranging(self.document)
        self.shelf = Shelf()
        self.tools = Tools(settings)
        self.look = Look(settings)
        self.passes = Passes(self.document, settings)
        self._audible: tuple[Project, Listening, Project] | None = None
        self.preview.changed.connect(self._hear_preview)
        self.document.selected = self._selected

    # --- reading ---

    @property
    def project(self) -> Project:
        """The present project."""
        return self.document.project

    @property
    def audible(self) -> Project:
        """The project as it is heard now, with what a hand holds; the same object while nothing of that changes."""
        project, listening = self.project, replace(self.audition.listening, held=self.held.values, metronome=False)
        if self._audible is None or self._audible[0] is not project or self._audible[1] != listening:
            self._audible = project, listening, heard(project, listening)
        return self._audible[2]

    @property
    def lane(self) -> Lane | None:
        """The focus lane."""
        return self.focus.lane

    @property
    def target(self) -> Target | None:
        """What is drawn on: the focus lane's base, a layer of it, or a pad's path in its place."""
        return self.focus.target

    def beats_of(self, text: str) -> float:
        """The beats that a typed length of time lasts at the playhead. Raises ZolvekError when it can't
        be read, or is out of all bounds."""
        project = self.project
        beats = durations.beats_of(text, project.tempo, project.meter, self.playhead.beat)
        if beats is None:
            raise ZolvekError(f"“{text}” can't be read.", remedy=durations.HELP)
        limit = LIMITS["wait"]
        if not limit.holds(beats):
            raise ZolvekError(f"“{text}” is too long.", remedy=f"Use at most {limit.high:g} beats.")
        return beats

    def position_of(self, text: str) -> float:
        """The beat that is typed as a position. Raises ZolvekError when it can't be read, or lies beyond
        the project's end."""
        project = self.project
        beat = project.meter.parse(text, project.tempo)
        if beat > project.length + 1e-9:
            end = project.meter.text(project.length)
            raise ZolvekError(f"“{text}” is beyond the end.", remedy=f"The project ends at {end}.")
        return beat

    # --- changing ---

    def open(self, project: Project, path: Path | None) -> None:
        """Show another project."""
        self.preview.show(None)
        self.document.open(project, path)

    def edit_curve(
        self,
        label: str,
        curve: Curve,
        chosen: Ints | None = None,
        gesture: object = None,
        moved: tuple[Ints, Ints] | None = None,
    ) -> None:
        """Give what is drawn on another curve, and the selection its new places. `moved`: which points have
        gone where, so that pins go with them. Raises ZolvekError when there is no lane, or it is locked."""
        target = self.target
        if target is None:
            raise ZolvekError("There is no lane.", remedy="Touch a control and press A.")
        project = put_curve(self.document.before(gesture), target, curve, moved)
        select = None if chosen is None else partial(self.points.place, chosen)
        self.document.edit(label, project, gesture, select)

    def edit_lane(self, label: str, lane: Lane, gesture: object = None) -> None:
        """Put a changed lane in the place of the one of its id."""
        self.document.edit(label, replacement.with_lane(self.project, lane), gesture)

    def undo(self) -> None:
        """Take back the last step, and select what was selected when it was made."""
        self._step("Undone", self.document.history.undo_label, self.document.undo)

    def redo(self) -> None:
        """Do the next step again, and select what was selected after it."""
        self._step("Redone", self.document.history.redo_label, self.document.redo)

    def _step(self, word: str, label: str, go: Callable[[], None]) -> None:
        if not label:
            return
        before = self.project
        go()
        left = self.document.history.steps[self.document.history.here].left
        changed = set(changed_lanes(self.project, before))
        if isinstance(left, SelectionState) and (left.lane in changed or not changed):
            left.restore(self)
        elif changed and self.focus.id not in changed:
            # The step was made in a lane that is out of view: it comes up.
            shown = (lane.id for lane in self.project.lanes() if lane.id in changed)
            self.focus.on(next(shown))
        lane = self.focus.id if self.focus.id in changed else None
        where = f" ({self.project.label_of(lane)})" if lane else ""
        self.notices.did(f"{word}: {label}{where}")

    def _selected(self) -> SelectionState:
        focus = self.focus
        return SelectionState(
            focus.id,
            focus.layer,
            focus.aspect,
            focus.path,
            self.points.chosen,
            self.span.beats,
            self.shown.picked,
        )

    def touch(self, device: str, parameter: str, follow: bool | None = None) -> None:
        """A control was touched: its lane comes up, or is offered. With following switched off
        the focus stays, unless `follow` says otherwise."""
        lane = self.project.device_track(device).lane_on(device, parameter)
        if lane and (self.settings.editing.follow_touched if follow is None else follow):
            self.focus.on(lane.id)
        self.shown.touch(device, parameter)

    def _hear_preview(self) -> None:
        """What is previewed in the lane's place is heard there."""
        target, curve = self.target, self.preview.curve
        in_place = target is not None and not target.aside and curve is not None
        tried = (target.lane, curve) if target and in_place else None
        if tried != self.audition.listening.tried:
            self.audition.listen(tried=tried)
