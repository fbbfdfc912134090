# SPDX-License-Identifier: GPL-3.0-or-later
"""The File menu."""

from __future__ import annotations

from zolvek.studio.actions import availability
from zolvek.studio.actions.action import Action
from zolvek.studio.services.files import audio_export, collect_export

ACTIONS: tuple[Action, ...] = (
    Action("new", "New", "Ctrl+N", "An empty project: 120 BPM, 4/4, 32 bars, a synth and an audio track",
        lambda s: s.files.new()),
    Action("from-files", "New from files…", "Ctrl+Shift+N", "Makes a track of each audio file, MIDI file or device, "
                                                            "aligned at bar 1", lambda s: s.files.from_files()),
    Action("open", "Open…", "Ctrl+O", "Opens a project, or a collected .zip", lambda s: s.files.open()),
    Action("demo", "Open the demo song", "", "Opens Night Regatta", lambda s: s.files.open_demo()),
    Action("save", "Save", "Ctrl+S", "Saves the project", lambda s: s.files.save(), "save"),
    Action("save-as", "Save as…", "Ctrl+Shift+S", "Saves under another name", lambda s: s.files.save_as()),
    Action("save-template", "Save as template…", "", "New projects can start from it",
        lambda s: s.files.save_template()),
    Action("new-template", "New from template…", "", "Starts from a template of yours",
        lambda s: s.files.new_from_template()),
    Action("collect", "Collect into one file…", "", "Packs the project with all its audio, as a .zip or a folder",
        lambda s: collect_export.export_collected(s.exports)),
    Action("beginning", "Start screen", "", "Recent projects, new, from files, the demo", lambda s: s.show.beginning()),
    Action("export-midi", "Export MIDI…", "Ctrl+M", "Exports all lanes as messages, with tempo, meter and sections",
        lambda s: s.exports.midi(), apart=True),
    Action("export-sound", "Export audio…", "Ctrl+Shift+M", "Exports the mix or the tracks, as set in the Export panel",
        lambda s: audio_export.export_sound(s.exports)),
    Action("export-control", "Export lane as control signal…", "", "Exports a WAV file that is the curve, sample by "
                                                                   "sample", lambda s: s.exports.control(),
                                                                       refused=availability.lane),
    Action("export-table", "Export table…", "", "Exports lanes side by side on a common time base, as CSV",
        lambda s: s.exports.table(), refused=availability.lane),
    Action("export-csv", "Export lane points…", "", "Exports the focus lane's points as CSV",
        lambda s: s.exports.points(), refused=availability.lane),
    Action("export-picture", "Export picture…", "", "Exports lanes as SVG or PNG", lambda s: s.exports.picture(),
        refused=availability.lane),
    Action("import-midi", "Import MIDI…", "Ctrl+Shift+O", "Imports controllers as lanes, and notes, on new tracks",
        lambda s: s.exports.import_midi(), apart=True),
    Action("import-curve", "Import audio into lane…", "", "Makes the curve from a control signal or the level of a "
                                                          "sound", lambda s: s.exports.import_curve(),
                                                              refused=availability.lane),
    Action("import-csv", "Import points into lane…", "", "Replaces the focus lane's points with those of a CSV file",
        lambda s: s.exports.import_points(), refused=availability.lane),
    Action("preferences", "Preferences…", "Ctrl+P", "Appearance, audio device, recording, MIDI and more",
        lambda s: s.show.preferences(), apart=True),
    Action("quit", "Quit", "Ctrl+Q", "Closes the window", lambda s: s.show.leave(), apart=True),
)  # fmt: skip
