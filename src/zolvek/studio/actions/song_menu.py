# SPDX-License-Identifier: GPL-3.0-or-later
"""The Song menu: tempo, meter, bars, sections and their versions, and the grid fitted to a recording."""

from __future__ import annotations

from zolvek.studio.actions import availability
from zolvek.studio.actions.action import Action, grouped
from zolvek.studio.commands import sections, song, tempo_fit, time_maps
from zolvek.studio.services.context import Studio


def _toggle_rows(studio: Studio) -> None:
    settings = studio.session.settings
    settings.window.time_rows = not settings.window.time_rows
    studio.session.look.changed.emit()


_ROWS: tuple[Action, ...] = (
    Action("time-rows", "Time rows", "Shift+F3", "Shows rows for sections, meter and tempo over the ruler",
        _toggle_rows,
           checked=lambda s: s.session.settings.window.time_rows),
    Action("name-piece", "Rename song…", "", "Names the song, also in exports", song.name_piece),
    Action("end-type", "Song end…", "", "Sets the end as bars or a position", song.type_end),
    Action("bars-insert", "Insert bars", "Ctrl+Shift+B", "Inserts as many bars as are selected, before them",
        song.insert_bars, apart=True),
    Action("bars-remove", "Remove selected bars", "Ctrl+Shift+Del", "Removes them with their contents; what follows "
                                                                    "moves up", song.remove_bars,
                                                                        refused=availability.any_span),
    Action("tempo-type", "Set tempo here…", "", "Sets the tempo at the playhead: 112, or 112→116 over 8 bars",
        time_maps.type_tempo, apart=True),
    Action("tempo-tap", "Tap tempo", "Ctrl+T", "Tap four times or more", lambda s: time_maps.tap_tempo(s.session)),
    Action("tempo-ramp", "Tempo holds or ramps", "", "Holds or ramps from the tempo point before the playhead to the "
                                                     "next", lambda s: time_maps.ramp_tempo(s.session)),
    Action("tempo-remove", "Remove tempo point", "", "Removes the one before the playhead",
        lambda s: time_maps.remove_tempo(s.session), refused=availability.later_tempo),
    Action("keep-sound", "Clips keep their time", "", "When the tempo changes; otherwise they keep their bars",
        lambda s: time_maps.toggle_keep_sound(s.session),
           checked=lambda s: s.session.settings.editing.clips_keep_time),
    Action("meter-type", "Set meter here…", "", "Sets the meter from the playhead's bar: 4/4, 7/8",
        time_maps.type_meter),
    Action("meter-remove", "Remove meter change", "", "Removes the one before the playhead",
        lambda s: time_maps.remove_meter(s.session), refused=availability.later_meter),
    Action("section-begin", "Add section here", "Shift+S", "Starts a section at the playhead and splits the one there",
        sections.begin_section, apart=True),
    Action("section-rename", "Rename section…", "", "Or double-click its name over the ruler", sections.rename_section,
        refused=availability.section),
    Action("section-select", "Select section", "", "Selects it as the span on the ruler",
        lambda s: sections.select_section(s.session), refused=availability.section),
    Action("section-double", "Duplicate section", "", "Copies it with its automation, notes and clips, right after "
                                                      "itself", lambda s: sections.double_section(s.session),
                                                          refused=availability.section),
    Action("section-earlier", "Move section earlier", "", "Moves it with its contents before the previous one",
        lambda s: sections.move_section(s.session, -1), refused=availability.section),
    Action("section-later", "Move section later", "", "Moves it with its contents after the next one",
        lambda s: sections.move_section(s.session, 1), refused=availability.section),
    Action("section-join", "Join with next section", "", "Joins both under the first one's name",
        lambda s: sections.join_section(s.session), refused=availability.section),
    Action("section-colour", "Next section colour", "", "Shown over the ruler and in the overview",
        lambda s: sections.colour_section(s.session), refused=availability.section),
    Action("section-remove", "Remove section", "", "Keeps its contents", lambda s: sections.remove_section(s.session),
        refused=availability.section),
    Action("version-new", "New version", "", "Starts another version of the section's automation; the current one is "
                                             "stored", sections.new_version, refused=availability.section, apart=True),
    Action("version-next", "Next version", "Ctrl+Shift+X", "Switches the section to its next version",
        lambda s: sections.next_version(s.session), refused=availability.section),
    Action("tempo-from-sound", "Tempo from audio…", "", "Proposes a tempo from the hits of the track",
        tempo_fit.propose_tempo, refused=availability.sound_track, apart=True),
    Action("bar-mark", "Mark bar line here", "'", "Marks a bar line of the recording at the playhead; again removes it",
        lambda s: tempo_fit.mark_bar(s.session)),
    Action("marks-fit", "Fit grid to marks…", "", "Sets how many bars lie between the marks", tempo_fit.fit,
        refused=availability.two_marks),
    Action("marks-clear", "Clear marks", "", "Keeps the grid", lambda s: tempo_fit.clear_marks(s.session),
        refused=availability.a_mark),
)  # fmt: skip
# Submenus, by id or by the beginning of one.
GROUPS = {
    "Tempo": ("tempo-type", "tempo-tap", "tempo-ramp", "tempo-remove", "keep-sound"),
    "Section": ("section-", "version-"),
    "Fit to a recording": ("tempo-from-sound", "bar-mark", "marks-"),
}
ACTIONS = grouped(_ROWS, GROUPS)
