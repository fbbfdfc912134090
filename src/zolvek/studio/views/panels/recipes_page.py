# SPDX-License-Identifier: GPL-3.0-or-later
"""Recipes: a build, a drop, a pump, fitted to the track in focus by measuring it; heard first, then taken or left."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QWidget

from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project
from zolvek.core.movement.recipes import Recipe
from zolvek.core.value.number_entry import number_of
from zolvek.formats import recipe_library
from zolvek.studio.services.context import Studio
from zolvek.studio.services.tasks.background_job import Background
from zolvek.studio.toolkit.fields import Entry
from zolvek.studio.toolkit.refreshing import RefreshWhileShown
from zolvek.studio.toolkit.widgets import button, column, field_label, form, note
from zolvek.studio.views.shared.job_controls import JobControls

if TYPE_CHECKING:
    from zolvek.sound.analysis.recipe_fitting import Fitted

JOB = "zolvek.sound.analysis.recipe_fitting:job"
RECIPE = Qt.ItemDataRole.UserRole
LOWEST_PERCENT, HIGHEST_PERCENT = 10.0, 200.0


class RecipesPage(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.studio, self.session = studio, studio.session
        self.fitted: Fitted | None = None
        self.of: Project | None = None  # the project that the proposal is of
        self.name = ""
        self.strength = 100.0
        self.background = Background(self)
        self.background.done.connect(self._done)
        self.background.failed.connect(self._failed)
        layout = column(self)
        layout.addWidget(note("Movements by what is heard. The controls are found by measuring this track."))
        self.list = QListWidget()
        self.list.setAccessibleName("Recipes")
        self.list.itemActivated.connect(lambda _: self.propose())
        self.list.currentItemChanged.connect(lambda *_: self.refresh())
        layout.addWidget(self.list, 1)
        self.amount = Entry("Strength", self._type_strength, "Percent of the recipe's amounts, 10 to 200")
        fields = form()
        fields.addRow(field_label("Strength", self.amount), self.amount)
        layout.addLayout(fields)
        tip = "Fits the recipe to this track: in the selected span, or from the playhead on"
        self.job = JobControls(self.background, "Propose", self.propose, tip, self.refresh)
        layout.addWidget(self.job)
        self.said = note()
        layout.addWidget(self.said)
        line = QHBoxLayout()
        self.hear = button("Hear", self._hear, tip="Plays the proposal in place of what is there")
        self.take = button("Use", self._take, tip="Keeps the proposal, as one step")
        self.leave = button("Discard", self._leave, tip="Changes nothing")
        for item in (self.hear, self.take, self.leave):
            line.addWidget(item)
        layout.addLayout(line)
        self._list()
        RefreshWhileShown(self, self.refresh, (self.session.document.changed, self.session.span.changed))
        self.refresh()

    def _list(self) -> None:
        found, faults = recipe_library.recipes()
        for recipe in found:
            item = QListWidgetItem(recipe.name)
            item.setData(RECIPE, recipe)
            bars = f"{recipe.bars} bar{'s' if recipe.bars != 1 else ''}"
            item.setToolTip(f"{recipe.about}. {bars}, {', '.join(dict.fromkeys(part.role for part in recipe.parts))}")
            self.list.addItem(item)
        self.list.setCurrentRow(0)
        for fault in faults:
            self.session.notices.refuse(fault)

    def _span(self, recipe: Recipe) -> tuple[float, float]:
        """The selected span, or as many bars as the recipe has from the playhead's bar on."""
        session = self.session
        if session.span.beats is not None:
            return session.span.beats
        meter = session.project.meter
        first = meter.bar_at(session.playhead.beat)
        return meter.bar_beat(first), min(meter.bar_beat(first + recipe.bars), session.project.length)

    def propose(self) -> None:
        """Fit the chosen recipe."""
        item, device = self.list.currentItem(), self.session.shown.device
        if item is None or device is None:
            return
        recipe: Recipe = item.data(RECIPE)
        self._leave()
        self.of, self.name = self.session.project, recipe.name
        track = self.of.device_track(device)
        self.job.begun()
        self.background.start(JOB, self.of, recipe, track.id, self._span(recipe), self.strength / 100.0)
        self.refresh()

    def _type_strength(self, text: str) -> None:
        self.strength = number_of(text, "%", LOWEST_PERCENT, HIGHEST_PERCENT, "Strength")

    def _done(self, fitted: Fitted) -> None:
        self.fitted = fitted
        self.refresh()
        if self.session.project is self.of:
            self._hear()

    def _failed(self, error: ZolvekError) -> None:
        self.session.notices.report(error)
        self.refresh()

    def refresh(self) -> None:
        """Show what there is."""
        busy = self.background.busy
        if self.fitted is not None and self.session.project is not self.of:
            self.fitted = None  # of a project that is another one now
        there = self.fitted is not None
        self.amount.show_text(f"{self.strength:g} %")
        self.job.refresh(self.session.shown.device is not None and self.list.currentItem() is not None)
        for item in (self.hear, self.take, self.leave):
            item.setEnabled(there and not busy)
        self.said.setText(self._words())

    def _words(self) -> str:
        if self.fitted is not None:
            project, lines = self.fitted.project, []
            for part in self.fitted.parts:
                if part.lane:
                    lines.append(f"{part.role.capitalize()}: {project.label_of(part.lane)}.")
                lines += part.notes[:3]
            return "\n".join(lines)
        item = self.list.currentItem()
        return str(item.toolTip()) + "." if item is not None else ""

    def _hear(self) -> None:
        """Play the proposal."""
        if self.fitted is None:
            return
        self.session.audition.hear_trial(self.fitted.project)
        self.session.notices.say(f"Playing “{self.name}”. Nothing is changed until you use it.")
        if not self.studio.player.playing:
            self.studio.player.play()

    def _take(self) -> None:
        """Keep the proposal."""
        fitted, self.fitted = self.fitted, None
        if fitted is not None:
            self.session.audition.hear_trial(None)
            self.session.document.edit(f"Recipe “{self.name}”", fitted.project)
            lanes = [part.lane for part in fitted.parts if part.lane]
            self.session.focus.on(lanes[0])

    def _leave(self) -> None:
        """Let the proposal go."""
        self.fitted = None
        if self.session.audition.comparing == "trial":
            self.session.audition.hear_trial(None)
        self.refresh()

    def close_work(self) -> None:
        """End what is going on, when the window closes."""
        self.background.close()
