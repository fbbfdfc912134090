# SPDX-License-Identifier: GPL-3.0-or-later
"""A layer: a movement on top of a lane's base curve, adjustable until it is baked."""

from __future__ import annotations

from enum import StrEnum

from zolvek.core.curve.curve import Curve
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import Amount, Beat, Seconds
from zolvek.core.movement.generators.lfo import Lfo
from zolvek.core.movement.generators.randomness import RandomMove
from zolvek.core.records import Record


class LayerKind(StrEnum):
    """What a layer is made of; its values are those of the project file."""

    LFO = "lfo"
    RANDOM = "random"
    OFFSET = "offset"
    SCALE = "scale"


# Kind -> what it is called, and how far it takes the base at amount 1 for a curve value of 1,
# seen from the middle: an LFO spans the full height, an offset may go all the way either way.
LAYER_KINDS: dict[str, tuple[str, float]] = {
    LayerKind.LFO: ("LFO", 1.0),
    LayerKind.RANDOM: ("Random", 2.0),
    LayerKind.OFFSET: ("Offset", 2.0),
    LayerKind.SCALE: ("Scale", 2.0),
}


class Layer(Record, frozen=True):
    """`kind` of the table, with its `lfo`, `random` movement or `curve` (values 0..1, where ½
    changes nothing; beats of the project).

    It works from beat `first` to `last` (None: to the end) but for `gaps`, with `amount` −2..2
    times `amount_way` (a curve over the project's beats; 0..1 stands for −100..100 %). While any
    layer of a lane is `solo`, only those are heard. Layers of lanes that bear one `shared` mark
    hold the same movement, each with its own amount. Of an LFO or a random movement that has been cut,
    `lead` and `rest` are what of it lies hidden before `first` and after `last`: beats, or seconds where
    its rate is one of seconds.
    """

    id: str
    kind: str
    name: str = ""
    first: Beat = 0.0
    last: Beat | None = None
    amount: Amount = 1.0
    amount_way: Curve | None = None
    on: bool = True
    solo: bool = False
    shared: str = ""
    lfo: Lfo | None = None
    random: RandomMove | None = None
    curve: Curve | None = None
    gaps: tuple[tuple[Beat, Beat], ...] = ()
    lead: Seconds = 0.0
    rest: Seconds = 0.0

    @property
    def timed(self) -> bool:
        """Whether its rate is one of seconds."""
        rate = self.lfo.rate if self.lfo is not None else self.random.every if self.random else None
        return rate is not None and rate.timed

    def __post_init__(self) -> None:
        content = {str(LayerKind.LFO): self.lfo, str(LayerKind.RANDOM): self.random}.get(self.kind, self.curve)
        faults = (
            (self.kind not in LAYER_KINDS, f"There is no layer type “{self.kind}”."),
            (content is None, "The layer holds no movement."),
            (
                not (self.last is None or self.last > self.first),
                "The layer's span is empty.",
            ),
        )
        for wrong, what in faults:
            if wrong:
                raise ZolvekError(what, f"layer {self.id}", "Change it there.")

    @property
    def label(self) -> str:
        """Its name, or that of its kind."""
        return self.name or LAYER_KINDS[self.kind][0]
