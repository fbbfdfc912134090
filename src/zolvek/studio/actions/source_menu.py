# SPDX-License-Identifier: GPL-3.0-or-later
"""The Sound menu: clips, notes, and hits."""

from __future__ import annotations

from zolvek.core.time.grid import GridKind
from zolvek.studio.actions import availability
from zolvek.studio.actions.action import Action, grouped
from zolvek.studio.commands import hits, sources
from zolvek.studio.services.context import Studio


def _set(studio: Studio, name: str) -> None:
    settings = studio.session.settings
    settings.put(name, not settings.get(name))
    studio.session.look.changed.emit()


_ROWS: tuple[Action, ...] = (
    Action("sound-file", "Add audio clip…", "", "Adds a WAV, FLAC, OGG or MP3 file to the track, at the playhead",
        lambda s: s.media.import_sound(), refused=availability.track),
    Action("find-sounds", "Find missing audio files…", "", "Searches a folder for them, by content and by name",
        lambda s: s.media.find_sounds(), refused=availability.sound_files),
    Action("block-split", "Split clip", "C", "Splits it at the playhead without changing the sound",
        lambda s: sources.split(s.session), refused=availability.block, apart=True),
    Action("block-loop", "Repeat clip", "Shift+C", "Repeats it to the end of the span or section; again plays it once",
        lambda s: sources.loop(s.session), refused=availability.block),
    Action("block-duplicate", "Duplicate clip", "Ctrl+Shift+D", "Copies it right after itself",
        lambda s: sources.duplicate(s.session), refused=availability.block),
    Action("block-gain", "Clip gain…", "", "In dB", sources.type_gain, refused=availability.block),
    Action("block-fades", "Clip fades…", "", "Sets fade-in and fade-out in seconds; or drag the rings",
        sources.type_fades, refused=availability.block),
    Action("block-track", "Move clip to track…", "", "Keeps its position", sources.to_track,
        refused=availability.block),
    Action("notes-record", "Record notes", "Shift+N", "Records keys of a controller or letters, after the count-in; "
                                                    "again stops", lambda s: s.notes.toggle(),
                                                        refused=availability.track,
           checked=lambda s: s.notes.recording, apart=True),
    Action("notes-grid", "Quantise recorded notes", "", "Quantises them when the pass ends", lambda s: _set(s,
        "recording.quantise_notes"),
           checked=lambda s: s.session.settings.recording.quantise_notes),
    Action("notes-all", "Select all notes", "", "Selects all notes of the track",
        lambda s: sources.select_all(s.session), refused=availability.track),
    Action("notes-span", "Select notes in span", "", "Selects notes that sound in the selected span",
        lambda s: sources.select_span(s.session), refused=availability.any_span),
    Action("notes-up", "Notes up a semitone", "", "Transposes the selected notes",
        lambda s: sources.transpose(s.session, 1), refused=availability.notes),
    Action("notes-down", "Notes down a semitone", "", "Transposes the selected notes",
        lambda s: sources.transpose(s.session, -1), refused=availability.notes),
    Action("notes-octave-up", "Notes up an octave", "", "Transposes the selected notes",
        lambda s: sources.transpose(s.session, 12), refused=availability.notes),
    Action("notes-octave-down", "Notes down an octave", "", "Transposes the selected notes",
        lambda s: sources.transpose(s.session, -12), refused=availability.notes),
    Action("notes-longer", "Lengthen notes", "", "Moves by one grid step", lambda s: sources.lengthen(s.session, 1),
        refused=availability.notes),
    Action("notes-shorter", "Shorten notes", "", "Moves by one grid step", lambda s: sources.lengthen(s.session, -1),
        refused=availability.notes),
    Action("notes-velocity", "Note velocity…", "", "Sets the velocity of the selected notes", sources.type_velocity,
        refused=availability.notes),
    Action("notes-quantise", "Quantise notes", "I", "Moves note starts onto the grid",
        lambda s: sources.quantise(s.session), refused=availability.notes),
    Action("source-earlier", "Notes or clip earlier", "", "Moves by one grid step", lambda s: sources.nudge(s.session,
        -1), refused=availability.notes_or_block, apart=True),
    Action("source-later", "Notes or clip later", "", "Moves by one grid step", lambda s: sources.nudge(s.session, 1),
        refused=availability.notes_or_block),
    Action("source-delete", "Delete notes or clip", "", "Deletes what is selected on the track row",
        lambda s: sources.delete(s.session), refused=availability.notes_or_block),
    Action("hit-next", "Playhead to next hit", "]", "Moves to the next note start or onset", lambda s: hits.go(s, 1),
        refused=availability.hits, apart=True),
    Action("hit-previous", "Playhead to previous hit", "[", "Moves to the next note start or onset",
        lambda s: hits.go(s, -1), refused=availability.hits),
    Action("hit-span", "Select to next hit", "Shift+]", "Selects from the playhead or span start; again extends to the "
                                                        "next hit", hits.select_to_next, refused=availability.hits),
    Action("hits-snap", "Snap to hits", "Ctrl+G", "Uses hits as the grid; the offset leads or lags them",
        hits.snap_to_hits,
           checked=lambda s: s.session.tools.grid.kind == GridKind.HITS),
    Action("hit-end", "End before next hit…", "", "Moves the last selected point to a set time before the next hit",
        hits.until_hit, refused=availability.hits_and_points),
    Action("hits-stamp", "Stamp on every hit…", "Ctrl+H", "Stamps a shape on each hit of the span, such as a duck on "
                                                         "every kick", hits.ask_stamp,
                                                             refused=availability.hits_and_lane),
    Action("hits-of", "Choose hits…", "", "Chooses whose hits are used, in which band, and how strong",
        hits.choose_hits),
    Action("strip-fold", "Hide track row", "", "Makes more room for the curve", lambda s: _set(s,
        "window.track_row_hidden"),
           checked=lambda s: s.session.settings.window.track_row_hidden, apart=True),
    Action("strip-tall", "Tall track row", "", "Makes more room for notes", lambda s: _set(s, "window.track_row_tall"),
           checked=lambda s: s.session.settings.window.track_row_tall),
)  # fmt: skip
# Submenus, by id or by the beginning of one.
GROUPS = {
    "Clip": ("block-",),
    "Notes": ("notes-",),
    "Hits": ("hit-", "hits-"),
}
ACTIONS = grouped(_ROWS, GROUPS)
