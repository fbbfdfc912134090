"""The File menu."""

from __future__ import annotations

from zolvek.studio.actions import availability
from zolvek.studio.actions.action import Action
from zolvek.studio.services.files import audio_export, collect_export

ACTIONS: tuple[Action, ...] = (
    Action("new", "New", "Ctrl+N", "An empty desk: 120 BPM, 4/4, 32 bars, a synth and a track for sound", lambda s: s.files.new()),
    Action("from-files", "New from files…", "Ctrl+Shift+N", "Each sound, MIDI file or device a track, aligned at bar 1", lambda s: s.files.from_files()),
    Action("open", "Open…", "Ctrl+O", "Open a project, or one that was collected into a .zip", lambda s: s.files.open()),
    Action("demo", "Open the demo piece", "", "Open Night Regatta", lambda s: s.files.open_demo()),
    Action("save", "Save", "Ctrl+S", "Save the project", lambda s: s.files.save(), "save"),
    Action("save-as", "Save as…", "Ctrl+Shift+S", "Save under another name", lambda s: s.files.save_as()),
    Action("save-template", "Save as a template…", "", "New pieces can begin with it", lambda s: s.files.save_template()),
    Action("new-template", "New from a template…", "", "Begin with one that you have kept", lambda s: s.files.new_from_template()),
    Action("collect", "Collect into one file…", "", "The project with all of its sounds, as a .zip or a folder", lambda s: collect_export.export_collected(s.deliveries)),
    Action("beginning", "The beginning", "", "What was open last, new, from files, the demo", lambda s: s.show.beginning()),
    Action("export-midi", "Write MIDI…", "Ctrl+M", "All lanes as messages, tempo, meter and sections", lambda s: s.deliveries.midi(), apart=True),
    Action("export-sound", "Write sound…", "Ctrl+Shift+M", "The mix or the tracks, as the Export panel says", lambda s: audio_export.export_sound(s.deliveries)),
    Action("export-control", "Write the lane as a control signal…", "", "A WAV file that is the curve, sample by sample", lambda s: s.deliveries.control(), refused=availability.lane),
    Action("export-table", "Write a table…", "", "Lanes side by side on a common clock, as CSV", lambda s: s.deliveries.table(), refused=availability.lane),
    Action("export-csv", "Write the lane's points…", "", "The focus lane's points as CSV", lambda s: s.deliveries.points(), refused=availability.lane),
    Action("export-picture", "Write a picture…", "", "Lanes as SVG or PNG, for documents", lambda s: s.deliveries.picture(), refused=availability.lane),
    Action("import-midi", "Read MIDI…", "Ctrl+Shift+O", "Controllers as lanes and notes, on new tracks", lambda s: s.deliveries.import_midi(), apart=True),
    Action("import-curve", "Read sound into the lane…", "", "A control signal, or the level of a sound, as the curve", lambda s: s.deliveries.import_curve(), refused=availability.lane),
    Action("import-csv", "Read points into the lane…", "", "Replace the focus lane's points by those of a CSV file", lambda s: s.deliveries.import_points(), refused=availability.lane),
    Action("quit", "Quit", "Ctrl+Q", "Close the window", lambda s: s.show.leave(), apart=True),
)  # fmt: skip
