# SPDX-License-Identifier: GPL-3.0-or-later
"""States, morphs and the pad: ends to the bit, weights by Shepard's formula, nothing else touched."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy.interpolate import RegularGridInterpolator

from tests import few
from tests.present import present
from zolvek.core.curve.construction import lines
from zolvek.core.edits import pads as pads_edits
from zolvek.core.edits import states as stored_states
from zolvek.core.edits.lanes import made_absolute, made_relative
from zolvek.core.edits.replacement import remove_lane, with_lane
from zolvek.core.errors import ZolvekError
from zolvek.core.model.layer import Layer
from zolvek.core.model.morph import MOMENTS, STAGGERS, Course
from zolvek.core.model.pad import Pad, PadCorner
from zolvek.core.model.project import Cycle, Lane, Project
from zolvek.core.model.state import State, StatePart
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.movement.generators.lfo import Lfo
from zolvek.core.movement.morphing import morphs, pad_paths
from zolvek.core.movement.morphing.morphs import chained, morphed, rows
from zolvek.core.movement.morphing.pad_paths import weights
from zolvek.core.records import replace
from zolvek.core.time.rates import Rate
from zolvek.demo.night_regatta import build, compose
from zolvek.formats import state_file
from zolvek.formats.project import project_file

DEMO = replace(build(), states=(), morphs=(), pads=())
HORN = DEMO.device_track("horn").device("horn")
KEYS = [p.id for p in HORN.row.parameters]
PLACES = st.tuples(st.integers(0, 50), st.integers(0, 50))
SPAN = (100.0, 116.0)


def settings_of(seed: int) -> dict[str, float]:
    """A random setting of the horn, choices in the middle of their steps."""
    rng = np.random.default_rng(seed)
    return {
        p.id: float(p.position(p.value(rng.random()))) if p.steps else float(rng.random()) for p in HORN.row.parameters
    }


class Meeting(unittest.TestCase):
    """A morph, or a puck's path, where it meets layers, loops, a narrow reach and lanes that are bypassed."""

    def lane(self, **more: Any) -> tuple[Project, Lane]:
        lane = next(x for x in DEMO.lanes() if x.device == "horn" and x.parameter == "cutoff")
        new_lane = replace(lane, reach=(0.3, 0.5), **more)
        return with_lane(DEMO, new_lane), new_lane

    def layers(self, amount: float) -> tuple[Layer, ...]:
        return (
            Layer("l1", "lfo", lfo=Lfo(rate=Rate(1.0)), amount=amount),
            Layer(
                "l2",
                "offset",
                first=40.0,
                last=130.0,
                curve=lines([40.0, 130.0], [0.2, 0.9]),
                amount=amount,
            ),
        )

    def check(
        self, project: Project, lane: Lane, made: Project, start: float, end: float, span: tuple[float, float]
    ) -> None:
        now = made.lane(lane.id)
        beats = np.concatenate((np.linspace(0.0, span[0] - 1e-6, 2_000), np.linspace(span[1] + 1e-6, 193.0, 2_000)))
        apart = np.abs(played(now, made).at(beats) - played(lane, project).at(beats))
        self.assertLess(apart.max(), 5e-4, "outside its span")
        ends = played(now, made).at([span[0], span[1] - 1e-9])
        np.testing.assert_allclose(ends, [start, end], atol=1e-6)

    def test_states_are_heard_at_both_ends_and_nothing_else_changes(self) -> None:
        start, end = settings_of(1), settings_of(2)
        for name, more in (
            ("clipped by its reach", {"layers": self.layers(0.9)}), ("within its reach", {"layers": self.layers(0.05)}),
            ("fitted", {"layers": self.layers(0.9), "fit": True}), ("a loop", {"cycle": Cycle(16.0, 7.0)}),
            ("scaled", {"layers": (replace(self.layers(0.5)[1], kind="scale"),)}),
        ):  # fmt: skip
            with self.subTest(name):
                project, lane = self.lane(**more)
                made = morphed(project, "horn", start, end, SPAN, Course(stays=False))
                self.check(project, lane, made, start["cutoff"], end["cutoff"], SPAN)

    def test_what_would_not_be_heard_is_said(self) -> None:
        project, _ = self.lane(bypassed=True)
        with self.assertRaisesRegex(ZolvekError, "is bypassed"):
            morphed(project, "horn", settings_of(1), settings_of(2), SPAN, Course())
        pad = Pad("horn", (PadCorner("a", 0.0, 0.0), PadCorner("b", 1.0, 1.0)), first=100.0, last=116.0)
        states = tuple(State(k, k, (StatePart("horn", settings_of(n)),)) for n, k in enumerate("ab", 1))
        with self.assertRaisesRegex(ZolvekError, "is bypassed"):
            pad_paths.as_lanes(replace(project, states=states), pad, 0.002)
        project, lane = self.lane(layers=self.layers(0.9))
        path = lines([100.0, 116.0], [0.0, 1.0])
        made = pad_paths.as_lanes(replace(project, states=states), replace(pad, x=path, y=path), 0.002)
        now = made.lane(lane.id)
        beats = np.concatenate((np.linspace(0.0, 99.9, 2_000), np.linspace(116.1, 193.0, 2_000)))
        apart = np.abs(played(now, made).at(beats) - played(lane, project).at(beats))
        self.assertLess(apart.max(), 5e-4)
        values = played(now, made).at([100.0, 116.0 - 1e-9])
        np.testing.assert_allclose(values, [settings_of(1)["cutoff"], settings_of(2)["cutoff"]], atol=5e-3)

    def test_a_lane_made_relative_and_back_keeps_its_layers_heard(self) -> None:
        for amount in (0.05, 0.9):
            project, lane = self.lane(layers=self.layers(amount))
            beats = np.linspace(0.0, 193.0, 5_000)
            before = played(lane, project).at(beats)
            relative = made_relative(project, lane.id)
            again = made_absolute(relative, lane.id)
            for made in (relative, again):
                apart = np.abs(played(made.lane(lane.id), made).at(beats) - before)
                self.assertLess(apart.max(), 5e-4, amount)


class Morphs(unittest.TestCase):
    @given(
        st.integers(0, 10**6),
        st.integers(0, 10**6),
        st.sampled_from(["line", "bend", "s-curve", "cosine"]),
        st.sampled_from(list(MOMENTS)),
        st.sampled_from(list(STAGGERS)),
    )
    @few
    def test_ends_are_the_states_and_nothing_else_changes(
        self, a: int, b: int, shape: str, moment: str, stagger: str
    ) -> None:
        start, end = settings_of(a), settings_of(b)
        if not stored_states.differing(start, end):
            return
        way = Course(shape, 0.4 if shape in ("bend", "s-curve") else 0.0, moment, stagger, stays=False)
        made = morphed(DEMO, "horn", start, end, SPAN, way)
        moved = {row.parameter.id for row in rows(DEMO, "horn", start, end)}
        # What both states say alike sounds as they say, where the device does otherwise.
        track = DEMO.device_track("horn")
        for key in set(start) & set(end) - moved:
            lane = track.lane_on("horn", key)
            at = np.linspace(SPAN[0], SPAN[1] - 1e-6, 50)
            heard = played(lane, DEMO).at(at) if lane else np.array([HORN.position(key)])
            if np.abs(heard - start[key]).max() > 1e-9:
                moved.add(key)
        outside = np.array([0.0, 33.0, 64.0, 99.99, 116.0, 117.0, 150.0, 193.0])
        for lane in made.lanes():
            before = next((x for x in DEMO.lanes() if x.id == lane.id), None)
            if lane.device != "horn" or lane.parameter not in moved:
                self.assertIs(lane, before, "those that do not differ are left alone")
                continue
            parameter = HORN.parameter(lane.parameter)
            rest = played(before, DEMO).at(outside) if before else np.full(8, HORN.position(parameter.id))
            np.testing.assert_allclose(lane.at(outside), rest, atol=1e-12)
            inside = float(lane.at(SPAN[0])), float(lane.at(np.nextafter(SPAN[1], 0)))
            for got, wanted in zip(inside, (start, end), strict=True):
                if parameter.steps:
                    allowed = {parameter.text(v[parameter.id]) for v in (start, end)}
                    self.assertIn(parameter.text(got), allowed)
                else:
                    self.assertAlmostEqual(got, wanted[parameter.id], delta=1e-9)
                    self.assertEqual(parameter.text(got), parameter.text(wanted[parameter.id]))
            if parameter.steps:
                passed = {parameter.text(float(v)) for v in lane.at(np.linspace(*SPAN, 200)[:-1])}
                self.assertLessEqual(passed, {parameter.text(v[parameter.id]) for v in (start, end)})

    def test_frequencies_go_in_octaves_and_the_end_stays(self) -> None:
        """Half way between 100 Hz and 10 kHz is 1 kHz, the geometric mean."""
        cutoff = HORN.parameter("cutoff")
        bare = remove_lane(DEMO, "horn.cutoff")
        start, end = ({"cutoff": cutoff.parse(t)} for t in ("100 Hz", "10 kHz"))
        lane = morphed(bare, "horn", start, end, SPAN, Course()).lane("horn.cutoff")
        self.assertEqual(cutoff.text(float(lane.at(108.0))), "1 kHz")
        self.assertEqual(
            [cutoff.text(float(lane.at(b))) for b in (100.0, 116.0, 150.0)],
            ["100 Hz", "10 kHz", "10 kHz"],
        )
        narrow = morphed(DEMO, "horn", start, end, SPAN, Course()).lane("horn.cutoff")
        self.assertEqual(cutoff.text(float(narrow.at(116.0))), "10 kHz")

    def test_chains_and_linked_morphs(self) -> None:
        project, ids = DEMO, []
        for seed in (1, 2, 3):
            project, key = stored_states.kept(project, f"S{seed}", (StatePart("horn", settings_of(seed)),))
            ids.append(key)
        stops = [(96.0, ""), (104.0, ids[0]), (112.0, ids[1]), (128.0, ids[2])]
        made = chained(project, "horn", stops, Course("cosine"))
        for beat, key in stops[1:]:
            heard = stored_states.at_beat(made, "horn", beat)
            wanted = stored_states.state_of(made, key).of("horn")
            for name in ("cutoff", "level", "attack", "pan"):
                self.assertAlmostEqual(heard[name], wanted[name], delta=1e-9)
        state = stored_states.state_of(made, ids[1])
        changed = State(state.id, state.name, (StatePart("horn", {**state.of("horn"), "cutoff": 0.123}),))
        after = morphs.with_state(made, changed)
        self.assertAlmostEqual(stored_states.at_beat(after, "horn", 112.0)["cutoff"], 0.123, places=9)
        self.assertEqual(project_file.decode(project_file.encode(after)), after)
        self.assertEqual(stored_states.without_state(after, ids[1]).morphs, ())

    def test_what_can_not_be_is_said_plainly(self) -> None:
        one = settings_of(1)
        for wrong in (
            lambda: morphed(DEMO, "horn", one, one, SPAN, Course()),
            lambda: morphed(DEMO, "horn", one, settings_of(2), (4.0, 4.0), Course()),
            lambda: morphed(DEMO, "gone", one, settings_of(2), SPAN, Course()),
            lambda: morphed(DEMO, "horn", one, {"nothing": 0.5}, SPAN, Course()),
            lambda: chained(DEMO, "horn", [(1.0, "")], Course()),
            lambda: chained(DEMO, "horn", [(1.0, ""), (2.0, "no such")], Course()),
            lambda: State("s", "S", (StatePart("horn", {"cutoff": 1.5}),)),
            lambda: Pad("horn", (PadCorner("a", 0.5, 0.5), PadCorner("b", 0.5, 0.5))),
            lambda: weights((PadCorner("a", 0.5, 0.5),), 0.1, 0.1),
            lambda: stored_states.state_of(DEMO, "no such"),
        ):
            with self.assertRaises(ZolvekError):
                wrong()

    def test_variations_keep_their_distance_and_seed(self) -> None:
        base = settings_of(5)
        made = stored_states.mutated(HORN, base, 0.2, 7)
        self.assertEqual(made, stored_states.mutated(HORN, base, 0.2, 7))
        self.assertNotEqual(made, stored_states.mutated(HORN, base, 0.2, 8))
        for parameter in HORN.row.parameters:
            if not parameter.steps:
                self.assertLessEqual(abs(made[parameter.id] - base[parameter.id]), 0.2 + 1e-12)
        self.assertEqual(stored_states.mutated(HORN, base, 0.0, 7), base)

    def test_states_go_to_a_file_and_back(self) -> None:
        project, _ = stored_states.kept(DEMO, "Mine", (StatePart("horn", settings_of(3)),))
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "states.json"
            state_file.save(project, list(project.states), path)
            other = state_file.load_into(DEMO, "riser", path)
            self.assertEqual(other.states[0].of("riser"), settings_of(3))
            with self.assertRaises(ZolvekError):
                state_file.load_into(DEMO, "echo", path)
            path.write_bytes(path.read_bytes().replace(b'"cutoff"', b'"shutoff"'))
            with self.assertRaises(ZolvekError) as caught:
                state_file.load_into(DEMO, "horn", path)
            self.assertIn("states.json", str(caught.exception))

    def test_the_demo_that_ships_is_the_one_that_is_composed(self) -> None:
        made, shipped = compose(), build()
        self.assertEqual(replace(made, tracks=()), replace(shipped, tracks=()))
        for lane, other in zip(made.lanes(), shipped.lanes(), strict=True):
            x = np.linspace(0, made.length, 3_000)
            np.testing.assert_allclose(lane.curve.at(x), other.curve.at(x), atol=1e-6, err_msg=lane.id)


class Pads(unittest.TestCase):
    @given(st.lists(PLACES, min_size=2, max_size=8, unique=True), st.integers(0, 10**6))
    def test_weights_are_shepards(self, places: list[tuple[float, float]], seed: int) -> None:
        """Shepard 1968: inverse squared distances, shared out."""
        corners = tuple(PadCorner(str(i), x / 50, y / 50) for i, (x, y) in enumerate(places))
        x, y = np.random.default_rng(seed).random((2, 200))
        got = weights(corners, x, y)
        np.testing.assert_allclose(got.sum(axis=0), 1.0, atol=1e-12)
        self.assertGreaterEqual(got.min(), 0.0)
        inverse = np.array([1.0 / ((x - c.x) ** 2 + (y - c.y) ** 2) for c in corners])
        np.testing.assert_allclose(got, inverse / inverse.sum(axis=0), atol=1e-9)
        at = weights(corners, [c.x for c in corners], [c.y for c in corners])
        np.testing.assert_array_equal(at, np.eye(len(corners)))

    def test_four_corners_are_bilinear(self) -> None:
        """scipy.interpolate.RegularGridInterpolator, linear, at a rectangle's corners."""
        corners = (
            PadCorner("a", 0.1, 0.2),
            PadCorner("b", 0.9, 0.2),
            PadCorner("c", 0.1, 0.8),
            PadCorner("d", 0.9, 0.8),
        )
        x, y = np.random.default_rng(1).uniform([[0.1], [0.2]], [[0.9], [0.8]], (2, 300))
        got = weights(corners, x, y, "corners")
        for row, corner in enumerate(corners):
            grid = np.array([[float((u, v) == (corner.x, corner.y)) for v in (0.2, 0.8)] for u in (0.1, 0.9)])
            wanted = RegularGridInterpolator(((0.1, 0.9), (0.2, 0.8)), grid)(np.column_stack((x, y)))
            np.testing.assert_allclose(got[row], wanted, atol=1e-12)
        with self.assertRaises(ZolvekError):
            weights(corners[:3], 0.5, 0.5, "corners")

    def test_a_path_becomes_lanes_within_its_tolerance(self) -> None:
        project, corners = DEMO, []
        for seed, (x, y) in enumerate(((0, 0), (1, 0), (0.5, 1))):
            project, key = stored_states.kept(project, f"S{seed}", (StatePart("horn", settings_of(seed)),))
            corners.append(PadCorner(key, x, y))
        for kind in pad_paths.TRAVELS:
            pad = pad_paths.travelled(Pad("horn", tuple(corners)), kind, Rate(8.0), (128.0, 160.0), project, 3)
            made = pad_paths.as_lanes(pads_edits.with_pad(project, pad), pad, 0.002)
            beats = np.linspace(128.0, 159.9, 3_000)
            wanted = pad_paths.mixed(project, pad, pad.x.at(beats), pad.y.at(beats))
            for key, positions in wanted.items():
                lane = made.device_track("horn").lane_on("horn", key)
                if not HORN.parameter(key).steps:
                    self.assertLess(np.abs(present(lane).at(beats) - positions).max(), 0.003, (kind, key))
                before = DEMO.device_track("horn").lane_on("horn", key)
                if before is not None:
                    at = np.array([0.0, 50.0, 127.9, 170.0])
                    np.testing.assert_allclose(present(lane).at(at), before.at(at), atol=1e-9)
            self.assertEqual(project_file.decode(project_file.encode(made)), made)


if __name__ == "__main__":
    unittest.main()
