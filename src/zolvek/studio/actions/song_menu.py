"""The Piece menu: tempo, meter, bars, sections and their versions, and the grid fitted to a recording."""

from __future__ import annotations

from zolvek.studio.actions import availability
from zolvek.studio.actions.action import Action
from zolvek.studio.commands import song, tempo_fit
from zolvek.studio.services.context import Studio


def _toggle_rows(studio: Studio) -> None:
    settings = studio.session.settings
    settings.time_rows = not settings.time_rows
    studio.session.look.changed.emit()


ACTIONS: tuple[Action, ...] = (
    Action("time-rows", "Time over the ruler", "Shift+F3", "Rows for sections, meter and tempo, to be edited there", _toggle_rows,
           checked=lambda s: s.session.settings.time_rows),
    Action("name-piece", "Name the piece…", "", "As it is called in what is delivered", song.name_piece),
    Action("end-type", "The piece's end…", "", "As bars or a position; what lies beyond is cut or kept", song.type_end),
    Action("bars-insert", "Insert bars", "Ctrl+Shift+B", "As many as are selected, before them; without a selection the number is asked", song.insert_bars, apart=True),
    Action("bars-remove", "Remove the selected bars", "Ctrl+Shift+Del", "With everything in them; what follows moves up", song.remove_bars, refused=availability.any_span),
    Action("tempo-type", "Type a tempo here…", "", "At the playhead: 112, or 112→116 over 8 bars", song.type_tempo, apart=True),
    Action("tempo-tap", "Tap the tempo", "Ctrl+T", "Four times or more, in time", lambda s: song.tap_tempo(s.session)),
    Action("tempo-ramp", "Tempo holds or ramps", "", "From the tempo point that holds at the playhead to the next", lambda s: song.ramp_tempo(s.session)),
    Action("tempo-remove", "Remove the tempo point", "", "The one that holds at the playhead", lambda s: song.remove_tempo(s.session), refused=availability.later_tempo),
    Action("keep-sound", "Sound keeps its seconds", "", "When the tempo changes; otherwise it keeps its bars", lambda s: song.toggle_keep_sound(s.session),
           checked=lambda s: s.session.settings.keep_sound),
    Action("meter-type", "Type a meter here…", "", "From the playhead's bar on: 4/4, 7/8", song.type_meter),
    Action("meter-remove", "Remove the meter change", "", "The one that holds at the playhead", lambda s: song.remove_meter(s.session), refused=availability.later_meter),
    Action("section-begin", "Begin a section here", "Alt+S", "At the playhead; what held there is split", song.begin_section, apart=True),
    Action("section-rename", "Rename the section…", "", "Or press its name twice over the ruler", song.rename_section, refused=availability.section),
    Action("section-select", "Select the section", "", "As the span on the ruler", lambda s: song.select_section(s.session), refused=availability.section),
    Action("section-double", "Duplicate the section", "", "With its automation, notes and sound, right after itself", lambda s: song.double_section(s.session), refused=availability.section),
    Action("section-earlier", "Section earlier", "", "Before the one before it, with everything in it", lambda s: song.move_section(s.session, -1), refused=availability.section),
    Action("section-later", "Section later", "", "After the next one, with everything in it", lambda s: song.move_section(s.session, 1), refused=availability.section),
    Action("section-join", "Join with the next section", "", "As one, of the first one's name", lambda s: song.join_section(s.session), refused=availability.section),
    Action("section-colour", "Another colour for the section", "", "Over the ruler and in the overview", lambda s: song.colour_section(s.session), refused=availability.section),
    Action("section-remove", "Remove the section's name", "", "What lies in it stays", lambda s: song.remove_section(s.session), refused=availability.section),
    Action("version-new", "Begin another version", "", "Of the section's automation in all lanes; the one that stands is kept", song.new_version, refused=availability.section, apart=True),
    Action("version-next", "Next version", "Ctrl+Shift+X", "Of the section, into the lanes", lambda s: song.next_version(s.session), refused=availability.section),
    Action("tempo-from-sound", "Tempo from the sound…", "", "Proposed from the hits of the shown track", tempo_fit.propose_tempo, refused=availability.sound_track, apart=True),
    Action("bar-mark", "Mark a bar line here", "'", "Where the recording has one, at the playhead; again takes it away", lambda s: tempo_fit.mark_bar(s.session)),
    Action("marks-fit", "Fit the grid to the marks…", "", "Say how many bars lie between them", tempo_fit.fit, refused=availability.two_marks),
    Action("marks-clear", "Forget the marks", "", "The grid stays as it is", lambda s: tempo_fit.clear_marks(s.session), refused=availability.a_mark),
)  # fmt: skip
