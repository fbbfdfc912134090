# SPDX-License-Identifier: GPL-3.0-or-later
"""The Random page of the Movement panel."""

from __future__ import annotations

from PyQt6.QtWidgets import QCheckBox

from zolvek.core.curve import spans
from zolvek.core.curve.curve import Curve
from zolvek.core.model.layer import Layer, LayerKind
from zolvek.core.movement.generators.randomness import RANDOM_KINDS, SPREADS, RandomMove, randomised
from zolvek.core.movement.movement_settings import RANDOM_SETTINGS
from zolvek.core.movement.settings_parser import random_of
from zolvek.studio.services.context import Studio
from zolvek.studio.session.command_scope import target
from zolvek.studio.toolkit.field_grid import FieldGrid
from zolvek.studio.toolkit.fields import SeedEntry
from zolvek.studio.toolkit.widgets import choice, field_label, pick
from zolvek.studio.views.panels.movement.generator_page import MakingPage


class RandomPage(MakingPage):
    label = "Randomise"

    def __init__(self, studio: Studio) -> None:
        super().__init__(studio)
        self.seed = SeedEntry("Seed of the random movement", self.changed)
        kinds = [(label, key) for key, (label, _) in RANDOM_KINDS.items()]
        self.kind = choice(kinds, "Movement type", lambda _: self.changed())
        spreads = [(label, key) for key, label in SPREADS.items()]
        self.spread = choice(spreads, "Spread", lambda _: self.changed())
        for label, box in (("New values", self.kind), ("Spread", self.spread)):
            self.room.addWidget(field_label(label))
            self.room.addWidget(box)
        self.fields = FieldGrid("Random", RANDOM_SETTINGS, self.changed)
        self.room.addWidget(self.fields)
        self.follow = QCheckBox("Follow the current curve")
        self.follow.setChecked(True)
        self.follow.clicked.connect(lambda _: self.changed())
        self.room.addWidget(self.follow)
        self.room.addWidget(self.seed_row(self.seed))
        self.finish(self._as_layer)

    def made_random(self) -> tuple[RandomMove, float]:
        """The movement as it is set, and its amount. Raises ZolvekError naming what can't be read."""
        kind, spread = str(self.kind.currentData()), str(self.spread.currentData())
        return random_of(kind, self.fields.values(), spread, self.seed.seed())

    def result(self) -> Curve:
        """The curve with the random movement."""
        drawn, (first, last) = target(self.session).curve, self.span
        move, amount = self.made_random()
        tempo = self.session.project.tempo
        put = randomised(drawn, first, last, move, amount, tempo, self.follow.isChecked())
        return spans.splice(drawn, first, put, last)

    def _as_layer(self) -> None:
        move, amount = self.made_random()
        name = f"Random, {RANDOM_KINDS[move.kind][0].lower()}"
        self.made.emit(LayerKind.RANDOM, name, amount, {"random": move})

    def show_layer(self, layer: Layer) -> None:
        """Show a layer's settings."""
        move = layer.random
        assert move is not None
        pick(self.kind, move.kind)
        pick(self.spread, move.spread)
        texts = {
            "every": move.every.text,
            "amount": f"{100 * layer.amount:g} %",
            "levels": " ".join(f"{100 * v:g}" for v in move.levels),
        }
        self.fields.fill(move, texts)
        self.seed.keep(move.seed)
