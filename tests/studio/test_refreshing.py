# SPDX-License-Identifier: GPL-3.0-or-later
"""What the window offers and shows is of now: patterns just saved, sound files that have changed, the right project's
sound behind a lane; and settings that hold what they may."""

from __future__ import annotations

import json
import tempfile
import unittest
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from tests.present import present
from tests.studio.driver import WindowTest
from zolvek.core.curve import point_edits
from zolvek.core.curve.construction import curve
from zolvek.core.curve.pattern import Pattern
from zolvek.core.edits.replacement import with_track
from zolvek.core.model.project import Clip
from zolvek.core.records import replace
from zolvek.demo.night_regatta import build
from zolvek.studio.commands import sections
from zolvek.studio.session import settings
from zolvek.studio.session.session import Session
from zolvek.studio.session.settings import Settings
from zolvek.studio.views.panels.movement.lfo_page import LfoPage

RATE = 8_000


class Transactions(unittest.TestCase):
    def test_an_edit_and_its_selection_are_there_at_once_and_notified_once(self) -> None:
        session = Session(build(), Settings())
        lane = present(session.focus.id)
        seen: list[tuple[int, list[int]]] = []
        selected: list[int] = []
        session.document.changed.connect(
            lambda: seen.append((len(session.project.lane(lane).curve), session.points.chosen.tolist()))
        )
        session.points.changed.connect(lambda: selected.append(1))
        count, gesture = len(session.project.lane(lane).curve), object()
        made, index = point_edits.add(session.project.lane(lane).curve, 0.37, 0.2)
        for _ in range(2):  # the second of a drag changes nothing but what is selected
            session.edit_curve("Add a point", made, np.array([index]), gesture)
        session.document.cancel_gesture(gesture, partial(session.points.place, np.array([0])))
        self.assertEqual(seen, [(count + 1, [index]), (count + 1, [index]), (count, [0])])
        self.assertEqual(selected, [], "one notice an edit")

    def test_a_section_that_is_edited_stays_selected(self) -> None:
        session = Session(build(), Settings())
        seen: list[int | None] = []
        session.arranging.pick_section(1)
        session.document.changed.connect(lambda: seen.append(session.arranging.section))
        sections.change_section(session, 1, "Rename", name="Elsewhere")
        self.assertEqual(seen, [1])


class UpToDate(WindowTest):
    def test_a_pattern_just_saved_is_offered_as_a_wave(self) -> None:
        self.do("step-movement")
        (page,) = self.window.findChildren(LfoPage)
        before = page.wave.count()
        page.wave.setCurrentIndex(2)
        chosen = page.wave.currentData()
        self.session.shelf.save(Pattern("Two steps", 1.0, curve([(0.0, 0.2, "hold"), (0.5, 0.9, "hold"), (1.0, 0.2)])))
        self.assertEqual(page.wave.count(), before + 1)
        self.assertEqual(page.wave.currentData(), chosen, "what is chosen stays")
        page.wave.setCurrentIndex(page.wave.findText("Pattern: Two steps"))  # others may have patterns too
        self.assertEqual(present(page.made_lfo().pattern).name, "Two steps")
        self.session.shelf.undo()
        self.assertEqual(page.wave.count(), before)

    def test_a_sound_file_that_changes_or_comes_back_is_read_again(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "changes.wav"
            soundfile.write(path, np.full(RATE, 0.25), RATE)
            demo = build()
            own = replace(demo.tracks[0], clips=(Clip(0.0, str(path)),))
            self.show(with_track(demo, own))
            sounds = self.studio.sounds
            if not sounds.begun:
                sounds.begin()
            self.until(lambda: str(path) in sounds.peaks)
            self.assertAlmostEqual(sounds.lengths()[str(path)], 1.0, places=3)
            path.unlink()
            self.until(lambda: str(path) not in sounds.peaks)
            soundfile.write(path, np.full(3 * RATE, 0.5), RATE)
            self.until(lambda: str(path) in sounds.peaks)
            self.assertAlmostEqual(sounds.lengths()[str(path)], 3.0, places=3)

    def test_another_projects_sound_is_never_behind_a_lane(self) -> None:
        backdrops = self.lane.backdrops
        if not backdrops.begun:
            backdrops.begin()
        self.until(lambda: backdrops.shown() is not None)
        silent = tuple(replace(track, notes=(), clips=()) for track in build().tracks)
        self.show(replace(build(), tracks=silent))
        self.assertIsNone(backdrops.shown(), "its tracks have the same names")
        self.until(lambda: backdrops.shown() is not None)
        self.do("undo")  # nothing to undo: the project that was opened stays
        self.assertIsNotNone(backdrops.shown())


class SettingsRead(unittest.TestCase):
    def test_words_and_lists_of_the_settings_are_looked_at(self) -> None:
        """Each setting that takes one of a few values, with another one in the file; and lists of other things."""
        names = settings._words()
        wrong: dict[str, Any] = {**dict.fromkeys(names, "no such word"), "audio.rate": 12_345}
        right = {name: values[-1] for name, values in names.items()}
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "settings.json"

            def read(values: dict[str, Any], recent: object, by_area: bool) -> Settings:
                """Settings from a file with these values, in areas or as files had them before."""
                document: dict[str, Any] = {"recent": recent} if not by_area else {"files": {"recent": recent}}
                for name, value in values.items():
                    area, _, own = name.partition(".")
                    if by_area:
                        document.setdefault(area, {})[own] = value
                    else:
                        document[settings.OLDER[name]] = value
                path.write_text(json.dumps(document))
                return settings.read(path)

            for by_area in (False, True):
                self.assertEqual(read({**wrong, "window.index_width": "wide"}, ["/a", 3], by_area), Settings())
                made = read(right, ["/a"], by_area)
                for name, value in right.items():
                    if name != "editing.grid_division" or made.editing.grid_kind != "bars":
                        self.assertEqual(made.get(name), value, name)
                self.assertEqual(made.files.recent, ["/a"])
            settings.write(made, path)
            self.assertEqual(settings.read(path), made)


if __name__ == "__main__":
    unittest.main()
