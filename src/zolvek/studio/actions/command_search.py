# SPDX-License-Identifier: GPL-3.0-or-later
"""Commands and panel entries by the words that a person types, the trade's synonyms included."""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import cache
from typing import NamedTuple

from zolvek.studio.actions.action_table import ACTIONS
from zolvek.studio.actions.panel_entries import ENTRIES

# What else the trade calls things: words, and the ids of what they mean, the likeliest first.
_SHAPE = "step-shape//Operation/"
SYNONYMS: dict[str, tuple[str, ...]] = {
    "import load": ("import-midi", "import-csv", "import-curve", "sound-file", "from-files"),
    "export save": ("export-midi", "export-sound", "export-table"),
    "render bounce mixdown": ("export-sound", "export-control"),
    "freeze": ("layer-bake", "export-sound"),
    "flatten commit": ("layer-bake", "bake-all", "unroll"),
    "invert upside": (f"{_SHAPE}invert",),
    "reverse flip mirror backwards": (f"{_SHAPE}mirror", f"{_SHAPE}invert"),
    "transpose pitch semitones": ("notes-up", "notes-down", "notes-octave-up", "nudge-up"),
    "quantize": ("quantise", "quantise-half", "notes-quantise", "notes-grid"),
    "velocity strength": ("notes-velocity", "hits-of"),
    "range min max minimum maximum limits": ("reach", "reach-scope", "step-listen/Hear/Measure/"),
    "knob control fader slider": ("find-parameter", "dial-type", "dial-default", "add-lane"),
    "automate automation": ("add-lane", "bypass-all", "compare-bypass"),
    "audio sample wav": ("sound-file", "export-sound", "find-sounds"),
    "midi learn map controller cc": ("step-perform/Controller/Learn control/",),
    "sidechain": ("side-chain",),
    "send return aux bus": ("add-return",),
    "volume gain level": ("block-gain", "find-parameter"),
    "pan panorama balance": ("find-parameter",),
    "bpm speed": ("tempo-type", "step-piece//Tempo at the playhead/", "tempo-tap"),
    "time signature": ("meter-type", "step-piece//Meter at the playhead/"),
    "marker cue locator part arrangement": ("section-begin", "section-rename", "bar-mark"),
    "punch": ("step-perform/Record/Only in selected span/",),
    "preroll": ("step-perform/Record/Pre-roll/", "step-listen/Hear/Pre-roll/"),
    "click": ("metronome", "step-perform/Record/Count-in in beats/"),
    "comp comping": ("take-choose-span", "take-choose", "take-let-go"),
    "spreadsheet list numbers exact": ("points-table", "type-value"),
    "history": ("undo", "redo"),
    "copy clone": ("duplicate", "double-track", "section-double", "copy"),
    "erase": ("delete", "clear-lane"),
    "reset default initialise": ("dial-default", "clear-lane", "reset"),
    "preset patch program": ("step-devices//Preset/", "step-morph/States/Recall/"),
    "snapshot scene": ("step-morph/States/Store/", "step-morph/States/Recall/", "keep-version"),
    "ab a/b a b": ("compare", "keep-version"),
    "settings preferences options configuration": ("preferences",),
    "latency buffer soundcard driver": ("preferences",),
    "dark light night colours appearance": ("theme", "preferences"),
    "help manual documentation": ("guide", "shortcuts", "first-curve"),
    "hotkey keyboard keys bindings": ("shortcuts",),
    "scroll": ("scroll-left", "scroll-right"),
    "envelope curve": ("add-lane", "layer-depth", "step-shape"),
    "oscillator wobble vibrato tremolo": ("step-movement/LFO/Wave/",),
    "chance noise": ("step-movement/Random/Movement type/", "step-movement/Humanise/Type/"),
    "pump sidechain ducking": (f"{_SHAPE}stamp-duck", "hits-stamp"),
    "sweep rise riser": (f"{_SHAPE}stamp-ramp", "tool-line"),
    "stutter chop trance": (f"{_SHAPE}stamp-gate",),
    "steps sequencer": (f"{_SHAPE}stamp-staircase",),
    "scrub jog": ("playhead-on", "playhead-back"),
    "fades crossfade": (f"{_SHAPE}fade-in", f"{_SHAPE}fade-out", "block-fades"),
    "vst lv2 plugins effect instrument": ("add-plugin", "step-devices"),
    "reduce simplify decimate": ("step-thin", "thin-points"),
    "morphing interpolate blend": ("step-morph/Morph/Morph over the span/", "step-morph"),
    "exit close": ("quit",),
    "about version licence": ("about",),
}


class Found(NamedTuple):
    """A command or an entry that matches: its id, its text, its keys, and what it does in a sentence."""

    id: str
    text: str
    keys: str
    tip: str


def _words(text: str) -> tuple[str, ...]:
    return tuple(re.findall(r"[^\W_]+", text.lower().replace("/", " ").replace("-", "")))


@cache
def _rows() -> tuple[tuple[Found, tuple[frozenset[str], ...]], ...]:
    """Everything that can be found, each with the words of its text, its synonyms and its tip."""
    also: dict[str, list[str]] = {}
    for words, ids in SYNONYMS.items():
        for key in ids:
            also.setdefault(key, []).extend(_words(words))
    found = [Found(a.id, a.text.rstrip("…"), a.keys, a.tip) for a in ACTIONS]
    tips = {a.id: f"In the {a.text} panel" for a in ACTIONS}
    found += [Found(e.id, e.text, "", tips[e.panel] + (f", {e.page}" if e.page else "")) for e in ENTRIES]
    return tuple(
        (row, tuple(map(frozenset, (_words(row.text), also.get(row.id, ()), _words(row.tip))))) for row in found
    )


def matching(query: str) -> list[Found]:
    """What matches every word that is typed, as a word or the beginning of one: whole words before beginnings, texts
    before synonyms before tips. Nothing typed matches everything."""
    words = _words(query)
    ranked: list[tuple[int, int, int, Found]] = []
    for number, (row, known) in enumerate(_rows()):
        ranks = [_rank(word, known) for word in words]
        if None not in ranks:
            order = min((_order(word, row.id) for word in words), default=0)
            exact = frozenset(words) == known[0]
            ranked.append((-1 if exact else sum(rank or 0 for rank in ranks), order, number, row))
    return [row for *_, row in sorted(ranked, key=lambda item: item[:3])]


def _rank(word: str, known: Sequence[frozenset[str]]) -> int | None:
    """How well a word fits: 0 is best; None for not at all."""
    for rank, group in enumerate(known):
        if word in group:
            return rank
    for rank, group in enumerate(known):
        if any(item.startswith(word) for item in group):
            return len(known) + rank
    return None


def _order(word: str, key: str) -> int:
    """The place of an id among those that a synonym means."""
    return min((ids.index(key) for words, ids in SYNONYMS.items() if word in _words(words) and key in ids), default=0)
