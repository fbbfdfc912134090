"""The Movement panel: LFOs and randomness, seen before they are written, and layers."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from zolvek.core import layers, spans
from zolvek.core import lfo as lfos
from zolvek.core.curve import Curve, curve
from zolvek.core.errors import ZolvekError
from zolvek.core.layer import Layer
from zolvek.core.randomness import KINDS as RANDOM_KINDS
from zolvek.core.randomness import SPREADS, RandomMove, humanised, jittered, randomised
from zolvek.core.units import read
from zolvek.formats import pattern_library
from zolvek.studio import commands
from zolvek.studio.rail.field_grid import Field, FieldGrid
from zolvek.studio.session import NONE_CHOSEN, Session
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

LAYER = Qt.ItemDataRole.UserRole
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
    def __init__(self, session: Session, actions: Callable[[str], QAction]) -> None:
        super().__init__()
        self.session = session
        self.page = "LFO"
        self.adjusting: str | None = None  # the layer whose settings are on a page
        self.random_seed = SeedEntry("Seed of the random movement", self.changed)
        self.hand_seed = SeedEntry("Seed of the hand", self.changed)
        layout = column(self)
        layout.setSpacing(5)
        layout.addWidget(heading("Movement"))
        self.pages = Pages(
            {
                "LFO": self._lfo_page(),
                "Random": self._random_page(),
                "By hand": self._hand_page(),
                "Layers": self._layers_page(),
            },
            across=2,
        )
        layout.addWidget(self.pages, 1)
        for name, made in self.pages.buttons.items():
            made.clicked.connect(lambda _, n=name: self.show_page(n))
        self.counted = note()
        layout.addWidget(self.counted)
        for signal in (session.focus_changed, session.project_changed, session.span_changed):
            signal.connect(self.refresh)
        self.show_page("LFO")

    def show_page(self, text: str) -> None:
        self.session.show_preview(None)
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
        if self.session.preview is not None:
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

    def _layers_page(self) -> QWidget:
        page, layout = self._page()
        self.list = QListWidget()
        self.list.setAccessibleName("Layers of the lane")
        self.list.setMinimumHeight(96)
        self.list.itemChanged.connect(self._toggle)
        self.list.currentItemChanged.connect(lambda *_: self._show_layer())
        layout.addWidget(self.list, 1)
        self.amount = Entry("Amount of the layer", self._type_amount, "−200 to 200 %")
        line = QHBoxLayout()
        line.addWidget(field_label("Amount"))
        line.addWidget(self.amount, 1)
        self.solo = QCheckBox("Solo")
        self.solo.clicked.connect(lambda on: self._change("Solo the layer", solo=on))
        line.addWidget(self.solo)
        layout.addLayout(line)
        self.draw = button(
            "Draw on it", self._draw, tip="All the tools of Draw and Shape, on this layer"
        )
        self.draw.setCheckable(True)
        for row in (
            (("+ Offset", lambda: self._add("offset"), "A curve added to the base"),
             ("+ Scale", lambda: self._add("scale"), "A curve that the base is multiplied by")),
            (("Earlier", lambda: self._move(-1), "Applied earlier"), ("Later", lambda: self._move(1), "Applied later")),
            (("Adjust", self._adjust, "Its settings on the page they came from"), ("Remove", self._remove, "")),
            (("Share…", self._share, "The same movement on another lane, with an amount of its own"), (None, None, "")),
            (("Bake it", lambda: self._bake(False), "Written into the base as points"),
             ("Bake all", lambda: self._bake(True), "All layers, over the selected span or all")),
        ):  # fmt: skip
            line = QHBoxLayout()
            for text, work, tip in row:
                line.addWidget(
                    self.draw if text is None else button(text, work, text == "Bake all", tip)
                )
            layout.addLayout(line)
        self.edge = choice([("Beyond the reach: clip", False), ("Beyond the reach: fit", True)], "At the reach's edge",
                           self._set_fit)  # fmt: skip
        layout.addWidget(self.edge)
        self.tolerance = Entry(
            "Tolerance of baking", lambda text: read(text, "%") is not None, "Of the lane's height"
        )
        self.tolerance.setText("0.2 %")
        line = QHBoxLayout()
        line.addWidget(field_label("Bake within"))
        line.addWidget(self.tolerance, 1)
        layout.addLayout(line)
        return page

    # --- what is set ---

    @property
    def span(self) -> tuple[float, float]:
        first, last, _ = commands.scope(self.session)
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
            unit = (
                Curve(
                    own.curve.beat / own.length, own.curve.value, own.curve.shape, own.curve.amount
                )
                if own
                else None
            )
            made = replace(made, rate_end=rate_end, by_equal_steps=way == EQUAL, rate_way=unit)
        if amount_end is not None:
            most = max(abs(made.amount), abs(amount_end), 1e-9)
            way_up = curve(
                [(0.0, min(abs(made.amount) / most, 1.0)), (1.0, min(abs(amount_end) / most, 1.0))]
            )
            made = replace(made, amount=min(most, 1.0), amount_way=way_up)
        before = self.session.last_lfo.get(self.session.focus or "")
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
        lane = commands.focus(session)
        first, last = self.span
        tempo = session.project.tempo
        if self.page == "LFO":
            made = lfos.as_curve(self.made_lfo(), first, last, tempo)
            put = Curve(made.beat - first, made.value, made.shape, made.amount)
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
            session.grid.step_at(self.span[0], session.project.meter)
            if self.on_grid.isChecked()
            else None
        )
        if session.chosen.size:
            which = session.chosen
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
            self.session.show_preview(made)
            inside = (made.beat >= self.span[0]) & (made.beat <= self.span[1])
            self.counted.setText(f"{int(inside.sum())} points. Esc gives it up.")

        return self.session.try_to(work)

    def write(self) -> None:
        def work() -> None:
            session = self.session
            first, last = self.span
            if self.page == "LFO":
                lfo = self.made_lfo()
                count = lfos.points_wanted(lfo, first, last, session.project.tempo)
                if (lfo.rate.fast or count > MANY_POINTS) and not self.window().confirm(  # type: ignore[union-attr]
                    f"That writes about {count:,} points.",
                    "A rate past a 1/128 note or 100 Hz is rarely heard as movement.",
                ):
                    return
            made = self.result()
            session.show_preview(None)
            labels = {"LFO": "Write an LFO", "Random": "Randomise"}
            label = labels.get(
                self.page, "Jitter" if self.hand.currentData() == "jitter" else "Humanise"
            )
            session.edit_curve(label, made, NONE_CHOSEN)
            if self.page == "LFO" and session.focus:
                session.last_lfo[session.focus] = (lfo, first, last)

        self.session.try_to(work)

    def _own(self) -> Any:
        lane = self.session.own_lane
        if lane is None:
            raise ZolvekError("There is no lane to work on.", remedy="Touch a control and press A.")
        if lane.locked:
            raise ZolvekError("The lane is locked.", remedy="Unlock it first.")
        return lane

    def _span_of_layer(self) -> tuple[float, float | None]:
        return self.session.span if self.session.span else (0.0, None)

    def lfo_layer(self) -> None:
        def work() -> None:
            made = self.made_lfo()
            amount = made.amount * (-1.0 if made.invert else 1.0)
            plain = replace(made, amount=1.0, centre=0.5, invert=False)
            self._put("lfo", f"LFO {lfos.WAVES[made.wave].label.lower()}", amount, lfo=plain)

        self.session.try_to(work)

    def random_layer(self) -> None:
        def work() -> None:
            move, amount = self.made_random()
            self._put(
                "random", f"Random, {RANDOM_KINDS[move.kind][0].lower()}", amount, random=move
            )

        self.session.try_to(work)

    def _put(self, kind: str, name: str, amount: float, **movement: Any) -> None:
        """A new layer, or new settings for the one that is being adjusted."""
        session, lane = self.session, self._own()
        session.show_preview(None)
        first, last = self._span_of_layer()
        old = next((x for x in lane.layers if x.id == self.adjusting and x.kind == kind), None)
        self.adjusting = None
        if old is not None:
            layer = replace(old, amount=amount, name=name, **movement)
        else:
            layer = Layer(layers.free_layer_id(lane), kind, name, first, last, amount, **movement)
        session.edit(f"Layer: {name}", layers.with_layer(session.project, lane.id, layer))
        self.show_page("Layers")
        self._choose(layer.id)

    def _add(self, kind: str) -> None:
        def work() -> None:
            self._put(kind, "", 0.5, curve=layers.rest_curve())
            self._draw()

        self.session.try_to(work)

    # --- the list of layers ---

    def refresh(self) -> None:
        session = self.session
        lane = session.own_lane
        count = len(lane.layers) if lane else 0
        self.pages.buttons["Layers"].setText(f"Layers ({count})" if count else "Layers")
        if session.preview is None:
            name = ""
            if lane is not None and not lane.locked:
                first, last, name = commands.scope(session)
                text = session.project.meter.text
                name = f"Works on {name}, {text(first)} to {text(last)}."
            self.counted.setText(name)
        self._list(lane)

    def _list(self, lane: Any) -> None:
        chosen = self.chosen
        self.list.blockSignals(True)
        self.list.clear()
        for layer in lane.layers if lane else ():
            drawing = "   (drawn on)" if layer.id == self.session.layer else ""
            solo = "   solo" if layer.solo else ""
            shared = "   shared" if layer.shared else ""
            text = f"{layer.label}  {100 * layer.amount:+.0f} %{solo}{shared}{drawing}".replace(
                "-", "−"
            )
            item = QListWidgetItem(text)
            item.setData(LAYER, layer.id)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if layer.on else Qt.CheckState.Unchecked)
            self.list.addItem(item)
        self.list.blockSignals(False)
        self._choose(chosen)
        if lane is not None:
            pick(self.edge, lane.fit)
        self._show_layer()

    @property
    def chosen(self) -> str | None:
        item = self.list.currentItem()
        return item.data(LAYER) if item else None

    def _choose(self, key: str | None) -> None:
        rows = [self.list.item(i) for i in range(self.list.count())]
        for place, item in enumerate(rows):
            if item is not None and (
                item.data(LAYER) == key or (key is None and place == len(rows) - 1)
            ):
                self.list.setCurrentRow(place)

    @property
    def layer(self) -> Layer | None:
        lane = self.session.own_lane
        return next((x for x in lane.layers if x.id == self.chosen), None) if lane else None

    def _show_layer(self) -> None:
        layer = self.layer
        for widget in (self.amount, self.solo):
            widget.setEnabled(layer is not None)
        drawable = layer is not None and layer.curve is not None
        self.draw.setEnabled(drawable)
        self.draw.setChecked(drawable and layer is not None and self.session.layer == layer.id)
        if layer is not None:
            self.amount.show_text(f"{100 * layer.amount:+.1f} %".replace("-", "−"))
            self.solo.setChecked(layer.solo)

    def _change(self, label: str, **changes: Any) -> None:
        def work() -> None:
            lane, layer = self._own(), self.layer
            if layer is not None:
                project = layers.with_layer(
                    self.session.project, lane.id, replace(layer, **changes)
                )
                self.session.edit(label, project)

        self.session.try_to(work)

    def _toggle(self, item: QListWidgetItem) -> None:
        self.list.setCurrentItem(item)
        on = item.checkState() == Qt.CheckState.Checked
        self._change("Layer on" if on else "Layer off", on=on)

    def _type_amount(self, text: str) -> bool:
        number = read(text, "%")
        if number is None or not abs(number) <= 200.0:
            return False
        self._change(f"Layer at {text}", amount=number / 100.0)
        return True

    def _move(self, by: int) -> None:
        lane, layer = self.session.own_lane, self.layer
        if lane is not None and layer is not None:
            self.session.edit(
                "Move the layer",
                commands.with_own(self.session, layers.moved_layer(lane, layer.id, by)),
            )

    def _remove(self) -> None:
        lane, layer = self.session.own_lane, self.layer
        if lane is not None and layer is not None:
            made = layers.without_layer(lane, layer.id)
            self.session.edit(
                f"Remove the layer {layer.label}", commands.with_own(self.session, made)
            )

    def _draw(self) -> None:
        layer = self.layer
        if layer is not None and layer.curve is not None:
            self.session.draw_on(None if self.session.layer == layer.id else layer.id)
            self.refresh()

    def _adjust(self) -> None:
        """The layer's settings on the page they came from; writing it as a layer changes this one."""
        layer = self.layer
        if layer is None:
            return
        if layer.lfo is not None:
            self._show_lfo(layer.lfo, layer.amount)
            self.show_page("LFO")
        elif layer.random is not None:
            self._show_random(layer.random, layer.amount)
            self.show_page("Random")
        else:
            self._draw()
            return
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

    def _set_fit(self, fit: object) -> None:
        lane = self.session.own_lane
        if lane is not None and lane.fit != fit:
            made = commands.with_own(self.session, replace(lane, fit=bool(fit)))
            self.session.edit(
                "Fit layers into the reach" if fit else "Clip layers at the reach", made
            )

    def _share(self) -> None:
        """Ask for another lane and an amount there."""
        layer = self.layer
        if layer is not None:
            self.window().share_layer(layer.id)  # type: ignore[union-attr]

    def _bake(self, everything: bool) -> None:
        def work() -> None:
            session, lane = self.session, self._own()
            chosen = None if everything or self.layer is None else [self.layer.id]
            tolerance = (read(self.tolerance.text(), "%") or 0.2) / 100.0
            done = layers.baked(lane, session.project.tempo, session.project.length, chosen, session.span,
                                min(max(tolerance, 1e-5), 0.5))  # fmt: skip
            session.draw_on(None)
            session.edit(
                "Bake all layers" if everything else "Bake the layer",
                commands.with_own(session, done),
            )
            session.say(f"Baked into {len(done.curve)} points.")

        self.session.try_to(work)
