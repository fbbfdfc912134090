# SPDX-License-Identifier: GPL-3.0-or-later
"""What the panels can do, for the command finder: each opens its panel with the keyboard on what does it."""

from __future__ import annotations

from typing import NamedTuple


class PanelEntry(NamedTuple):
    """`text`: what it does; `panel`: the action that opens its panel; `target`: the text or the accessible name of the
    button or field there; `page`: the one it is on, where the panel has pages; `option`: what to pick in it."""

    text: str
    panel: str
    target: str
    page: str = ""
    option: str = ""

    @property
    def id(self) -> str:
        """A name for it that no action has."""
        return f"{self.panel}/{self.page}/{self.target}/{self.option}"


def _shape(text: str, option: str) -> PanelEntry:
    return PanelEntry(text, "step-shape", "Operation", "", option)


ENTRIES: tuple[PanelEntry, ...] = (
    PanelEntry("Tempo", "step-piece", "Tempo at the playhead"),
    PanelEntry("Meter", "step-piece", "Meter at the playhead"),
    PanelEntry("Add a device", "step-devices", "Add a device"),
    PanelEntry("Device preset", "step-devices", "Preset"),
    PanelEntry("Grid value", "step-draw", "Grid value", "Tools"),
    PanelEntry("Value grid", "step-draw", "Value grid", "Tools"),
    PanelEntry("Swing", "step-draw", "Swing", "Tools"),
    PanelEntry("Grid offset", "step-draw", "Offset", "Tools"),
    PanelEntry("Collisions", "step-draw", "Collisions", "Tools"),
    PanelEntry("Change points by", "step-draw", "Change by", "Tools"),
    PanelEntry("Position of points", "step-draw", "Position", "Tools"),
    PanelEntry("Amount of the shape", "step-draw", "Amount", "Tools"),
    PanelEntry("Fill down in the table of points", "step-draw", "Fill down", "Table"),
    PanelEntry("Series in the table of points", "step-draw", "Series…", "Table"),
    _shape("Offset the span", "lift"),
    _shape("Scale the span", "scale"),
    _shape("Tilt the span", "tilt"),
    _shape("Stretch the span in time", "stretch"),
    _shape("Reverse the span in time", "mirror"),
    _shape("Invert the span", "invert"),
    _shape("Fade in", "fade-in"),
    _shape("Fade out", "fade-out"),
    _shape("Smooth the span", "smooth"),
    _shape("Flatten the span to its mean", "flatten"),
    _shape("Straighten the span", "straight"),
    _shape("Stamp a ramp", "stamp-ramp"),
    _shape("Stamp a swell", "stamp-swell"),
    _shape("Stamp a dip", "stamp-dip"),
    _shape("Stamp a duck", "stamp-duck"),
    _shape("Stamp a gate", "stamp-gate"),
    _shape("Stamp a staircase", "stamp-staircase"),
    _shape("Stamp a build with reset", "stamp-build"),
    _shape("Stamp a drop", "stamp-drop"),
    _shape("Stamp a tremble", "stamp-tremble"),
    PanelEntry("Apply a shape", "step-shape", "Apply"),
    PanelEntry("Save selection as a pattern", "step-patterns", "Save selection…"),
    PanelEntry("Find a pattern", "step-patterns", "Find a pattern"),
    PanelEntry("LFO", "step-movement", "Wave", "LFO"),
    PanelEntry("LFO rate", "step-movement", "LFO: Rate", "LFO"),
    PanelEntry("Write the LFO as points", "step-movement", "Write", "LFO"),
    PanelEntry("Add the LFO as a layer", "step-movement", "Add as layer", "LFO"),
    PanelEntry("Random movement", "step-movement", "Movement type", "Random"),
    PanelEntry("Humanise", "step-movement", "Humanise: Strength", "Humanise"),
    PanelEntry("Jitter", "step-movement", "Type", "Humanise"),
    PanelEntry("Recording mode", "step-perform", "Mode", "Record"),
    PanelEntry("Count-in", "step-perform", "Count-in in beats", "Record"),
    PanelEntry("Pre-roll of a pass", "step-perform", "Pre-roll", "Record"),
    PanelEntry("Record only in the span", "step-perform", "Only in selected span", "Record"),
    PanelEntry("Map a control of the controller", "step-perform", "Learn control", "Controller"),
    PanelEntry("Thin within a tolerance", "step-thin", "Thinning tolerance"),
    PanelEntry("Thin to a number of points", "step-thin", "Points to keep"),
    PanelEntry("Smooth the curve over time", "step-thin", "Smooth below"),
    PanelEntry("Redraw as shapes", "step-thin", "To shapes"),
    PanelEntry("Store a state", "step-morph", "Store", "States"),
    PanelEntry("Recall a state", "step-morph", "Recall", "States"),
    PanelEntry("Update a state", "step-morph", "Update", "States"),
    PanelEntry("Variations of a state", "step-morph", "Vary", "States"),
    PanelEntry("Import states", "step-morph", "Import…", "States"),
    PanelEntry("Export states", "step-morph", "Export…", "States"),
    PanelEntry("Morph over the span", "step-morph", "Morph over the span", "Morph"),
    PanelEntry("Pad of states", "step-morph", "Path", "Pad"),
    PanelEntry("Write the pad's path as lanes", "step-morph", "To lanes", "Pad"),
    PanelEntry("Backdrop of the focus lane", "step-listen", "Backdrop", "Hear"),
    PanelEntry("Pre-roll of the selection", "step-listen", "Pre-roll", "Hear"),
    PanelEntry("Match loudness", "step-listen", "Match loudness", "Hear"),
    PanelEntry("Measure the useful reach", "step-listen", "Measure", "Hear"),
    PanelEntry("Linearise", "step-listen", "Linearise", "Hear"),
    PanelEntry("Which control moves the sound", "step-listen", "Measure the controls", "Controls"),
    PanelEntry("What to make more of: brighter, louder, wider", "step-listen", "What to make more of", "Controls"),
    PanelEntry("Fit a recipe: build, drop, throw, stutter", "step-listen", "Propose", "Recipes"),
    PanelEntry("What this lane does to the sound", "step-listen", "Measure this lane", "Lane"),
    PanelEntry("Keep the loudness", "step-listen", "Keep the loudness", "Lane"),
    PanelEntry("Where nothing moves", "step-listen", "Measure the song", "Bars"),
    PanelEntry("MIDI channel and controller", "step-export", "Number", "MIDI"),
    PanelEntry("Minimum interval between messages", "step-export", "Minimum interval between changes", "MIDI"),
    PanelEntry("Audio file type", "step-export", "File type", "Audio"),
    PanelEntry("MIDI input", "step-connect", "MIDI input"),
    PanelEntry("MIDI output", "step-connect", "MIDI output"),
    PanelEntry("MIDI clock", "step-connect", "Send MIDI clock"),
    PanelEntry("Time code", "step-connect", "Time code"),
    PanelEntry("Send OSC", "step-connect", "Send lanes while playing"),
    PanelEntry("Receive OSC", "step-connect", "Receive OSC"),
)
ENTRIES_BY_ID = {entry.id: entry for entry in ENTRIES}
