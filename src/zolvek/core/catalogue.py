"""The stand-in devices: what they are called and which parameters they have."""

from __future__ import annotations

from typing import NamedTuple

from zolvek.core.errors import ZolvekError
from zolvek.core.parameter import Parameter

P = Parameter


class DeviceKind(NamedTuple):
    """One row of the catalogue. `role` is "instrument" (plays notes) or "effect"."""

    key: str
    name: str
    role: str
    parameters: tuple[Parameter, ...]


SYNTH = DeviceKind(
    "synth",
    "Stand-in synth",
    "instrument",
    (
        P("wave", "Wave", "Tone", "", 0, 3, 0, "stepped", ("Saw", "Pulse", "Mallet", "None")),
        P("width", "Pulse width", "Tone", "%", 5, 95, 50),
        P("transpose", "Transpose", "Tone", "st", -24, 24, 0),
        P("noise", "Noise level", "Tone", "%", 0, 100, 0),
        P("cutoff", "Cutoff", "Filter", "Hz", 20, 20_000, 4_000, "exponential"),
        P("resonance", "Resonance", "Filter", "%", 0, 100, 0),
        P("drive", "Filter drive", "Filter", "dB", 0, 36, 0),
        P("amount", "Envelope amount", "Filter", "±%", -100, 100, 0),
        P("attack", "Attack", "Envelope", "s", 0.001, 5, 0.005, "exponential"),
        P("decay", "Decay", "Envelope", "s", 0.01, 10, 0.6, "exponential"),
        P("sustain", "Sustain", "Envelope", "%", 0, 100, 70),
        P("release", "Release", "Envelope", "s", 0.005, 5, 0.15, "exponential"),
        P("level", "Level", "Output", "dB", -60, 6, -6, "decibel"),
        P("pan", "Pan", "Output", "±%", -100, 100, 0),
        P("mute", "Mute", "Output", "", 0, 1, 0, "switch"),
    ),
)
FILTER = DeviceKind(
    "filter",
    "Resonant filter",
    "effect",
    (
        P("mode", "Mode", "Filter", "", 0, 2, 0, "stepped", ("Low-pass", "High-pass", "Band-pass")),
        P("cutoff", "Cutoff", "Filter", "Hz", 20, 20_000, 20_000, "exponential"),
        P("resonance", "Resonance", "Filter", "%", 0, 100, 0),
        P("drive", "Drive", "Filter", "dB", 0, 24, 0),
    ),
)
DELAY = DeviceKind(
    "delay",
    "Delay",
    "effect",
    (
        P("time", "Time", "Delay", "s", 0.01, 2, 0.4018, "exponential"),
        P("feedback", "Feedback", "Delay", "%", 0, 95, 35),
        P("mix", "Mix", "Delay", "%", 0, 100, 25),
    ),
)
STRIP = DeviceKind(
    "strip",
    "Channel strip",
    "effect",
    (
        P("level", "Level", "Channel", "dB", -60, 6, 0, "decibel"),
        P("pan", "Pan", "Channel", "±%", -100, 100, 0),
        P("mute", "Mute", "Channel", "", 0, 1, 0, "switch"),
    ),
)

KINDS: dict[str, DeviceKind] = {kind.key: kind for kind in (SYNTH, FILTER, DELAY, STRIP)}


def parameter_of(kind: str, key: str) -> Parameter:
    """A parameter by its device's kind and its id. Raises ZolvekError when there is none."""
    for parameter in KINDS[kind].parameters:
        if parameter.id == key:
            return parameter
    raise ZolvekError(f"A device of kind “{kind}” has no parameter “{key}”.")
