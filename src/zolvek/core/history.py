"""History: labelled projects that share structure, so undo can't miss anything."""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

from zolvek.core.project import Project
from zolvek.core.records import record

DEEPEST = 2_000  # steps kept; each holds only what it changed


class Step(NamedTuple):
    label: str
    project: Project


@record
class History:
    """`steps[here]` is the present project; those after it can be redone."""

    steps: tuple[Step, ...]
    here: int = 0
    gesture: object = None  # what is being dragged: its edits are one step until it ends

    @classmethod
    def start(cls, project: Project, label: str = "Open") -> History:
        return cls((Step(label, project),))

    @property
    def project(self) -> Project:
        return self.steps[self.here].project

    def edited(self, project: Project, label: str, gesture: object = None) -> History:
        """A new step; with the `gesture` of the last one, the last one is replaced instead."""
        if project is self.project or project == self.project:
            return self
        base = self.here
        if gesture is not None and gesture is self.gesture:
            base -= 1
        steps = (*self.steps[: base + 1], Step(label, project))[-DEEPEST:]
        return History(steps, len(steps) - 1, gesture)

    def ended(self) -> History:
        """The gesture is over: the next edit is a step of its own."""
        return replace(self, gesture=None)

    def cancelled(self) -> History:
        """The gesture is given up: what it did is gone."""
        if self.gesture is None:
            return self
        return History(self.steps[: self.here], self.here - 1)

    @property
    def undo_label(self) -> str:
        return self.steps[self.here].label if self.here else ""

    @property
    def redo_label(self) -> str:
        return self.steps[self.here + 1].label if self.here + 1 < len(self.steps) else ""

    def undone(self) -> History:
        return replace(self, here=max(self.here - 1, 0), gesture=None)

    def redone(self) -> History:
        return replace(self, here=min(self.here + 1, len(self.steps) - 1), gesture=None)
