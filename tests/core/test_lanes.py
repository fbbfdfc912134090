# SPDX-License-Identifier: GPL-3.0-or-later
"""Lanes as wholes: relative ones, pins, what lies next to the focus, free numbers, typed numbers."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tests.core.curves import curves
from tests.present import present
from zolvek.core.curve.construction import curve
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.point_edits import add, move
from zolvek.core.edits import lanes, replacement, targets
from zolvek.core.edits.edit_scope import edit_scope_of
from zolvek.core.edits.midi_numbers import free_number, taken_numbers
from zolvek.core.edits.monitoring import Listening, heard
from zolvek.core.errors import ZolvekError
from zolvek.core.model.messages import MESSAGES
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.records import replace
from zolvek.core.time.meter import MeterMap
from zolvek.core.value.number_entry import number_of, words
from zolvek.demo.night_regatta import build

DEMO = build()
AT = np.linspace(0.0, 190.0, 4_001)


class Relative(unittest.TestCase):
    @given(
        curves(),
        st.floats(0.0, 1.0),
        st.floats(0.0, 1.0),
        st.tuples(st.floats(0.0, 0.4), st.floats(0.6, 1.0)),
        st.booleans(),
    )
    def test_it_goes_along_with_its_control(
        self, own: Curve, stands: float, later: float, reach: tuple[float, float], turned: bool
    ) -> None:
        """Heard as before where the control stands; elsewhere moved by as much, and kept to the travel."""
        key = "horn.cutoff"
        project = replacement.set_dial(DEMO, "horn", "cutoff", stands)
        lane = replace(project.lane(key), curve=own, reach=reach[::-1] if turned else reach)
        project = replacement.with_lane(project, lane)
        heard = played(lane, project).at(AT)
        relative = lanes.made_relative(project, key)
        np.testing.assert_allclose(played(relative.lane(key), relative).at(AT), heard, atol=1e-9)
        back = lanes.made_absolute(relative, key)
        np.testing.assert_allclose(played(back.lane(key), back).at(AT), heard, atol=1e-9)
        moved = replacement.set_dial(relative, "horn", "cutoff", later)
        wanted = np.clip(heard + (later - stands), 0.0, 1.0)
        np.testing.assert_allclose(played(moved.lane(key), moved).at(AT), wanted, atol=1e-9)

    def test_layers_lie_on_it_and_its_middle_is_no_change(self) -> None:
        key = "lantern-strip.pan"
        project = lanes.made_relative(DEMO, key)
        np.testing.assert_allclose(
            played(project.lane(key), project).at(AT),
            played(DEMO.lane(key), DEMO).at(AT),
            atol=0.51,
        )
        fresh, added = replacement.add_lane(DEMO, "riser", "resonance")
        fresh = lanes.cleared(lanes.made_relative(fresh, added), added)
        own = fresh.device_of(added).position("resonance")
        np.testing.assert_allclose(played(fresh.lane(added), fresh).at(AT), own, atol=1e-12)


class Lanes(unittest.TestCase):
    @given(curves(), st.integers(0, 40), st.floats(-3.0, 3.0), st.sampled_from(["stop", "replace"]))
    def test_pins_go_with_their_points(self, own: Curve, which: int, beats: float, when_met: str) -> None:
        which %= len(own)
        pins = (float(own.beat[which]),)
        made, where = move(own, [which], beats, 0.0, when_met)
        old = replacement.with_lane(DEMO, replace(DEMO.lane("horn.cutoff"), curve=own, pins=pins))
        new = targets.put_curve(old, targets.base(old, "horn.cutoff"), made, (np.array([which]), where))
        self.assertEqual(new.lane("horn.cutoff").pins, (float(made.beat[where[0]]),))
        # Given nothing of what has moved, a pin goes along where that is plain, and is never of no point.
        self.assertTrue(set(lanes.pins_moved(pins, own, made)) <= set(made.beat.tolist()))

    def test_what_belongs_to_the_focus_comes_first(self) -> None:
        found = [lane.id for lane in lanes.beside(DEMO, "echo.mix")]
        self.assertEqual(found[:2], ["echo.feedback", "echo.time"])
        track = {lane.id for lane in DEMO.track_of("echo.mix").lanes}
        self.assertEqual(set(found[: len(track) - 1]), track - {"echo.mix"})
        self.assertEqual(len(found), len(list(DEMO.lanes())) - 1)
        kept = [x.id for x in lanes.beside(DEMO, "echo.mix", kept=frozenset({"fog-strip.level"}))]
        self.assertEqual(kept[0], "fog-strip.level")
        moving = lanes.beside(DEMO, "echo.mix", moving_in=(0.0, 16.0))
        self.assertTrue(moving and all(lanes.moves(lane, 0.0, 16.0) for lane in moving))

    def test_choices_hold_where_a_point_is_new(self) -> None:
        made, _ = add(curve([(0.0, 0.2)]), 8.0, 0.9, holds=True)
        made, _ = add(made, 16.0, 0.4, holds=True)
        self.assertEqual(made.shape.tolist()[:2], [0, 0])
        line = curve([(0.0, 0.2), (8.0, 0.9)])
        self.assertEqual(add(line, 4.0, 0.5, holds=True)[0].shape[0], 1, "a line that is there stays")

    def test_what_is_worked_on(self) -> None:
        own, meter = curve([(0.0, 0.1), (4.0, 0.5), (8.0, 0.2), (20.0, 0.9)]), MeterMap()
        rows: tuple[tuple[Any, ...], ...] = (
            (np.array([1, 2]), (0.0, 30.0), [1, 2], [1], "2 points"),
            (np.empty(0, np.intp), (3.0, 9.0), [1, 2], [0, 1, 2], "2 points in bars 1–3"),
            (np.empty(0, np.intp), (10.0, 12.0), [], [2], "0 points in bar 3"),
            (np.empty(0, np.intp), None, [0, 1, 2, 3], [0, 1, 2], "all points"),
        )
        for chosen, span, points, segments, name in rows:
            found = edit_scope_of(own, chosen, span, meter)
            self.assertEqual((found.points.tolist(), found.segments.tolist()), (points, segments))
            self.assertEqual(found.name, name)

    def test_a_layers_depth_and_rate_are_curves(self) -> None:
        """The depth put back unchanged is heard the same; the rate in octaves by its curve."""
        key = "lantern-strip.pan"
        layer = DEMO.lane(key).layers[0]
        depth = targets.layer_depth(DEMO, key, layer.id)
        same = depth.put(DEMO, lambda own: own)
        heard = played(DEMO.lane(key), DEMO).at(AT)
        np.testing.assert_allclose(played(same.lane(key), same).at(AT), heard, atol=1e-12)
        rate = targets.layer_rate(DEMO, key, layer.id)
        steady = rate.put(DEMO, lambda own: own)
        np.testing.assert_allclose(played(steady.lane(key), steady).at(AT), heard, atol=2e-3)
        self.assertAlmostEqual(float(rate.parameter.value(rate.to_position(0.0))), 1.0 / present(layer.lfo).rate.period)

    def test_a_free_number_is_free(self) -> None:
        for kind in ("cc", "cc14", "nrpn"):
            lane = next(iter(DEMO.lanes()))
            number = free_number(DEMO, lane.id, kind, lane.midi.channel)
            target = replace(lane.midi, kind=kind, controller=number)
            low, high = present(MESSAGES[kind].numbers)
            self.assertTrue(low <= number <= high)
            for other in DEMO.lanes():
                if other.id != lane.id and other.midi.channel == lane.midi.channel and kind != "nrpn":
                    self.assertFalse(taken_numbers(other.midi) & taken_numbers(target))


class Solo(unittest.TestCase):
    def test_a_track_that_is_safe_is_heard_beside_what_is_soloed(self) -> None:
        safe = replacement.with_track(DEMO, replace(DEMO.tracks[2], solo_safe=True))
        reported = heard(safe, Listening(solo=frozenset({"hull"})))
        self.assertEqual([t.muted for t in reported.tracks], [False, True, False, True])


class Typed(unittest.TestCase):
    @given(st.floats(-100.0, 100.0), st.sampled_from(["%", "st", "ms", "beats", ""]))
    def test_what_is_written_is_read(self, number: float, unit: str) -> None:
        shown = words(number, unit, 3)
        self.assertAlmostEqual(number_of(shown, unit, -100.0, 100.0, "x"), number, delta=6e-4)
        self.assertAlmostEqual(number_of(shown.replace(".", ","), unit, -100.0, 100.0, "x"), number, delta=6e-4)

    def test_refused_in_words(self) -> None:
        for text in ("200", "-1", "abc", "nan", "inf", "1e99", "", "5 dB"):
            with self.assertRaises(ZolvekError) as raised:
                number_of(text, "%", 0.0, 100.0, "Amount")
            self.assertIn("from 0 % to 100 %", raised.exception.remedy)


if __name__ == "__main__":
    unittest.main()
