# SPDX-License-Identifier: GPL-3.0-or-later
"""The LFO page of the Movement panel."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QCheckBox

from zolvek.core.curve import spans
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.pattern import Pattern
from zolvek.core.model.layer import Layer, LayerKind
from zolvek.core.movement.generators import lfo as lfos
from zolvek.core.movement.generators import lfo_points
from zolvek.core.movement.generators.waves import WAVES
from zolvek.core.movement.movement_settings import LFO_SETTINGS
from zolvek.core.movement.settings_parser import EQUAL, EVEN, lfo_of
from zolvek.core.records import replace
from zolvek.studio.services.context import Studio
from zolvek.studio.session.command_scope import target
from zolvek.studio.toolkit.field_grid import FieldGrid
from zolvek.studio.toolkit.fields import SeedEntry
from zolvek.studio.toolkit.refreshing import RefreshWhileShown
from zolvek.studio.toolkit.widgets import choice, pick
from zolvek.studio.views.panels.movement.generator_page import MakingPage

MANY_POINTS = 20_000  # from which on a person is asked first
LAST = "last"  # the LFO that was written to the lane last
PATTERN = "pattern:"  # before the name of a pattern that is the wave


class LfoPage(MakingPage):
    label = "Write an LFO"

    def __init__(self, studio: Studio) -> None:
        super().__init__(studio)
        # Document and lane -> the LFO that was written to it last, and where.
        self.last: dict[tuple[object, str | None], tuple[lfos.Lfo, float, float]] = {}
        self.patterns: dict[str, Pattern] = {}
        waves = [(wave.label, key) for key, wave in WAVES.items() if key != "pattern"]
        self.wave = choice(waves, "Wave", lambda _: self._wave_chosen())
        self.fields = FieldGrid("LFO", LFO_SETTINGS, self.changed)
        ways = [
            ("Exponential rate sweep", EVEN),
            ("Linear rate sweep", EQUAL),
        ]
        self.way = choice(ways, "Rate sweep", lambda _: self.changed())
        self.waves, self.ways = self.wave.count(), self.way.count()  # before the patterns
        self.invert = QCheckBox("Invert")
        self.invert.clicked.connect(lambda _: self.changed())
        self.on = choice([], "Phase of", lambda _: self.changed())
        self.on.setToolTip("Continues the cycle of that LFO")
        RefreshWhileShown(self, self._list_others, (self.session.document.changed, self.session.focus.changed))
        self._list_others()
        for widget in (self.wave, self.fields, self.way, self.invert, self.on):
            self.room.addWidget(widget)
        self.seed = SeedEntry("Seed of the random wave", self.changed)
        self.seeded = self.seed_row(self.seed)
        self.room.addWidget(self.seeded)
        self._list_patterns()
        self.session.shelf.changed.connect(self._list_patterns)
        self._show_wave()
        self.finish(self._as_layer)

    def _list_patterns(self) -> None:
        """The library's patterns, as waves and as ways; what is chosen stays."""
        shelf = self.session.shelf
        if not shelf.found:
            shelf.read()
        self.patterns = {pattern.name: pattern for pattern in shelf.found}
        for box, prefix, rows in ((self.wave, PATTERN, self.waves), (self.way, "", self.ways)):
            chosen = box.currentData()
            box.blockSignals(True)
            while box.count() > rows:
                box.removeItem(rows)
            for name in self.patterns:
                box.addItem(f"Pattern: {name}", f"{prefix}{name}")
            box.setCurrentIndex(max(box.findData(chosen), 0))
            box.blockSignals(False)

    @property
    def _row(self) -> str:
        wave = str(self.wave.currentData())
        return "pattern" if wave.startswith(PATTERN) else wave

    def _wave_chosen(self) -> None:
        self._show_wave()
        self.changed()

    def _show_wave(self) -> None:
        """What means something for the wave: a random one has a seed, not every one can be skewed."""
        row = WAVES[self._row]
        self.seeded.setVisible(row.random)
        self.fields.allow("skew", row.unskewed)

    def made_lfo(self) -> lfos.Lfo:
        """The LFO as it is set. Raises ZolvekError naming what can't be read."""
        wave, path = str(self.wave.currentData()), str(self.way.currentData())
        starts = wave.startswith(PATTERN)
        pattern = self.patterns.get(wave.removeprefix(PATTERN)) if starts else None
        this_pattern = self.patterns.get(path)
        result = lfo_of(
            "pattern" if pattern else wave,
            self.fields.values(),
            path,
            this_pattern.curve.having(beat=this_pattern.curve.beat / this_pattern.length) if this_pattern else None,
            pattern=pattern,
            invert=self.invert.isChecked(),
            seed=self.seed.seed() if WAVES[self._row].random else 1,
        )
        before = self._in_phase_with()
        if before is not None:
            cycles = lfos.Cycles(*before, self.session.project.tempo)
            phase = float(cycles.gone(np.array(self.span[0])))
            turns = pattern or WAVES[result.wave].corners
            result = replace(result, phase=phase % 1.0 if turns else phase)
        return result

    def _list_others(self) -> None:
        """All LFOs of the project: layers of any lane, and the one that was written here last."""
        project, shown = self.session.project, self.on.currentData()
        rows: list[tuple[str, object]] = [("Free phase", None)]
        if self._place in self.last:
            rows.append(("Phase of the previous LFO here", LAST))
        for lane in project.lanes():
            rows += [
                (f"Phase of {layer.label}, {project.label_of(lane.id)}", (lane.id, layer.id))
                for layer in lane.layers
                if layer.lfo is not None
            ]
        if [self.on.itemData(i) for i in range(self.on.count())] != [data for _, data in rows]:
            self.on.clear()
            for text, data in rows:
                self.on.addItem(text, data)
            pick(self.on, shown if shown in [data for _, data in rows] else None)

    def _in_phase_with(self) -> tuple[lfos.Lfo, float, float] | None:
        """The LFO that this one goes on with, and where that begins and ends."""
        chosen, project = self.on.currentData(), self.session.project
        if chosen == LAST:
            return self.last.get(self._place)
        if chosen is None or not project.has_lane(chosen[0]):
            return None
        layer = project.lane(chosen[0]).layer(chosen[1])
        if layer is None or layer.lfo is None:
            return None
        end = project.length if layer.last is None else layer.last
        return layer.lfo, layer.first, max(end, layer.first + 1e-6)

    @property
    def _place(self) -> tuple[object, str | None]:
        return self.session.document.opened, self.session.focus.id

    def result(self) -> Curve:
        """The curve with the LFO."""
        first, last = self.span
        made = lfo_points.as_curve(self.made_lfo(), first, last, self.session.project.tempo)
        return spans.splice(target(self.session).curve, first, made.shifted(-first), last)

    def may_write(self) -> bool:
        """Whether so many points may be written, after asking."""
        lfo = self.made_lfo()
        count = lfo_points.points_wanted(lfo, *self.span, self.session.project.tempo)
        return not (lfo.rate.fast or count > MANY_POINTS) or self.studio.ask.confirm(
            f"That would write about {count:,} points.",
            "Rates above a 1/128 note or 100 Hz are rarely heard as movement.",
        )

    def written(self) -> None:
        """What is remembered after writing."""
        self.last[self._place] = (self.made_lfo(), *self.span)
        self._list_others()

    def _as_layer(self) -> None:
        result = self.made_lfo()
        amount = result.amount * (-1.0 if result.invert else 1.0)
        plain = replace(result, amount=1.0, centre=0.5, invert=False)
        name = f"LFO {WAVES[result.wave].label.lower()}"
        self.made.emit(LayerKind.LFO, name, amount, {"lfo": plain})

    def show_layer(self, layer: Layer) -> None:
        """Show a layer's settings."""
        lfo, amount = layer.lfo, layer.amount
        assert lfo is not None
        pick(self.wave, f"{PATTERN}{lfo.pattern.name}" if lfo.pattern else lfo.wave)
        texts = {
            "rate": lfo.rate.text,
            "rate_end": lfo.rate_end.text if lfo.rate_end else "",
            "soften": f"{1000 * lfo.soften:g} ms",
            "amount": f"{100 * abs(amount):g} %",
            "amount_end": "",
        }
        if lfo.amount_way is not None:
            ends = (float(lfo.amount_way.value[i]) for i in (0, -1))
            low, high = (abs(amount) * (2.0 * v - 1.0 if lfo.both_ways else v) for v in ends)
            texts |= {"amount": f"{100 * low:g} %", "amount_end": f"{100 * high:g} %"}
        self.fields.fill(lfo, texts)
        self.seed.keep(lfo.seed)
        self._show_wave()
        self.invert.setChecked(amount < 0.0)
        pick(self.on, None)
