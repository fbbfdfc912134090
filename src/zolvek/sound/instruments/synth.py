# SPDX-License-Identifier: GPL-3.0-or-later
"""The stand-in synth: notes in, stereo sound out."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from zolvek.core.arrays import Floats, distinct
from zolvek.sound.instruments import voices as sounds
from zolvek.sound.signal.automation import FINE_FRAMES, Controls
from zolvek.sound.signal.filters import damping, low_pass, svf, warped
from zolvek.sound.signal.mixing import level_gain, pan_gains, smoothed
from zolvek.sound.signal.new_note import LIVE_NOTE_S, NewNote
from zolvek.sound.signal.phases import FrameNoise

MOST_VOICES = 24  # of one synth; the oldest give way
SILENT = 80.0 / 60.0  # decay or release times after which a voice is 80 dB down
QUIET = 1e-9  # what rings on in the filter below this is not heard
ENVELOPE_OCTAVES = 5.0  # that the filter envelope moves the cutoff by at 100 %
SAW, PULSE, MALLET, NONE = range(4)  # the choices of "wave"
ENVELOPE = ("attack", "decay", "sustain", "release")


@dataclass
class Voice:
    """A sounding note: envelope times are taken when the key goes down.

    Times in seconds on the renderer's own clock, which never jumps.
    """

    pitch: float
    strength: float
    start: float
    end: float
    attack: float
    decay: float
    sustain: float
    release: float
    phase: float = 0.0  # cycles

    @property
    def gone(self) -> float:
        """When nothing of it can be heard any more: it is 80 dB down."""
        decayed = self.start + self.attack + SILENT * self.decay
        released = self.end + SILENT * self.release
        return min(decayed, released) if self.sustain == 0.0 else released


class Synth:
    """Keeps the voices that sound, and the filter, from one stretch to the next.

    All voices share one filter, which opens with the voice whose envelope is highest.
    """

    def __init__(self, seed: int, rate: int) -> None:
        self.rate = rate
        self.voices: list[Voice] = []
        self.noise = FrameNoise(seed)
        self.gain_state = -1.0
        self.filter_state = np.zeros((1, 2))

    def release_all(self, now: float) -> None:
        """All keys up, as at the end of a loop; what sounds dies away by its own release."""
        for voice in self.voices:
            voice.end = min(voice.end, now)

    def release(self, pitch: int, now: float) -> None:
        """One key up: those of its voices that are held by hand."""
        for voice in self.voices:
            if voice.pitch == pitch and voice.end - now > LIVE_NOTE_S:
                voice.end = now

    def play(self, notes: list[NewNote], controls: Controls, now: float) -> Floats:
        """Sound of one stretch that begins `now` (seconds): float64 (2, frames).

        `notes`: those that begin in it.
        """
        frames = controls.stretch.frames
        self._start(notes, controls, now)
        noise = 2.0 * self.noise.of(controls.stretch) - 1.0
        mono, opening = np.zeros(frames), np.zeros(1)
        if self.voices:
            mono, opening = self._voices(controls, now, noise)
        self.voices = [v for v in self.voices if v.gone > now + frames / self.rate]
        if not mono.any() and np.abs(self.filter_state).max() < QUIET:
            self.filter_state[:] = 0.0
            return np.zeros((2, frames))
        octaves = controls.values("amount") / 100.0 * ENVELOPE_OCTAVES * opening
        cutoff = np.clip(controls.values("cutoff") * np.exp2(octaves), 20.0, 20_000.0)
        k = damping(controls.values("resonance") / 100.0)
        setting = low_pass(controls.spread(warped(cutoff, self.rate)), controls.spread(k))
        filtered, self.filter_state = svf(mono[None], setting, self.filter_state)
        level = level_gain(controls.values("level")) * (1.0 - controls.values("mute"))
        gain, self.gain_state = smoothed(controls.spread(level), frames, self.rate, self.gain_state)
        return filtered[0] * gain * controls.spread(pan_gains(controls.values("pan") / 100.0))

    def _start(self, notes: list[NewNote], controls: Controls, now: float) -> None:
        if not notes:
            return
        times = {key: controls.values(key) for key in ENVELOPE}
        last = controls.stretch.frames - 1
        for note, after, seconds in notes:
            frame = min(max(round(after * self.rate), 0), last)
            cut = np.searchsorted(controls.cuts, frame, side="right") - 1
            at = {key: float(v[cut] if len(v) > 1 else v[0]) for key, v in times.items()}
            at["sustain"] /= 100.0
            start = now + after
            self.voices.append(Voice(note.pitch, note.strength, start, start + seconds, **at))
        self.voices = self.voices[-MOST_VOICES:]

    def _voices(self, controls: Controls, now: float, noise: Floats) -> tuple[Floats, Floats]:
        """All voices through their envelopes, summed, and how far they open the filter (0..1)
        at each cut."""
        frames, rate = controls.stretch.frames, self.rate
        # Envelopes are taken at frames of the song that FINE_FRAMES divides, wherever the stretch begins.
        skew = controls.stretch.frame % FINE_FRAMES
        ticks = now + (np.arange(0, frames + skew + FINE_FRAMES, FINE_FRAMES) - skew) / rate
        factor = np.exp2(controls.values("transpose") / 12.0)
        # Every voice's phase is its own frequency times this one count of bent time.
        time = np.zeros(frames + 1)
        time[1:] = controls.spread(factor)
        np.cumsum(time, out=time)
        tone = Tone(controls, noise)
        mono, opening = np.zeros(frames), np.zeros(len(ticks))
        for voice in self.voices:
            # Envelopes are taken every few frames and joined by lines, which also rounds off
            # a key that goes down between two samples.
            age = ticks - voice.start
            env = sounds.envelope(age, voice.end - voice.start, *(getattr(voice, name) for name in ENVELOPE))
            first = min(max(round((voice.start - now) * rate), 0), frames)
            last = min(max(int((voice.gone - now) * rate) + 1, first), frames)
            if first == last:
                continue
            heard, ticked = slice(first, last), slice(first + skew, last + skew)
            step = float(sounds.pitch_hz(voice.pitch)) / rate
            phase = voice.phase + step * (time[first:last] - time[first])
            voice.phase += step * float(time[last] - time[first])
            raw = tone.wave(phase, step, age, voice.decay, heard, ticked)
            raw *= voice.strength * sounds.joined(env, FINE_FRAMES, ticked)
            mono[heard] += raw
            np.maximum(opening, env, out=opening)
        return mono, opening[(controls.cuts + skew) // FINE_FRAMES]


class Tone:
    """What all voices of a stretch have in common: waveform, width, noise and drive."""

    def __init__(self, controls: Controls, noise: Floats) -> None:
        self.waves = controls.spread(controls.values("wave"))
        self.width = controls.spread(controls.values("width")) / 100.0
        self.bend = controls.spread(np.exp2(controls.values("transpose") / 12.0))
        noisiness = controls.spread(controls.values("noise")) / 100.0
        self.noise = noise * noisiness if noisiness.max() > 0.0 else None
        drive = controls.spread(level_gain(controls.values("drive")))
        self.drive = drive if drive.max() > 1.0 else None

    def wave(self, phase: Floats, step: float, age: Floats, decay: float, heard: slice, ticked: slice) -> Floats:
        """One voice before its envelope over the frames `heard`; `phase` in cycles there,
        `step` cycles a frame before bending, `age` seconds at the ticks, of which `ticked` are the frames."""
        out = np.zeros_like(phase)
        for choice in distinct(self.waves[_part(self.waves, heard)]):
            chosen = 1.0 if len(self.waves) == 1 else self.waves[heard] == choice
            bent = np.minimum(step * self.bend[_part(self.bend, heard)], 0.45)
            if choice == MALLET:
                out += chosen * sounds.mallet(phase, float(bent.max()), age, decay, FINE_FRAMES, ticked)
            elif choice != NONE:
                width = self.width[_part(self.width, heard)]
                out += chosen * 0.6 * sounds.OSCILLATORS[int(choice)](sounds.wrapped(phase), bent, width)
        if self.noise is not None:
            out += self.noise[heard]
        if self.drive is not None:
            drive = self.drive[_part(self.drive, heard)]
            out = np.tanh(out * drive) / np.sqrt(drive)
        return out


def _part(values: Floats, heard: slice) -> slice:
    """Where `heard` is in values of one a frame, or all of a single one."""
    return heard if len(values) > 1 else slice(None)
