# SPDX-License-Identifier: GPL-3.0-or-later
"""History: labelled projects that share structure, so undo can't miss anything.

What a step holds of its own is counted in bytes: of curves only their differences where the steps
are some way from the present (`shelving`). Beyond a number of bytes the oldest steps go, and `gone` counts them.
"""

from __future__ import annotations

from typing import NamedTuple

from zolvek.core.curve.compaction import LEAST, size
from zolvek.core.curve.curve import Curve
from zolvek.core.history.compact_steps import CompactStep, restored, shelved
from zolvek.core.model.project import Lane, Project
from zolvek.core.records import Record, replace

DEEPEST = 2_000  # steps kept
MOST_BYTES = 512_000_000  # that they hold of their own; a setting says otherwise
WHOLE = 3  # steps next to the present one whose curves are not packed
ROW_BYTES = 160  # of a note or another row, about


class Step(NamedTuple):
    """`project` as a whole, or without its large curves where it is on the `shelf`; `small`: bytes that it holds of
    its own besides large curves, `large`: bytes of those. `left`: what was selected when it was last left, kept for
    the window; `key`: the same for as long as the step is."""

    label: str
    project: Project
    small: int = 0
    large: int = 0
    shelf: CompactStep | None = None
    left: object = None
    key: object = None

    @property
    def size(self) -> int:
        """Bytes that it holds of its own."""
        return self.small + (self.large if self.shelf is None else self.shelf.size)


class History(Record, frozen=True):
    """`steps[here]` is the present project; those after it can be redone. `gone`: how many of the
    oldest could not be kept."""

    steps: tuple[Step, ...]
    here: int = 0
    gesture: object = None  # what is being dragged: its edits are one step until it ends
    gone: int = 0
    most: int = MOST_BYTES

    @classmethod
    def start(cls, project: Project, label: str = "Open", most: int = MOST_BYTES) -> History:
        """A history that begins with a project; `most` bytes are kept to undo."""
        return cls((Step(label, project, key=object()),), most=most)

    @property
    def project(self) -> Project:
        """The present project."""
        return self.steps[self.here].project

    @property
    def key(self) -> object:
        """Of the present step: another one after every edit, and the same again after undoing it."""
        return self.steps[self.here].key

    @property
    def size(self) -> int:
        """Bytes that all steps but the first hold of their own."""
        return sum(step.size for step in self.steps[1:])

    def edited(self, project: Project, label: str, gesture: object = None) -> History:
        """A new step; with the `gesture` of the last one, the last one is replaced instead."""
        if project is self.project or project == self.project:
            return self
        base = self.here
        if gesture is not None and gesture is self.gesture:
            base -= 1
        step = Step(label, project, *_own(project, self.steps[base].project), key=object())
        steps = (*self.steps[: base + 1], step)
        result = replace(self, steps=steps, here=len(steps) - 1, gesture=gesture)
        return result._settled()._within()

    def ended(self) -> History:
        """The gesture is over: the next edit is a step of its own."""
        return replace(self, gesture=None)

    def cancelled(self) -> History:
        """The gesture is cancelled: what it did is gone."""
        if self.gesture is None:
            return self
        return replace(self, steps=self.steps[: self.here], here=self.here - 1, gesture=None)

    def leaving(self, left: object) -> History:
        """The present step with what is selected in it now: to be called before it is left."""
        here = self.here
        step = self.steps[here]._replace(left=left)
        return replace(self, steps=(*self.steps[:here], step, *self.steps[here + 1 :]))

    @property
    def undo_label(self) -> str:
        """What undo would undo, "" for nothing."""
        return self.steps[self.here].label if self.here else ""

    @property
    def redo_label(self) -> str:
        """What redo would redo, "" for nothing."""
        return self.steps[self.here + 1].label if self.here + 1 < len(self.steps) else ""

    def undone(self) -> History:
        """The history one step back."""
        return replace(self, here=max(self.here - 1, 0), gesture=None)._settled()

    def redone(self) -> History:
        """The history one step forward."""
        return replace(self, here=min(self.here + 1, len(self.steps) - 1), gesture=None)._settled()

    def project_at(self, index: int) -> Project:
        """The project of any step, taken from the shelf if it is there."""
        direction = 1 if index < self.here else -1
        whole = index
        while self.steps[whole].shelf is not None:
            whole += direction
        project = self.steps[whole].project
        for between in range(whole - direction, index - direction, -direction):
            shelf = self.steps[between].shelf
            project = self.steps[between].project if shelf is None else restored(shelf, project)
        return project

    def _settled(self) -> History:
        """What has moved away from the present is shelved, and what is near it is whole."""
        steps = list(self.steps)
        for direction in (-1, 1):
            for index in range(self.here, self.here + direction * WHOLE, direction):
                if 0 <= index < len(steps) and (shelf := steps[index].shelf) is not None:
                    whole = restored(shelf, steps[index - direction].project)
                    steps[index] = steps[index]._replace(project=whole, shelf=None)
            index = self.here + direction * WHOLE
            if 0 <= index < len(steps) and steps[index].shelf is None:
                shelf = shelved(steps[index].project, steps[index - direction].project)
                if shelf is not None:
                    steps[index] = steps[index]._replace(project=shelf.project, shelf=shelf)
        return replace(self, steps=tuple(steps))

    def _within(self) -> History:
        """Without the oldest steps that can't be kept; the present and the one before always are."""
        over = max(len(self.steps) - DEEPEST, 0)
        total = self.size
        while total > self.most and over < len(self.steps) - 2:
            over += 1
            total -= self.steps[over].size
        if not over:
            return self
        return replace(self, steps=self.steps[over:], here=self.here - over, gone=self.gone + over)


def changed_lanes(project: Project, before: Project) -> list[str]:
    """The lanes of a project that are new or other than before, in their order."""
    return [lane.id for lane, _ in _pairs(project, before)]


def _pairs(project: Project, other: Project) -> list[tuple[Lane, Lane | None]]:
    """Lanes of a project that are not the other's, each with what it is there."""
    result = []
    tracks = {track.id: track for track in other.tracks}
    for track in project.tracks:
        old = tracks.get(track.id)
        if track is old:
            continue
        lanes = {lane.id: lane for lane in old.lanes} if old is not None else {}
        result += [(x, lanes.get(x.id)) for x in track.lanes if x is not lanes.get(x.id)]
    return result


def _own(project: Project, before: Project) -> tuple[int, int]:
    """Bytes of what is new in a project: of rows and small curves, and of large curves."""
    fresh: list[Curve] = []
    small = large = rows = 0
    for lane, old in _pairs(project, before):
        if old is None or lane.curve is not old.curve:
            if len(lane.curve) >= LEAST:
                large += size(lane.curve)
            else:
                fresh.append(lane.curve)
        if old is None or lane.takes is not old.takes:
            known = [take.curve for take in old.takes] if old is not None else []
            fresh += [t.curve for t in lane.takes if not any(t.curve is curve for curve in known)]
        rows += 1
    tracks = {track.id: track for track in before.tracks}
    for track in project.tracks:
        was = tracks.get(track.id)
        if was is None or track.notes is not was.notes:
            rows += len(track.notes)
        if was is not None and track is not was:
            rows += len(track.lanes) // 20 + 1  # the tuple of lanes itself
    small += sum(map(size, fresh)) + ROW_BYTES * rows
    return small, large
