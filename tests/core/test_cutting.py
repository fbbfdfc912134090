# SPDX-License-Identifier: GPL-3.0-or-later
"""Segments cut anywhere are what they were; jumps inside segments are jumps everywhere; and a shape is
no more than its row of the table."""

from __future__ import annotations

import json
import subprocess
import sys
import unittest
from typing import Any
from unittest import mock

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import quad

from tests import starts_processes
from tests.core.curves import curves
from zolvek.core.curve import rules
from zolvek.core.curve.construction import curve, lines
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.discontinuities import inner_jumps, leaps
from zolvek.core.curve.point_edits import add, delete, set_value
from zolvek.core.curve.shapes import SHAPES
from zolvek.core.curve.shaping import mirrored, scaled
from zolvek.core.curve.spans import cut, piece, splice
from zolvek.core.model.messages import even
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.movement.evaluation.quantised_steps import Resolution, stepped
from zolvek.core.records import replace
from zolvek.core.time.tempo import TempoMap
from zolvek.demo.night_regatta import build
from zolvek.formats.project import project_file
from zolvek.formats.tables import curve_csv
from zolvek.native import loops
from zolvek.sound.signal.automation import Block, Controls

SAME = 1e-12


def places(drawn: Curve, rng: np.random.Generator) -> np.ndarray:
    """Beats everywhere in a curve, but not within a rounding of a jump, where both sides are right."""
    first, last = drawn.beat[0], drawn.beat[-1]
    at = np.concatenate((np.linspace(first, last, 400), rng.uniform(first, last, 300)))
    for jump in leaps(drawn):
        at = at[np.abs(at - jump) > 1e-9]
    return at


class Cutting(unittest.TestCase):
    @given(curves(), st.integers(0, 10_000), st.integers(1, 6))
    def test_a_cut_changes_nothing_and_adds_its_own_points_only(self, drawn: Curve, seed: int, count: int) -> None:
        rng = np.random.default_rng(seed)
        if len(drawn) < 2 or drawn.beat[-1] == drawn.beat[0]:
            return
        at = places(drawn, rng)
        cuts = rng.uniform(drawn.beat[0], drawn.beat[-1], count)
        whole = cut(drawn, cuts)
        self.assertEqual(len(whole), len(drawn) + len(np.setdiff1d(cuts, drawn.beat)))
        np.testing.assert_allclose(whole.at(at), drawn.at(at), atol=SAME, rtol=0)
        np.testing.assert_allclose(whole.before(at), drawn.before(at), atol=SAME, rtol=0)
        again = cut(whole, rng.uniform(drawn.beat[0], drawn.beat[-1], count))
        # Next to a turn of waves a part's swing is fitted to 0..1, and says its ends less surely.
        np.testing.assert_allclose(again.at(at), drawn.at(at), atol=1e-11, rtol=0)
        edges = np.sort(rng.uniform(drawn.beat[0], drawn.beat[-1], 9))
        for got, wanted in zip(again.extents(edges), drawn.extents(edges), strict=True):
            np.testing.assert_allclose(got, wanted, atol=SAME, rtol=0)
        # Of a curve and of its points, in files too.
        # A part of waves whose ends nearly meet swings far beyond them: turned round it is as sure as they are.
        for back, sure in (
            (curve_csv.from_text(curve_csv.to_text(again), "here"), 1e-11),
            (mirrored(mirrored(again)), 1e-9),
            (splice(again, float(drawn.beat[0]), piece(again, float(drawn.beat[0]), float(drawn.beat[-1]))), 1e-11),
        ):  # fmt: skip
            np.testing.assert_allclose(back.at(at), drawn.at(at), atol=sure, rtol=0)

    @given(st.sampled_from([row.key for row in SHAPES]), st.floats(0.02, 0.98), st.integers(1, 8))
    def test_a_point_put_on_a_segment_and_taken_again(self, key: Any, where: float, count: int) -> None:
        row = next(shape for shape in SHAPES if shape.key == key)
        amount = {"none": 0.0, "bend": 0.7, "count": float(count)}[row.amount.kind]
        drawn = curve([(0.0, 0.2, key, amount), (4.0, 0.9, "line"), (6.0, 0.1)])
        at = places(drawn, np.random.default_rng(count))
        put, index = add(drawn, 4.0 * where, float(drawn.at(4.0 * where)))
        np.testing.assert_allclose(put.at(at), drawn.at(at), atol=SAME, rtol=0)
        taken = delete(put, [index])
        np.testing.assert_allclose(taken.at(at), drawn.at(at), atol=SAME, rtol=0)
        more = cut(drawn, [0.7, 1.9, 3.1])
        back = delete(more, [1, 2, 3])
        np.testing.assert_allclose(back.at(at), drawn.at(at), atol=SAME, rtol=0)
        # Moved, it takes the curve along: through the point, still between 0 and 1.
        moved = set_value(put, [index], 1.0)
        self.assertEqual(float(moved.at(4.0 * where)), 1.0)
        low, high = moved.extent(0.0, 6.0)
        self.assertTrue(low >= 0.0 and high <= 1.0)
        np.testing.assert_allclose(scaled(put, 0.5, 0.5).at(at), 0.5 + 0.5 * (drawn.at(at) - 0.5), atol=SAME, rtol=0)

    def test_files_without_parts_are_read_and_those_with_are_kept(self) -> None:
        drawn = cut(curve([(0.0, 0.1, "waves", 3.0), (8.0, 0.9)]), [1.3, 5.5])
        self.assertEqual(curve_csv.from_text(curve_csv.to_text(drawn), "here"), drawn)
        plain = curve_csv.from_text("beat,value,shape,amount\r\n0,0.1,waves,3\r\n8,0.9,line,0\r\n", "x")
        self.assertEqual(len(plain.part), 0)
        project = build()
        lane = next(project.lanes())
        from zolvek.core.edits.replacement import with_curve

        kept = project_file.decode(project_file.encode(with_curve(project, lane.id, drawn)))
        self.assertEqual(kept.lane(lane.id).curve, drawn)
        document = json.loads(project_file.encode(project))
        self.assertGreater(without_parts(document), 10)
        self.assertEqual(project_file.decode(json.dumps(document).encode()), project)


def without_parts(document: Any) -> int:
    """Take `part` from every curve of a decoded project file; how many had one."""
    rows = document.values() if isinstance(document, dict) else document
    found = 0
    if isinstance(document, dict) and "part" in document:
        assert document.pop("part") == []
        found = 1
    return found + sum(without_parts(row) for row in rows if isinstance(row, (dict, list)))


class Jumps(unittest.TestCase):
    def test_stairs_and_pulses_send_a_message_a_level(self) -> None:
        """Four pulses and six stairs: as many messages as there are levels, none between two."""
        drawn = curve([(0.0, 0.1, "pulses", 4.0), (4.0, 0.9, "stairs", 6.0), (8.0, 0.2)])
        project = build()
        lane = replace(next(project.lanes()), curve=drawn, layers=(), cycle=None, switches=())
        for resolution in (Resolution(), Resolution(1, 20.0)):
            made = stepped(played(lane, project), 8.0, even(127), TempoMap(), resolution)
            levels = np.round(127.0 * drawn.at(np.append(0.0, leaps(drawn)))).astype(int)
            new = np.append(True, np.diff(levels) != 0)
            self.assertEqual(made.value.tolist(), levels[new].tolist())
            self.assertEqual(len(made.value), 14)
            jumps = np.append(0.0, leaps(drawn))[new]
            self.assertLessEqual(np.abs(made.tick / 960.0 - jumps).max(), 0.5 / 960.0 + 1e-12)

    def test_in_sound_they_land_on_their_frame(self) -> None:
        """Held from the first frame at or after each jump: at every frame what the curve says."""
        drawn = curve([(0.1, 0.1, "pulses", 7.0), (3.3, 0.9, "stairs", 5.0), (7.7, 0.2)])
        project = build()
        own = next(lane for lane in project.lanes() if lane.id == "horn.cutoff")
        lane = replace(own, curve=drawn, layers=(), cycle=None, switches=(), reach=(0.0, 1.0))
        beats = np.arange(192_000.0) * (112.0 / 60.0 / 48_000)
        device = project.device_of(lane.id)
        for spacing in (16, 64):
            controls = Controls(device, {"cutoff": played(lane, project)}, Block(beats, 48_000), spacing)
            heard = controls.spread(controls.values("cutoff"))
            wanted = device.parameter("cutoff").value(drawn.at(beats))
            self.assertEqual(int((heard != wanted).sum()), 0)

    def test_inner_jumps_are_where_the_curve_jumps(self) -> None:
        drawn = cut(curve([(1.0, 0.1, "pulses", 5.0), (7.0, 0.9, "stairs", 3.0), (9.0, 0.2)]), [2.3])
        at = inner_jumps(drawn)
        self.assertEqual(len(at), 9 + 3)
        self.assertTrue((np.abs(drawn.at(at) - drawn.before(at)) > 0.1).all())
        between = 0.5 * (at[1:] + at[:-1])
        np.testing.assert_allclose(drawn.at(between), drawn.before(between))

    @given(st.sampled_from(range(len(SHAPES))), st.floats(0.0, 0.9), st.floats(0.05, 1.0))
    def test_means_are_those_of_quadrature(self, code: int, u0: float, more: Any) -> None:
        """Against QUADPACK's adaptive rule (Piessens et al., 1983), by way of scipy."""
        row = SHAPES[code]
        amount = {"none": 0.0, "bend": -0.6, "count": 3.0}[row.amount.kind]
        u1 = min(u0 + more, 1.0)
        if u1 - u0 < 1e-3:
            return
        edges = [u for u in (*row.jumps(amount), *row.turns(amount)) if u0 < u < u1]
        wanted, _ = quad(
            lambda u: float(row.rise(np.array([u]), np.array([amount]))[0]),
            u0,
            u1,
            points=edges or None,
            limit=200,
        )
        got = float(row.mean(np.array([u0]), np.array([u1]), np.array([amount]))[0])
        self.assertAlmostEqual(got, wanted / (u1 - u0), delta=1e-8)


MADE_UP = """
import numpy as np
from zolvek.core.curve import shapes
form = lambda u: u * u * (3.0 - 2.0 * u)
row = shapes.Shape("made-up", "Made up", shapes.NONE, form, lambda a: (),
                   lambda u0, u1, a: (form(u0), form(u1)), True)
shapes.SHAPES = (*shapes.SHAPES, row)
shapes.CODES["made-up"] = len(shapes.CODES)
from zolvek.core.curve.construction import curve
from zolvek.core.curve.deviation import differences
from zolvek.core.curve.shaping import mirrored, smoothed
from zolvek.core.curve.spans import cut, piece
from zolvek.core.curve.thinning import thinned
from zolvek.studio.toolkit.outline import line
from zolvek.studio.toolkit.viewport import Viewport
drawn = curve([(0.0, 0.2, "made-up"), (8.0, 0.9)])
at = np.linspace(0.0, 8.0, 801)
reported = 0.2 + 0.7 * form(at / 8.0)
far = lambda got, wanted=reported: float(np.abs(got - wanted).max())
x, y = line(drawn, Viewport(8.0))
print(max(
    far(drawn.at(at)), far(cut(drawn, [1.0, 3.3]).at(at)), far(mirrored(drawn).at(at), reported[::-1]),
    far(piece(drawn, 1.0, 7.0).at(at[:601]), reported[100:701]),
    far(y, 0.2 + 0.7 * form(x / 800.0)),
    max(far(thinned(drawn, 0.01, shapes).curve.at(at)) - 0.01 for shapes in (False, True)),
    far(drawn.extents(at)[0][:-1], reported[:-2]),
))
"""


class Rows(unittest.TestCase):
    @starts_processes
    def test_a_made_up_row_is_cut_mirrored_fitted_and_painted(self) -> None:
        done = subprocess.run([sys.executable, "-c", MADE_UP], capture_output=True, text=True, timeout=120)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertLess(float(done.stdout), 1e-9)

    def test_values_in_c_are_those_of_the_table(self) -> None:
        """Every row, whole and cut, at places in order and in any, on points and between: within 1e-12."""
        self.assertEqual(loops.SHAPES, tuple(row.key for row in SHAPES))
        rng = np.random.default_rng(4)
        beat = np.sort(np.round(rng.uniform(0.0, 60.0, 300), 2))
        shape = rng.integers(0, len(SHAPES), 300).astype(np.uint8)
        default = np.array([row.amount.default for row in SHAPES])
        bent = np.array([row.amount.kind == "bend" for row in SHAPES])
        amount = np.where(bent[shape], rng.uniform(-0.95, 0.95, 300), default[shape])
        own = Curve(beat, rng.uniform(0.0, 1.0, 300), shape, amount)
        part = piece(own, 1.234, 41.7)
        places = np.concatenate((np.linspace(-1.0, 61.0, 4_001), beat, part.beat))
        for drawn in (own, part, curve([(2.0, 0.3)]), curve([(2.0, 0.3, "bend", 0.4), (2.0, 0.9), (5.0, 0.1)])):
            for at in (np.sort(places), places, places[:70]):
                found = drawn.at(at)
                with mock.patch.object(loops, "library", lambda: None):
                    np.testing.assert_allclose(found, drawn.at(at), atol=1e-12)

    def test_rules_in_c_are_those_of_the_plain_form(self) -> None:
        """Many points, one of them wrong in each way or none: both forms say the same."""
        rng = np.random.default_rng(5)
        faults = (np.nan, np.inf, -1e-9, 1.0 + 1e-9, 1e12, -1e12, 0.0)
        said = []
        for trial in range(300):
            beat = np.sort(np.round(rng.uniform(0.0, 60.0, 40), int(rng.integers(1, 4))))
            value, where = rng.uniform(0.0, 1.0, 40), int(rng.integers(40))
            if trial % 3 == 1:
                beat[where] = rng.choice((*faults, beat[where] + 1e-12, beat[where - 1]))
            elif trial % 3 == 2:
                value[where] = rng.choice(faults)
            columns = beat, value, np.full(40, 1, np.uint8), np.zeros(40)
            said.append(rules.right(*columns))
            with mock.patch.object(loops, "library", lambda: None):
                self.assertEqual(rules.right(*columns), said[-1], trial)
            self.assertEqual(rules.plainly_right(*columns), said[-1], trial)
        self.assertGreater(sum(said), 30)
        self.assertGreater(len(said) - sum(said), 100)

    def test_every_row_with_a_guess_is_tried_by_the_loops(self) -> None:
        from zolvek.core.curve.thinning import fitted

        beats = np.linspace(0.0, 4.0, 200)
        for row in SHAPES:
            if row.guesses:
                amount = 0.5 if row.amount.kind == "bend" else 0.0
                drawn = curve([(0.0, 0.1, row.key, amount), (4.0, 0.9)])
                found = fitted(beats, drawn.at(beats), 0.003)
                self.assertEqual((len(found), SHAPES[found.shape[0]].key), (2, row.key))

    def test_columns_are_carried_by_the_primitives(self) -> None:
        drawn = cut(curve([(0.0, 0.1, "pulses", 3.0), (6.0, 0.8, "cosine"), (8.0, 0.3)]), [1.1, 7.0])
        at = np.linspace(0.05, 7.95, 500)
        moved = drawn.shifted(2.0).rows(slice(None))
        np.testing.assert_allclose(moved.at(at + 2.0), drawn.at(at), atol=SAME)
        self.assertEqual(lines([0.0, 1.0], [0.2, 0.4]).shape.tolist(), [1, 1])


if __name__ == "__main__":
    unittest.main()
