# SPDX-License-Identifier: GPL-3.0-or-later
"""The stand-in effects. Each keeps its state from stretch to stretch.

The reverb is pedalboard's, run in pieces of at most 64 frames and set for every piece, automated or not.
The others are a line or two of arithmetic, here or next to.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Protocol

import numpy as np

from zolvek.core.arrays import Floats, distinct
from zolvek.core.records import Record
from zolvek.sound.effects.delay import Delay
from zolvek.sound.effects.modulation import Chorus, Phaser
from zolvek.sound.signal.automation import COARSE, FINE_FRAMES, Controls
from zolvek.sound.signal.filters import PASSES, bell, damping, high_shelf, low_shelf, svf, warped
from zolvek.sound.signal.mixing import level_gain, mixed, pan_gains, smoothed
from zolvek.sound.signal.phases import Phase


class Processor(Protocol):
    """`spacing`: frames between the control points it wants; `process`: sound float (2, frames)
    through it."""

    spacing: int
    sent: Floats | None  # what it sent of the last stretch to the tracks that take in sends

    def process(self, sound: Floats, controls: Controls) -> Floats:
        """Processed sound, float64 (2, frames)."""
        ...


def _library(name: str) -> Callable[[], Any]:
    def make() -> Any:
        import pedalboard

        return getattr(pedalboard, name)()

    return make


def _percent(value: float) -> float:
    return value / 100.0


class LibraryEffect(Record, frozen=True):
    """`make` gives a fresh effect; `sets` maps a parameter to the effect's own attribute and
    turns its real value into what that attribute takes; `wet` are the attributes that make it
    give nothing but its effect, for the dry sound is mixed in here."""

    make: Callable[[], Any]
    sets: dict[str, tuple[str, Callable[[float], Any]]]
    wet: dict[str, float]


LIBRARY: dict[str, LibraryEffect] = {
    "reverb": LibraryEffect(
        _library("Reverb"),
        {
            "size": ("room_size", _percent),
            "damping": ("damping", _percent),
            "width": ("width", _percent),
        },
        {"wet_level": 1.0, "dry_level": 0.0},
    ),
}


class Library:
    """One effect of the library, its dry sound mixed in here."""

    spacing = COARSE
    sent: Floats | None = None

    def __init__(self, kind: str, rate: int) -> None:
        self.row, self.rate = LIBRARY[kind], rate
        self.plugin = self.row.make()
        for attribute, value in self.row.wet.items():
            setattr(self.plugin, attribute, value)

    def process(self, sound: Floats, controls: Controls) -> Floats:
        """Sound through a library's effect, float64 (2, frames)."""
        moving = self._set(controls)
        source = np.ascontiguousarray(sound, np.float32)
        wet = np.empty_like(source)
        cuts = controls.cuts.tolist()
        plugin, run, rate = self.plugin, self.plugin.process, self.rate
        for i, (start, end) in enumerate(zip(cuts, [*cuts[1:], source.shape[1]], strict=True)):
            for attribute, convert, values in moving:
                setattr(plugin, attribute, convert(values[i]))
            wet[:, start:end] = run(source[:, start:end], rate, end - start, False)
        return mixed(sound, wet.astype(np.float64), controls)

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


class Filter:
    """The resonant filter: drive, then two poles."""

    spacing = FINE_FRAMES
    sent: Floats | None = None

    def __init__(self, kind: str, rate: int) -> None:
        self.rate, self.state = rate, np.zeros((2, 2))

    def process(self, sound: Floats, controls: Controls) -> Floats:
        """Filtered sound, float64 (2, frames)."""
        drive = controls.spread(level_gain(controls.values("drive")))
        if drive.max() > 1.0:
            sound = np.tanh(sound * drive) / np.sqrt(drive)
        g = controls.spread(warped(controls.values("cutoff"), self.rate))
        k = controls.spread(damping(controls.values("resonance") / 100.0))
        modes = controls.spread(controls.values("mode"))
        present = distinct(modes)
        out = np.zeros_like(sound)
        for mode in present:
            part, state = svf(sound, PASSES[int(mode)](g, k), self.state)
            out = part if len(present) == 1 else np.where(modes == mode, part, out)
        self.state = state
        return out


class Equaliser:
    """Low shelf, bell and high shelf, one after another."""

    spacing = FINE_FRAMES
    sent: Floats | None = None
    BANDS = (("low", low_shelf), ("mid", bell), ("high", high_shelf))

    def __init__(self, kind: str, rate: int) -> None:
        self.rate = rate
        self.states = {band: np.zeros((2, 2)) for band, _ in self.BANDS}

    def process(self, sound: Floats, controls: Controls) -> Floats:
        """Equalised sound, float64 (2, frames)."""
        for band, shape in self.BANDS:
            gain = controls.spread(controls.values(f"{band}-gain"))
            if np.any(gain) or np.any(self.states[band]):
                g = controls.spread(warped(controls.values(f"{band}-freq"), self.rate))
                k = controls.spread(1.0 / controls.values(f"{band}-q"))
                sound, self.states[band] = svf(sound, shape(g, k, gain), self.states[band])
        return sound


class Drive:
    """Soft saturation; `output` makes up for what it adds."""

    spacing = FINE_FRAMES
    sent: Floats | None = None

    def __init__(self, kind: str, rate: int) -> None:
        pass

    def process(self, sound: Floats, controls: Controls) -> Floats:
        """Saturated sound, float64 (2, frames)."""
        gain = controls.spread(level_gain(controls.values("drive")))
        output = controls.spread(level_gain(controls.values("output")))
        return mixed(sound, np.tanh(sound * gain) * output, controls)


class BitReducer:
    """Each sample held as long as the lower rate says, and rounded to so many bits."""

    spacing = FINE_FRAMES
    sent: Floats | None = None

    def __init__(self, kind: str, rate: int) -> None:
        self.phase, self.last = Phase("rate", FINE_FRAMES, rate), np.zeros((2, 1))

    def process(self, sound: Floats, controls: Controls) -> Floats:
        """Sound of fewer bits and a lower rate, float64 (2, frames)."""
        frames = sound.shape[1]
        begins, phase = self.phase.through(controls, 1.0)
        taken = np.floor(phase) > np.floor(np.concatenate(([begins], phase[:-1])))
        # Where nothing is taken the last sample taken stays; place 0 is that of the stretch before.
        latest = np.maximum.accumulate(np.where(taken, np.arange(1, frames + 1), 0))
        held = np.concatenate((self.last, sound), axis=1)[:, latest]
        self.last = held[:, -1:]
        levels = np.exp2(controls.spread(controls.values("bits")) - 1.0)
        return mixed(sound, np.round(held * levels) / levels, controls)


class Width:
    """The sides against the middle, and a gain."""

    spacing = FINE_FRAMES
    sent: Floats | None = None

    def __init__(self, kind: str, rate: int) -> None:
        pass

    def process(self, sound: Floats, controls: Controls) -> Floats:
        """Sound of another width and gain, float64 (2, frames)."""
        middle, side = 0.5 * (sound[0] + sound[1]), 0.5 * (sound[0] - sound[1])
        side = side * controls.spread(controls.values("width")) / 100.0
        gain = controls.spread(level_gain(controls.values("gain")))
        return np.stack((middle + side, middle - side)) * gain


class Tremolo:
    """A sine takes up to `depth` of the level away; with the sides apart, one against the other."""

    spacing = FINE_FRAMES
    sent: Floats | None = None

    def __init__(self, kind: str, rate: int) -> None:
        self.phase = Phase("rate", FINE_FRAMES, rate)

    def process(self, sound: Floats, controls: Controls) -> Floats:
        """Sound whose level moves, float64 (2, frames)."""
        _, phase = self.phase.through(controls)
        depth = controls.spread(controls.values("depth")) / 100.0
        apart = controls.spread(controls.values("sides")) / 200.0
        gains = [1.0 - depth * (0.5 + 0.5 * np.sin(2 * np.pi * (phase + shift))) for shift in (0.0, apart)]
        return sound * np.stack(gains)


class Strip:
    """Level, pan and mute at the end of a chain, a balance that leaves the middle alone; `sent`
    is what went to the tracks that take in sends."""

    spacing = FINE_FRAMES

    def __init__(self, kind: str, rate: int) -> None:
        self.rate, self.state, self.send_state = rate, -1.0, -1.0
        self.sent: Floats | None = None

    def process(self, sound: Floats, controls: Controls) -> Floats:
        """Sound at its level and pan, float64 (2, frames)."""
        level = level_gain(controls.values("level")) * (1.0 - controls.values("mute"))
        frames = controls.stretch.frames
        gain, self.state = smoothed(controls.spread(level), frames, self.rate, self.state)
        sides = pan_gains(controls.values("pan") / 100.0) * np.sqrt(2.0)
        out = sound * gain * controls.spread(np.minimum(sides, 1.0))
        send = level_gain(controls.values("send"))
        share, self.send_state = smoothed(controls.spread(send), frames, self.rate, self.send_state)
        self.sent = out * share if share.any() else None
        return out


PROCESSORS: dict[str, Callable[[str, int], Processor]] = {
    **dict.fromkeys(LIBRARY, Library),
    "delay": Delay,
    "chorus": Chorus,
    "phaser": Phaser,
    "filter": Filter,
    "eq": Equaliser,
    "drive": Drive,
    "crush": BitReducer,
    "width": Width,
    "tremolo": Tremolo,
    "strip": Strip,
}
