"""The Movement panel: LFOs and randomness, seen before they are written, and layers."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
from PyQt6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from zolvek.core.curve import spans
from zolvek.core.curve.building import curve
from zolvek.core.curve.curve import Curve
from zolvek.core.model.layer import Layer
from zolvek.core.movement import layers
from zolvek.core.movement import lfo as lfos
from zolvek.core.movement.randomness import KINDS as RANDOM_KINDS
from zolvek.core.movement.randomness import SPREADS, RandomMove, humanised, jittered, randomised
from zolvek.formats import pattern_library
from zolvek.studio.commands.scope import scope, target
from zolvek.studio.context import Studio
from zolvek.studio.rail.field_grid import Field, FieldGrid
from zolvek.studio.rail.layers_page import LayersPage, lane_to_change
from zolvek.studio.session import NONE_CHOSEN
from zolvek.studio.widgets import (
    Entry,
    Pages,
    SeedEntry,
    button,
    choice,
    column,
    field_label,
    heading,
    note,
    page_layout,
    pick,
)

MANY_POINTS = 20_000  # from which on a person is asked first
EVEN, EQUAL = "", "equal"  # ways that a rate changes by; any other is a pattern's name


LFO_FIELDS = (
    Field("rate", "Rate", "1/4", "rate", "A cycle: 1/8, 1/4t, 2 bars, 0.5 s, 3 Hz"),
    Field(
        "rate_end",
        "Rate at the end",
        "",
        "rate",
        "Empty: it stays; else it goes there over the span",
    ),
    Field("amount", "Amount", "60 %", "%", "Of the lane's height, from lowest to highest"),
    Field(
        "amount_end",
        "Amount at the end",
        "",
        "%",
        "Empty: it stays; else it goes there over the span",
    ),
    Field("centre", "Centre", "50 %", "%", "About which it moves"),
    Field("phase", "Phase", "0 %", "%", "Of a cycle; a sine is at its centre, rising, at 0"),
    Field("width", "Width", "50 %", "%", "How long a pulse is high"),
    Field("skew", "Skew", "0 %", "%", "How far the middle of the cycle is late; negative early"),
    Field("smooth", "Smoothing", "0 %", "%", "Rounds jumps and corners"),
    Field("soften", "Soft edges", "0 ms", "s", "How long a jump takes"),
)
RANDOM_FIELDS = (
    Field("every", "Every", "1/8", "rate", "How often a new value comes: 1/8, 2 bars, 0.5 s"),
    Field("amount", "Amount", "10 %", "%", "How far it may go from the curve, either way"),
    Field("offset", "Offset", "0 %", "%", "Moves the middle of the new values: −100 to 100 %"),
    Field("density", "Density", "100 %", "%", "How often there really is a new one"),
    Field("smoothness", "Smoothness", "0 %", "%", "Rounds steps, evens out the others"),
    Field(
        "levels",
        "Levels",
        "0 25 50 75 100",
        "list",
        "Percent of the height, for the spread “A few levels”",
    ),
)
JITTER_FIELDS = (
    Field("value", "In value", "3 %", "%", "How far values may move, either way"),
    Field("time", "In time", "10 ms", "s", "How far points may move, never past a neighbour"),
)
HAND_FIELDS = (Field("strength", "Strength", "50 %", "%", "How unsteady the hand is"),)


class MovementPanel(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        session = studio.session
        self.studio = studio
        self.session = session
        self.page = "LFO"
        self.adjusting: str | None = None  # the layer whose settings are on a page
        self.random_seed = SeedEntry("Seed of the random movement", self.changed)
        self.hand_seed = SeedEntry("Seed of the hand", self.changed)
        self.layers = LayersPage(studio)
        # Document and lane -> the LFO that was written to it last, and where.
        self.written: dict[tuple[object, str | None], tuple[lfos.Lfo, float, float]] = {}
        self.layers.wanted.connect(self.add_layer)
        self.layers.adjusted.connect(self._adjust)
        layout = column(self)
        layout.setSpacing(5)
        layout.addWidget(heading("Movement"))
        self.pages = Pages(
            {
                "LFO": self._lfo_page(),
                "Random": self._random_page(),
                "By hand": self._hand_page(),
                "Layers": self.layers,
            },
            across=2,
        )
        layout.addWidget(self.pages, 1)
        for name, made in self.pages.buttons.items():
            made.clicked.connect(lambda _, n=name: self.show_page(n))
        self.counted = note()
        layout.addWidget(self.counted)
        for signal in (session.focus.changed, session.document.changed, session.span.changed):
            signal.connect(self.refresh)
        self.show_page("LFO")

    def show_page(self, text: str) -> None:
        self.session.preview.show(None)
        self.page = text
        self.pages.show_page(text)
        self.refresh()

    def _page(self) -> tuple[QWidget, QVBoxLayout]:
        page = QWidget()
        return page, page_layout(page)

    def _finish(self, layout: QVBoxLayout, as_layer: Callable[[], None] | None) -> None:
        """Preview, write, and put on as a layer."""
        line = QHBoxLayout()
        preview = button(
            "Preview", self.preview, tip="Over the ghost of what is there; heard, if it plays"
        )
        write = button("Write", self.write, True, "Write it to the lane as points, as one step")
        for made in (preview, write):
            line.addWidget(made)
        layout.addLayout(line)
        if as_layer is not None:
            layout.addWidget(
                button("Put on as a layer", as_layer, tip="It stays adjustable until it is baked")
            )
        layout.addStretch(1)

    # --- pages ---

    def _lfo_page(self) -> QWidget:
        page, layout = self._page()
        rows = [(wave.label, key) for key, wave in lfos.WAVES.items() if key != "pattern"]
        self.wave = choice(rows, "Wave", lambda _: self.changed())
        self._add_patterns(self.wave, "pattern:")
        layout.addWidget(self.wave)
        self.lfo = FieldGrid("LFO", LFO_FIELDS, self.changed)
        layout.addWidget(self.lfo)
        self.way = choice([("The rate changes in octaves", EVEN), ("The rate changes in equal steps", EQUAL)],
                          "How the rate changes", lambda _: self.changed())  # fmt: skip
        self._add_patterns(self.way, "")
        layout.addWidget(self.way)
        self.invert = QCheckBox("Upside down")
        self.on = QCheckBox("In phase with the last LFO")
        for box in (self.invert, self.on):
            box.clicked.connect(lambda _: self.changed())
            layout.addWidget(box)
        self._finish(layout, self.lfo_layer)
        return page

    def _add_patterns(self, box: Any, prefix: str) -> None:
        self.patterns = {pattern.name: pattern for pattern in pattern_library.load_all()[0]}
        for name in self.patterns:
            box.addItem(f"Pattern: {name}", f"{prefix}{name}")

    def _random_page(self) -> QWidget:
        page, layout = self._page()
        self.kind = choice([(label, key) for key, (label, _) in RANDOM_KINDS.items()], "Kind of movement",
                           lambda _: self.changed())  # fmt: skip
        self.spread = choice(
            [(label, key) for key, label in SPREADS.items()], "Spread", lambda _: self.changed()
        )
        for label, box in (("New values as", self.kind), ("Spread", self.spread)):
            layout.addWidget(field_label(label))
            layout.addWidget(box)
        self.random = FieldGrid("Random", RANDOM_FIELDS, self.changed)
        layout.addWidget(self.random)
        self.follow = QCheckBox("Follow what is there")
        self.follow.setChecked(True)
        self.follow.clicked.connect(lambda _: self.changed())
        layout.addWidget(self.follow)
        layout.addLayout(self._seed_row(self.random_seed))
        self._finish(layout, self.random_layer)
        return page

    def _hand_page(self) -> QWidget:
        page, layout = self._page()
        self.hand = choice([("Humanise: a hand's small sway", "humanise"), ("Jitter the points that are there", "jitter")],
                           "What a hand does", lambda _: self._hand_fields())  # fmt: skip
        layout.addWidget(self.hand)
        self.humanise = FieldGrid("Humanise", HAND_FIELDS, self.changed)
        self.jitter = FieldGrid("Jitter", JITTER_FIELDS, self.changed)
        self.on_grid = QCheckBox("Points stay on the grid")
        self.on_grid.clicked.connect(lambda _: self.changed())
        for widget in (self.humanise, self.jitter, self.on_grid):
            layout.addWidget(widget)
        layout.addLayout(self._seed_row(self.hand_seed))
        self._finish(layout, None)
        self._hand_fields()
        return page

    def _hand_fields(self) -> None:
        jitter = self.hand.currentData() == "jitter"
        self.humanise.setVisible(not jitter)
        self.jitter.setVisible(jitter)
        self.on_grid.setVisible(jitter)
        if self.session.preview.curve is not None:
            self.changed()

    def _seed_row(self, entry: SeedEntry) -> QHBoxLayout:
        """The seed: shown, typed, or rolled anew."""
        line = QHBoxLayout()
        line.addWidget(field_label("Seed"))
        line.addWidget(entry, 1)
        line.addWidget(button("Roll", lambda: self._roll(entry), tip="Another one"))
        return line

    def _roll(self, entry: Entry) -> None:
        entry.setText(str(int(np.random.default_rng().integers(1, 1_000_000))))
        self.changed(True)

    # --- what is set ---

    @property
    def span(self) -> tuple[float, float]:
        first, last, _ = scope(self.session)
        return first, min(last, max(self.session.project.length, first + 1e-3))

    def made_lfo(self) -> lfos.Lfo:
        """The LFO as it is set. Raises ZolvekError naming what can't be read."""
        values = self.lfo.values()
        rate_end, amount_end = values.pop("rate_end"), values.pop("amount_end")
        given = {key: value for key, value in values.items() if value is not None}
        wave = str(self.wave.currentData())
        pattern = (
            self.patterns.get(wave.removeprefix("pattern:"))
            if wave.startswith("pattern:")
            else None
        )
        made = lfos.Lfo(
            "pattern" if pattern else wave, pattern=pattern, invert=self.invert.isChecked(), **given
        )
        way = str(self.way.currentData())
        if rate_end is not None:
            own = self.patterns.get(way)
            unit = own.curve.having(beat=own.curve.beat / own.length) if own else None
            made = replace(made, rate_end=rate_end, by_equal_steps=way == EQUAL, rate_way=unit)
        if amount_end is not None:
            most = max(abs(made.amount), abs(amount_end), 1e-9)
            way_up = curve(
                [(0.0, min(abs(made.amount) / most, 1.0)), (1.0, min(abs(amount_end) / most, 1.0))]
            )
            made = replace(made, amount=min(most, 1.0), amount_way=way_up)
        before = self.written.get((self.session.document.opened, self.session.focus.id))
        if self.on.isChecked() and before is not None:
            cycles = lfos.Cycles(*before, self.session.project.tempo)
            phase = float(cycles.gone(np.array(self.span[0])))
            made = replace(
                made, phase=phase % 1.0 if pattern or lfos.WAVES[made.wave].corners else phase
            )
        return made

    def made_random(self) -> tuple[RandomMove, float]:
        values = self.random.values()
        amount = values.pop("amount") or 0.0
        given = {key: value for key, value in values.items() if value is not None}
        move = RandomMove(str(self.kind.currentData()), spread=str(self.spread.currentData()),
                          seed=self.random_seed.number(), **given)  # fmt: skip
        return move, min(max(amount, 0.0), 1.0)

    def result(self) -> Curve:
        """The lane's curve as it would be. Raises ZolvekError when that can't be made."""
        session = self.session
        lane = target(session)
        first, last = self.span
        tempo = session.project.tempo
        if self.page == "LFO":
            made = lfos.as_curve(self.made_lfo(), first, last, tempo)
            put = made.shifted(-first)
        elif self.page == "Random":
            move, amount = self.made_random()
            put = randomised(lane.curve, first, last, move, amount, tempo, self.follow.isChecked())
        elif self.hand.currentData() == "jitter":
            return self._jittered(lane.curve)
        else:
            strength = self.humanise.values()["strength"] or 0.0
            put = humanised(lane.curve, first, last, min(strength, 1.0), self.hand_seed.number())
        return spans.splice(lane.curve, first, put, last)

    def _jittered(self, drawn: Curve) -> Curve:
        session = self.session
        values = self.jitter.values()
        bpm = float(session.project.tempo.bpm(self.span[0]))
        beats = (values["time"] or 0.0) * bpm / 60.0
        step = (
            session.tools.grid.step_at(self.span[0], session.project.meter)
            if self.on_grid.isChecked()
            else None
        )
        if session.points.chosen.size:
            which = session.points.chosen
        else:
            which = np.flatnonzero((drawn.beat >= self.span[0]) & (drawn.beat <= self.span[1]))
        return jittered(drawn, which, values["value"] or 0.0, beats, self.hand_seed.number(), step)

    # --- what is done ---

    def changed(self, always: bool = False) -> None:
        """A setting has changed: the preview follows."""
        if self.isVisible() or always:
            self.preview()

    def preview(self) -> bool:
        def work() -> None:
            made = self.result()
            self.session.preview.show(made)
            inside = (made.beat >= self.span[0]) & (made.beat <= self.span[1])
            self.counted.setText(f"{int(inside.sum())} points. Esc gives it up.")

        return self.session.notices.try_to(work)

    def write(self) -> None:
        def work() -> None:
            session = self.session
            first, last = self.span
            if self.page == "LFO":
                lfo = self.made_lfo()
                count = lfos.points_wanted(lfo, first, last, session.project.tempo)
                if (lfo.rate.fast or count > MANY_POINTS) and not self.studio.ask.confirm(
                    f"That writes about {count:,} points.",
                    "A rate past a 1/128 note or 100 Hz is rarely heard as movement.",
                ):
                    return
            made = self.result()
            session.preview.show(None)
            labels = {"LFO": "Write an LFO", "Random": "Randomise"}
            label = labels.get(
                self.page, "Jitter" if self.hand.currentData() == "jitter" else "Humanise"
            )
            session.edit_curve(label, made, NONE_CHOSEN)
            if self.page == "LFO" and session.focus.id:
                self.written[(session.document.opened, session.focus.id)] = (lfo, first, last)

        self.session.notices.try_to(work)

    def _span_of_layer(self) -> tuple[float, float | None]:
        return self.session.span.beats if self.session.span.beats else (0.0, None)

    def lfo_layer(self) -> None:
        def work() -> None:
            made = self.made_lfo()
            amount = made.amount * (-1.0 if made.invert else 1.0)
            plain = replace(made, amount=1.0, centre=0.5, invert=False)
            self._put("lfo", f"LFO {lfos.WAVES[made.wave].label.lower()}", amount, lfo=plain)

        self.session.notices.try_to(work)

    def random_layer(self) -> None:
        def work() -> None:
            move, amount = self.made_random()
            self._put(
                "random", f"Random, {RANDOM_KINDS[move.kind][0].lower()}", amount, random=move
            )

        self.session.notices.try_to(work)

    def _put(self, kind: str, name: str, amount: float, **movement: Any) -> None:
        """A new layer, or new settings for the one that is being adjusted."""
        session, lane = self.session, lane_to_change(self.session)
        session.preview.show(None)
        first, last = self._span_of_layer()
        old = next((x for x in lane.layers if x.id == self.adjusting and x.kind == kind), None)
        self.adjusting = None
        if old is not None:
            layer = replace(old, amount=amount, name=name, **movement)
        else:
            layer = Layer(layers.free_layer_id(lane), kind, name, first, last, amount, **movement)
        session.document.edit(f"Layer: {name}", layers.with_layer(session.project, lane.id, layer))
        self.show_page("Layers")
        self.layers.choose(layer.id)

    def add_layer(self, kind: str) -> None:
        """A layer of a kind that is drawn, ready to be drawn on."""

        def work() -> None:
            self._put(kind, "", 0.5, curve=layers.rest_curve())
            self.layers.draw_on()

        self.session.notices.try_to(work)

    def refresh(self) -> None:
        session = self.session
        lane = session.lane
        count = len(lane.layers) if lane else 0
        self.pages.buttons["Layers"].setText(f"Layers ({count})" if count else "Layers")
        if session.preview.curve is None:
            name = ""
            if lane is not None and not lane.locked:
                first, last, name = scope(session)
                text = session.project.meter.text
                name = f"Works on {name}, {text(first)} to {text(last)}."
            self.counted.setText(name)
        self.layers.show_lane(lane)

    def _adjust(self, layer: Layer) -> None:
        """The layer's settings on the page they came from; writing it as a layer changes this one."""
        if layer.lfo is not None:
            self._show_lfo(layer.lfo, layer.amount)
            self.show_page("LFO")
        elif layer.random is not None:
            self._show_random(layer.random, layer.amount)
            self.show_page("Random")
        self.adjusting = layer.id
        self.counted.setText(f"“Put on as a layer” changes {layer.label}.")

    def _show_lfo(self, lfo: lfos.Lfo, amount: float) -> None:
        pick(self.wave, f"pattern:{lfo.pattern.name}" if lfo.pattern else lfo.wave)
        texts = {"rate": lfo.rate.text, "rate_end": lfo.rate_end.text if lfo.rate_end else "",
                 "soften": f"{1000 * lfo.soften:g} ms", "amount": f"{100 * abs(amount):g} %", "amount_end": ""}  # fmt: skip
        if lfo.amount_way is not None:
            low, high = (abs(amount) * float(lfo.amount_way.value[i]) for i in (0, -1))
            texts |= {"amount": f"{100 * low:g} %", "amount_end": f"{100 * high:g} %"}
        for field in LFO_FIELDS:
            text = texts.get(field.key)
            self.lfo.entries[field.key].setText(
                f"{100 * getattr(lfo, field.key):g} %" if text is None else text
            )
        self.invert.setChecked(amount < 0.0)
        self.on.setChecked(False)

    def _show_random(self, move: RandomMove, amount: float) -> None:
        pick(self.kind, move.kind)
        pick(self.spread, move.spread)
        texts = {"every": move.every.text, "amount": f"{100 * amount:g} %",
                 "levels": " ".join(f"{100 * v:g}" for v in move.levels)}  # fmt: skip
        for field in RANDOM_FIELDS:
            text = texts.get(field.key)
            self.random.entries[field.key].setText(
                f"{100 * getattr(move, field.key):g} %" if text is None else text
            )
        self.random_seed.setText(str(move.seed))
