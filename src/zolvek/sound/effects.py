"""The stand-in effects: which library effect each is, and how its parameters are set.

The sound is pedalboard's; a row here maps a device's parameters to it. Each is run in pieces
of at most 64 frames and set anew for every piece, automated or not.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.sound.controls import COARSE, FINE, Controls
from zolvek.sound.mixing import level_gain, pan_gains, smoothed


def _filter() -> Any:
    from pedalboard import LadderFilter

    return LadderFilter(LadderFilter.Mode.LPF24, cutoff_hz=20_000.0)


def _filter_mode(value: float) -> Any:
    from pedalboard import LadderFilter

    mode = LadderFilter.Mode
    return (mode.LPF24, mode.HPF24, mode.BPF24)[int(value)]


def _delay() -> Any:
    from pedalboard import Delay

    return Delay()


def _percent(value: float) -> float:
    return value / 100.0


def _as_gain(value: float) -> float:
    return float(10.0 ** (value / 20.0))


@dataclass(frozen=True)
class LibraryEffect:
    """`make` gives a fresh effect; `sets` maps a parameter to the effect's own attribute and
    turns its real value into what that attribute takes."""

    make: Callable[[], Any]
    sets: dict[str, tuple[str, Callable[[float], Any]]]


EFFECTS: dict[str, LibraryEffect] = {
    "filter": LibraryEffect(
        _filter,
        {
            "mode": ("mode", _filter_mode),
            "cutoff": ("cutoff_hz", float),
            "resonance": ("resonance", _percent),
            "drive": ("drive", _as_gain),
        },
    ),
    "delay": LibraryEffect(
        _delay,
        {
            "time": ("delay_seconds", float),
            "feedback": ("feedback", _percent),
            "mix": ("mix", _percent),
        },
    ),
}


class Effect:
    """One library effect in a chain; keeps its state from stretch to stretch."""

    spacing = COARSE

    def __init__(self, kind: str, rate: int) -> None:
        self.row, self.rate = EFFECTS[kind], rate
        self.plugin = self.row.make()

    def process(self, sound: Floats, controls: Controls) -> Floats:
        """`sound` float (2, frames) through the effect."""
        moving = self._set(controls)
        source = np.ascontiguousarray(sound, np.float32)
        out = np.empty_like(source)
        cuts = controls.cuts.tolist()
        plugin, run, rate = self.plugin, self.plugin.process, self.rate
        for i, (start, end) in enumerate(zip(cuts, [*cuts[1:], source.shape[1]], strict=True)):
            for attribute, convert, values in moving:
                setattr(plugin, attribute, convert(values[i]))
            out[:, start:end] = run(source[:, start:end], rate, end - start, False)
        return out.astype(np.float64)

    def _set(self, controls: Controls) -> list[tuple[str, Callable[[float], Any], list]]:
        """Set what stands still; return what moves: attribute, conversion, a value a piece."""
        moving = []
        for key, (attribute, convert) in self.row.sets.items():
            values = controls.values(key).tolist()
            if len(values) > 1:
                moving.append((attribute, convert, values))
            else:
                setattr(self.plugin, attribute, convert(values[0]))
        return moving


class Strip:
    """Level, pan and mute at the end of a chain, a balance that leaves the middle alone."""

    spacing = FINE

    def __init__(self, kind: str, rate: int) -> None:
        self.rate, self.state = rate, -1.0

    def process(self, sound: Floats, controls: Controls) -> Floats:
        level = level_gain(controls.values("level")) * (1.0 - controls.values("mute"))
        frames = controls.stretch.frames
        gain, self.state = smoothed(controls.spread(level), frames, self.rate, self.state)
        sides = pan_gains(controls.values("pan") / 100.0) * np.sqrt(2.0)
        return sound * gain * controls.spread(np.minimum(sides, 1.0))


PROCESSORS: dict[str, type[Effect] | type[Strip]] = {
    "filter": Effect,
    "delay": Effect,
    "strip": Strip,
}
