# SPDX-License-Identifier: GPL-3.0-or-later
"""Laws that hold for any sequence of edits."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import example, given
from hypothesis import strategies as st

from tests import few
from zolvek.core.curve import point_edits, shaping, spans
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.quantising import quantised
from zolvek.core.curve.rules import first_fault
from zolvek.core.curve.shapes import SHAPES
from zolvek.core.edits import lanes
from zolvek.core.edits.replacement import with_curve, with_lane
from zolvek.core.errors import ZolvekError
from zolvek.core.history.history import History
from zolvek.core.model.project import Cycle, Pattern
from zolvek.core.movement.evaluation.lane_evaluation import unrolled
from zolvek.core.records import replace
from zolvek.core.time.grid import Grid
from zolvek.core.value.adjustment import by_units, parse_change
from zolvek.core.value.value_grid import ValueGrid
from zolvek.demo.night_regatta import build

DEMO = build()
IDS = [lane.id for lane in DEMO.lanes()]


def random_edit(rng: np.random.Generator, curve: Curve) -> Curve:
    """One of all the edits there are, at random."""
    count = len(curve)
    some = np.unique(rng.integers(0, count, rng.integers(1, 6)))
    first = float(rng.uniform(0, 150))
    last = first + float(rng.uniform(0.5, 40))
    mode = (point_edits.STOP, point_edits.REPLACE)[int(rng.integers(2))]
    grid = Grid(int(rng.choice([1, 4, 16])), str(rng.choice(["straight", "triplet", "dotted"])))
    span = [
        lambda piece: shaping.lifted(piece, rng.uniform(-1, 1)),
        lambda piece: shaping.scaled(piece, rng.uniform(-2, 2), rng.random()),
        lambda piece: shaping.tilted(piece, rng.uniform(-1, 1), rng.uniform(-1, 1)),
        shaping.mirrored,
        shaping.inverted,
        lambda piece: shaping.faded(piece, bool(rng.integers(2)), rng.random()),
        lambda piece: shaping.flattened(piece),
    ]
    work = [
        lambda: point_edits.add(curve, first, rng.random())[0],
        lambda: point_edits.delete(curve, some),
        lambda: point_edits.move(curve, some, rng.uniform(-30, 30), rng.uniform(-1, 1), mode)[0],
        lambda: point_edits.set_shape(curve, some, SHAPES[int(rng.integers(len(SHAPES)))].key),
        lambda: point_edits.set_value(curve, some, rng.random()),
        lambda: point_edits.bend_through(curve, int(some[0]), first, rng.random()),
        lambda: point_edits.toggle_jump(curve, int(some[0])),
        lambda: quantised(curve, grid, DEMO.meter, rng.random(), some)[0],
        lambda: spans.splice(curve, rng.uniform(0, 100), spans.piece(curve, first, last)),
        lambda: spans.clear(curve, first, last),
        lambda: shaping.on_span(curve, first, last, span[int(rng.integers(len(span)))], float(rng.choice([0.0, 0.3]))),
    ]  # fmt: skip
    return work[int(rng.integers(len(work)))]()


class Laws(unittest.TestCase):
    @few
    @example(20_568)
    @given(st.integers(0, 100_000))
    def test_200_random_edits_keep_the_rules_and_undo_gives_all_back(self, seed: int) -> None:
        rng = np.random.default_rng(seed)
        history = History.start(DEMO)
        seen = [DEMO]
        for step in range(200):
            lane = history.project.lane(IDS[int(rng.integers(len(IDS)))])
            try:
                curve = random_edit(rng, lane.curve)
            except ZolvekError:
                continue
            self.assertIsNone(first_fault(curve.beat, curve.value, curve.shape, curve.amount))
            project = with_curve(history.project, lane.id, curve)
            history = history.edited(project, f"edit {step}")
            if history.project is project:
                seen.append(project)
        self.assertGreater(len(seen), 100)
        for project in reversed(seen[:-1]):
            history = history.undone()
            self.assertIs(history.project, project)

    def test_linked_lanes_follow_and_locked_ones_do_not(self) -> None:
        project = lanes.linked(DEMO, "horn.cutoff", "echo.feedback", -0.5)
        before = project.lane("horn.cutoff").curve
        after = point_edits.set_value(before, [2], before.value[2] + 0.2)
        moved = lanes.followed(with_curve(project, "horn.cutoff", after), "horn.cutoff", before, after)
        other = DEMO.lane("echo.feedback").curve
        self.assertAlmostEqual(float(moved.lane("echo.feedback").curve.at(32.0)), float(other.at(32.0)) - 0.1)
        self.assertEqual(float(moved.lane("echo.feedback").curve.at(100.0)), float(other.at(100.0)))
        with self.assertRaises(ZolvekError):
            lanes.linked(DEMO, "horn.cutoff", "horn.cutoff", 1.0)

    def test_reach_keeps_form_or_sound(self) -> None:
        lane = DEMO.lane("horn.cutoff")
        beats = np.linspace(0, 190, 300)
        form = lanes.with_reach(lane, 0.2, 0.9)
        np.testing.assert_array_equal(form.curve.at(beats), lane.curve.at(beats))
        sound = lanes.with_reach(lane, 0.2, 0.9, keep_sound=True)
        np.testing.assert_allclose(sound.at(beats), lane.at(beats), atol=1e-12)
        inverted = lanes.with_reach(lane, 0.9, 0.2)
        np.testing.assert_allclose(inverted.at(beats), 1.1 - form.at(beats), atol=1e-12)

    def test_a_curve_keeps_its_form_on_another_control(self) -> None:
        moved = lanes.retarget(DEMO, "horn.cutoff", "mallet", "drive")
        self.assertEqual(moved.lane("horn.cutoff").curve, DEMO.lane("horn.cutoff").curve)
        with self.assertRaises(ZolvekError):
            lanes.retarget(DEMO, "horn.cutoff", "echo", "feedback")

    def test_a_section_switched_to_a_slot_plays_it(self) -> None:
        """A gate at eighth notes, then a variant twice as fast (common practice, no source)."""
        gate = Pattern("slow", 2.0, spans.piece(DEMO.lane("fog-strip.level").curve, 96.0, 98.0))
        fast = Pattern("fast", 1.0, shaping.stretched(gate.curve, 0.5))
        lane = DEMO.lane("horn.resonance")
        lane = replace(lane, slots=(gate, fast))
        lane = lanes.with_switch(lanes.with_switch(lane, 32.0, 0), 64.0, 1)
        heard = unrolled(lanes.with_switch(lane, 96.0, -1), 194.0)
        for start, pattern in ((32.0, gate), (62.0, gate), (64.0, fast), (95.0, fast)):
            beats = np.linspace(0.02, pattern.length - 0.02, 40)
            off = np.abs((start + beats)[:, None] - heard.beat).min(axis=1) > 1e-6
            np.testing.assert_allclose(heard.at(start + beats)[off], pattern.curve.at(beats)[off], atol=1e-9)
        self.assertEqual(float(heard.at(120.0)), float(lane.curve.at(120.0)))

    def test_a_cycle_is_heard_by_the_renderer_and_exported(self) -> None:
        from zolvek.formats.midi import step_streams
        from zolvek.sound.signal.automation import applied_lanes

        lane = DEMO.lane("horn.cutoff")
        looped = replace(lane, cycle=Cycle(64.0, 4.0))
        project = with_lane(DEMO, looped)
        applied = applied_lanes(project, False)["horn"]["cutoff"]
        exported = next(x for x in step_streams.exported_lanes(project) if x.lane.id == lane.id)
        for heard in (applied, exported):
            self.assertAlmostEqual(float(heard.curve.at(150.5)), float(lane.curve.at(66.5)), places=3)


class Changes(unittest.TestCase):
    def test_units_and_typed_changes(self) -> None:
        """Common practice, no source: an octave is 12 semitones and doubles a frequency."""
        horn = DEMO.device_track("horn").device("horn")
        cases = (
            ("cutoff", "440 Hz", "+12 st", "880 Hz"), ("cutoff", "440 Hz", "x0.5", "220 Hz"),
            ("cutoff", "440 Hz", "+60 Hz", "500 Hz"), ("level", "-6 dB", "-3 dB", "−9.0 dB"),
            ("level", "0 dB", "x0.5", "−6.0 dB"), ("transpose", "+5 st", "+2 st", "+7 st"),
            ("transpose", "+5 st", "-30 st", "−24 st"), ("wave", "Saw", "+2", "Mallet"), ("noise", "10 %", "+25",
                "35 %"),
        )  # fmt: skip
        for key, start, change, wanted in cases:
            parameter = horn.parameter(key)
            position = parse_change(parameter, change)(np.array([parameter.parse(start)]))
            self.assertEqual(parameter.text(float(position[0])), wanted, (key, change))
        for text in ("", "loud", "x", "+3 Hz"):
            with self.assertRaises(ZolvekError):
                parse_change(horn.parameter("transpose"), text)
        step = by_units(horn.parameter("level"), 1.0)(np.array([horn.parameter("level").parse("-6")]))
        self.assertEqual(horn.parameter("level").text(float(step[0])), "−5.0 dB")

    def test_the_value_grid_snaps_to_whole_units(self) -> None:
        lane, parameter = DEMO.lane("mallet.transpose"), DEMO.parameter_of("mallet.transpose")
        grid = ValueGrid("units")
        self.assertEqual(len(grid.levels(lane.reach, parameter)), 49)
        self.assertEqual(parameter.text(grid.snap(parameter.parse("+3.4 st"), lane.reach, parameter)), "+3 st")
        self.assertEqual(ValueGrid().snap(0.123, lane.reach, parameter), 0.123)
        self.assertEqual(ValueGrid("divisions", 4).snap(0.3, lane.reach, parameter), 0.25)
