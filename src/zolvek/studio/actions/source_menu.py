"""The Sound menu: blocks of sound, notes, and hits."""

from __future__ import annotations

from zolvek.studio.actions import availability
from zolvek.studio.actions.action import Action
from zolvek.studio.commands import hits, sources
from zolvek.studio.services.context import Studio


def _set(studio: Studio, name: str) -> None:
    settings = studio.session.settings
    setattr(settings, name, not getattr(settings, name))
    studio.session.look.changed.emit()


ACTIONS: tuple[Action, ...] = (
    Action("sound-file", "Place a sound file…", "", "A WAV, FLAC, OGG or MP3 file on the shown track, at the playhead", lambda s: s.media.import_sound(), refused=availability.device),
    Action("find-sounds", "Find missing sound files…", "", "Look for them in a folder, by content and by name", lambda s: s.media.find_sounds(), refused=availability.sound_files),
    Action("block-split", "Split the block", "Alt+X", "At the playhead: two blocks that sound as one", lambda s: sources.split(s.session), refused=availability.block, apart=True),
    Action("block-loop", "Repeat the block", "Alt+L", "To the end of the selected span or of the section; again plays it once", lambda s: sources.loop(s.session), refused=availability.block),
    Action("block-duplicate", "Duplicate the block", "Alt+D", "Right after itself", lambda s: sources.duplicate(s.session), refused=availability.block),
    Action("block-gain", "Gain of the block…", "", "In dB", sources.type_gain, refused=availability.block),
    Action("block-fades", "Fades of the block…", "", "In and out, in seconds; or drag its rings", sources.type_fades, refused=availability.block),
    Action("block-track", "Move the block to another track…", "", "At the same time", sources.to_track, refused=availability.block),
    Action("notes-record", "Record notes", "Alt+R", "By a controller's keys or letters, after the count-in; again ends it", lambda s: s.notes.toggle(), refused=availability.device,
           checked=lambda s: s.notes.recording, apart=True),
    Action("notes-grid", "Recorded notes onto the grid", "", "Quantised when the pass ends", lambda s: _set(s, "quantise_notes"),
           checked=lambda s: s.session.settings.quantise_notes),
    Action("notes-all", "Select all notes", "", "Of the shown track", lambda s: sources.select_all(s.session), refused=availability.device),
    Action("notes-span", "Select the span's notes", "", "Those that sound in the selected span", lambda s: sources.select_span(s.session), refused=availability.any_span),
    Action("notes-up", "Notes up a semitone", "", "The selected ones", lambda s: sources.transpose(s.session, 1), refused=availability.notes),
    Action("notes-down", "Notes down a semitone", "", "The selected ones", lambda s: sources.transpose(s.session, -1), refused=availability.notes),
    Action("notes-octave-up", "Notes up an octave", "", "The selected ones", lambda s: sources.transpose(s.session, 12), refused=availability.notes),
    Action("notes-octave-down", "Notes down an octave", "", "The selected ones", lambda s: sources.transpose(s.session, -12), refused=availability.notes),
    Action("notes-longer", "Lengthen notes", "", "By a grid step", lambda s: sources.lengthen(s.session, 1), refused=availability.notes),
    Action("notes-shorter", "Shorten notes", "", "By a grid step", lambda s: sources.lengthen(s.session, -1), refused=availability.notes),
    Action("notes-quantise", "Quantise notes", "Alt+Q", "Their starts onto the grid", lambda s: sources.quantise(s.session), refused=availability.notes),
    Action("source-earlier", "Notes or block earlier", "", "By a grid step", lambda s: sources.nudge(s.session, -1), refused=availability.notes_or_block, apart=True),
    Action("source-later", "Notes or block later", "", "By a grid step", lambda s: sources.nudge(s.session, 1), refused=availability.notes_or_block),
    Action("source-delete", "Delete notes or block", "", "What is selected on the track's strip", lambda s: sources.delete(s.session), refused=availability.notes_or_block),
    Action("hit-next", "Playhead to the next hit", "]", "A note's start, or where a sound strikes", lambda s: hits.go(s, 1), refused=availability.hits, apart=True),
    Action("hit-previous", "Playhead to the hit before", "[", "A note's start, or where a sound strikes", lambda s: hits.go(s, -1), refused=availability.hits),
    Action("hit-span", "Select until the next hit", "Shift+]", "From the playhead, or from where the span begins; again for the one after", hits.select_to_next, refused=availability.hits),
    Action("hits-snap", "Snap to hits", "Alt+G", "The grid is made of hits; its offset leads or lags them", hits.snap_to_hits,
           checked=lambda s: s.session.tools.grid.kind == "hits"),
    Action("hit-end", "End before the next hit…", "", "The last selected point so long before it: 1/64", hits.until_hit, refused=availability.hits_and_points),
    Action("hits-stamp", "A form on every hit…", "Alt+F", "Of the selected span: a duck on every kick", hits.ask_stamp, refused=availability.hits_and_lane),
    Action("hits-of", "Whose hits…", "", "The shown track's, or another one's", hits.choose_source),
    Action("strip-fold", "Fold the track's strip away", "", "More room for the curve", lambda s: _set(s, "strip_folded"),
           checked=lambda s: s.session.settings.strip_folded, apart=True),
    Action("strip-tall", "Tall strip", "", "Room for notes", lambda s: _set(s, "strip_tall"),
           checked=lambda s: s.session.settings.strip_tall),
)  # fmt: skip
