# SPDX-License-Identifier: GPL-3.0-or-later
"""The stand-in drums: notes in, six voices out, each with its own level, pan, tune and decay."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from zolvek.core.arrays import Floats
from zolvek.sound.signal.automation import Controls
from zolvek.sound.signal.mixing import level_gain, pan_gains, smoothed
from zolvek.sound.signal.new_note import NewNote

# General MIDI level 1 percussion keys -> voice.
KEYS = {
    35: "kick", 36: "kick", 38: "snare", 40: "snare", 39: "clap", 42: "closed", 44: "closed",
    46: "open", 41: "tom", 43: "tom", 45: "tom", 47: "tom", 48: "tom", 50: "tom",
}  # fmt: skip
SILENT = 80.0 / 60.0  # decay times after which a hit is 80 dB down
CHOKE_SECONDS = 0.006

Noise = np.random.Generator


def _fall(t: Floats, decay: float) -> Floats:
    """From 1, 60 dB down after `decay` seconds."""
    return np.exp(t * (-6.9 / decay))


def _tone(t: Floats, hertz: float, rise: float, fall: float) -> Floats:
    """A sine that begins at (1 + rise) times its frequency and falls to it."""
    return np.sin(2 * np.pi * hertz * (t + rise * fall * (1.0 - np.exp(-t / fall))))


def _hiss(noise: Noise, count: int, steep: int) -> Floats:
    """Noise with its lows taken out by `steep` differences."""
    return np.diff(noise.uniform(-1.0, 1.0, count + steep), steep) / 2.0**steep * 1.6


def _kick(t: Floats, tune: float, decay: float, noise: Noise) -> Floats:
    click = _hiss(noise, len(t), 1) * np.exp(-t / 0.002)
    return _tone(t, 48.0 * tune, 3.2, 0.025) * _fall(t, decay) + 0.25 * click


def _snare(t: Floats, tune: float, decay: float, noise: Noise) -> Floats:
    body = _tone(t, 185.0 * tune, 0.4, 0.012) + 0.6 * np.sin(2 * np.pi * 331.0 * tune * t)
    return 0.5 * body * _fall(t, 0.55 * decay) + 0.6 * _hiss(noise, len(t), 1) * _fall(t, decay)


def _hat(t: Floats, tune: float, decay: float, noise: Noise) -> Floats:
    ratios = np.array([2.0, 3.0, 4.16, 5.43, 6.79, 8.21])[:, None]  # inharmonic, as metal is
    metal = np.sign(np.sin(2 * np.pi * 540.0 * tune * ratios * t)).mean(axis=0)
    bright = np.diff(metal, prepend=metal[:1])
    return (0.8 * bright + 0.5 * _hiss(noise, len(t), 2)) * _fall(t, decay)


def _clap(t: Floats, tune: float, decay: float, noise: Noise) -> Floats:
    bursts = sum(np.where(t >= at, np.exp(-(t - at) / 0.004), 0.0) for at in (0.0, 0.011, 0.021))
    tail = np.where(t >= 0.03, _fall(t - 0.03, decay), 0.0)
    ring = 0.6 + 0.4 * np.sin(2 * np.pi * 1_050.0 * tune * t)
    return _hiss(noise, len(t), 1) * ring * (0.8 * bursts + 0.7 * tail)


def _tom(t: Floats, tune: float, decay: float, noise: Noise) -> Floats:
    return _tone(t, 104.0 * tune, 0.55, 0.05) * _fall(t, decay)


VOICES: dict[str, Callable[[Floats, float, float, Noise], Floats]] = {
    "kick": _kick, "snare": _snare, "closed": _hat, "open": _hat, "clap": _clap, "tom": _tom,
}  # fmt: skip


@dataclass
class Hit:
    """A struck voice: its whole sound, and how much of it has been heard (negative: to come)."""

    sound: Floats
    heard: int


class Drums:
    """Keeps what rings from one stretch to the next."""

    def __init__(self, seed: int, rate: int) -> None:
        self.rate = rate
        self.seed = seed
        self.hits: dict[str, list[Hit]] = {voice: [] for voice in VOICES}
        self.states = dict.fromkeys((*VOICES, "all"), -1.0)

    def release_all(self, now: float) -> None:
        """A drum is struck, not held: it rings on."""

    def release(self, pitch: int, now: float) -> None:
        """As above."""

    def play(self, notes: list[NewNote], controls: Controls, now: float) -> Floats:
        """Sound of one stretch: float64 (2, frames). `notes`: those that begin in it."""
        frames = controls.stretch.frames
        for note in notes:
            if note.note.pitch in KEYS and note.after >= 0.0:
                self._strike(KEYS[note.note.pitch], note, controls)
        out = np.zeros((2, frames))
        for voice, hits in self.hits.items():
            level, self.states[voice] = smoothed(
                controls.spread(level_gain(controls.values(f"{voice}-level"))),
                frames,
                self.rate,
                self.states[voice],
            )
            if not hits:
                continue
            bus = np.zeros(frames)
            for hit in hits:
                start = max(-hit.heard, 0)
                part = hit.sound[max(hit.heard, 0) : max(hit.heard, 0) + max(frames - start, 0)]
                bus[start : start + len(part)] += part
                hit.heard += frames
            self.hits[voice] = [hit for hit in hits if hit.heard < len(hit.sound)]
            out += bus * level * controls.spread(pan_gains(controls.values(f"{voice}-pan") / 100.0))
        level = level_gain(controls.values("level")) * (1.0 - controls.values("mute"))
        gain, self.states["all"] = smoothed(controls.spread(level), frames, self.rate, self.states["all"])
        return out * gain

    def _strike(self, voice: str, note: NewNote, controls: Controls) -> None:
        """Tune and decay are taken at the stroke."""
        frame = min(round(note.after * self.rate), controls.stretch.frames - 1)
        tune, decay = (
            float(
                np.broadcast_to(controls.spread(controls.values(f"{voice}-{key}")), (controls.stretch.frames,))[frame]
            )
            for key in ("tune", "decay")
        )
        if voice == "closed":
            self._choke(frame)
        t = np.arange(int((SILENT * decay + 0.05) * self.rate)) / self.rate
        sound = note.note.strength * VOICES[voice](t, 2.0 ** (tune / 12.0), decay, self._noise(note))
        self.hits[voice].append(Hit(sound, -frame))

    def _noise(self, note: NewNote) -> Noise:
        """Each stroke's own, by its place in the song: the same wherever playing was begun."""
        microbeat = round(note.note.beat * 1e6)
        return np.random.Generator(np.random.PCG64([self.seed, microbeat, note.note.pitch]))

    def _choke(self, frame: int) -> None:
        """A closing hat ends an open one."""
        for hit in self.hits["open"]:
            at = max(hit.heard + frame, 0)
            fade = int(CHOKE_SECONDS * self.rate)
            end = hit.sound[at : at + fade]
            hit.sound = np.concatenate((hit.sound[:at], end * np.linspace(1.0, 0.0, len(end))))
