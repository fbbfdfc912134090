# SPDX-License-Identifier: GPL-3.0-or-later
"""Time put together again: bars inserted and removed, sections moved, tempo and meter edited."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tests.core.curves import curves
from tests.present import present
from zolvek.core.curve.construction import lines
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.discontinuities import inner_jumps
from zolvek.core.edits import bars, chains, replacement, sections, tempo_fit, time_maps
from zolvek.core.edits import clips as blocks
from zolvek.core.edits import names as naming
from zolvek.core.edits.stretches import END, Stretch, ordered
from zolvek.core.errors import ZolvekError
from zolvek.core.model.layer import Layer
from zolvek.core.model.project import Clip, Cycle, Note, Project, Section, Switch
from zolvek.core.model.take import Take
from zolvek.core.records import replace
from zolvek.core.time.meter import MeterMap, MeterPoint
from zolvek.core.time.tempo import TempoMap, TempoPoint
from zolvek.demo.night_regatta import build


def one_lane(curve: Curve, **more: Any) -> Project:
    project, _ = chains.add_track(Project(length=32.0, **more), "T")
    device = project.tracks[0].devices[0].id
    project, lane = replacement.add_lane(project, device, "level")
    return replacement.with_curve(project, lane, curve)


def full(rng: np.random.Generator) -> Project:
    """A project with something of everything that lies in time, at random places of 64 beats."""
    beats = lambda n: np.sort(rng.integers(0, 64 * 64, n)) / 64.0  # noqa: E731
    project = one_lane(
        lines(beats(9), rng.uniform(0, 1, 9)),
        meter=MeterMap((MeterPoint(1, 4, 4), MeterPoint(5, 3, 4), MeterPoint(9, 7, 8))),
    )
    lane, track = next(project.lanes()), project.tracks[0]
    spans = [sorted(beats(2).tolist()) for _ in range(4)]
    lane = replace(
        lane,
        layers=(
            Layer(
                "l", "offset", first=spans[0][0], last=spans[0][1] + 0.125, curve=lines(beats(4), rng.uniform(0, 1, 4))
            ),
        ),
        takes=(Take("t-1", "T", lines(beats(5), rng.uniform(0, 1, 5)), spans[1][0], spans[1][1] + 0.125),),
        pins=tuple(sorted(set(beats(3).tolist()))),
        cycle=Cycle(spans[2][0], spans[2][1] - spans[2][0] + 1.0),
        switches=tuple(Switch(b, -1) for b in beats(2).tolist()),
    )
    notes = tuple(Note(b, 0.01, 60) for b in beats(20).tolist())
    clips = tuple(Clip(b, "x.wav", seconds=0.002) for b in beats(5).tolist())
    track = replace(track, lanes=(lane,), notes=notes, clips=clips)
    marks = tuple(Section(b, f"S{i}") for i, b in enumerate(beats(4).tolist()))
    return replace(replacement.with_track(project, track), length=64.0, sections=marks)


class Bars(unittest.TestCase):
    @given(curves(), st.floats(0.0, 12.0), st.sampled_from([1.0, 4.0, 0.37]))
    def test_time_put_in_leaves_every_curve_as_it_was_around_it(self, curve: Curve, at: float, length: float) -> None:
        at = round(at, 2)
        made = ordered((Stretch(0.0, at), Stretch(0.0, length, True), Stretch(at, END))).curve(curve)
        beats = np.unique(np.concatenate((np.linspace(0.0, 40.0, 997), curve.beat, [at])))
        before = beats[beats < at]
        np.testing.assert_allclose(made.at(before), curve.at(before), atol=1e-9)
        after = beats[(beats >= at)]
        apart = np.abs(made.at(after + length) - curve.at(after))
        # At a jump a beat that was computed may be given by its neighbour.
        near = np.abs(made.at(after + length + 1e-9) - curve.at(after + 1e-9))
        self.assertLess(np.minimum(apart, near).max(), 1e-6)
        within = at + np.linspace(0.01, 0.99, 9) * length
        if at > 0.0:
            np.testing.assert_allclose(made.at(within), float(curve.before(at)), atol=1e-9)
        on_jump = np.isclose(inner_jumps(curve), at).any()  # given by one point more
        self.assertLessEqual(len(made), len(curve) + (3 if on_jump else 2))

    def test_everything_after_an_insertion_is_where_it_was_and_later(self) -> None:
        """Each place computed again by itself: those from the bar line on are later, the others stay."""
        for seed in range(40):
            rng = np.random.default_rng(seed)
            old, bar, count = full(rng), int(rng.integers(1, 16)), int(rng.integers(1, 5))
            at = old.meter.bar_beat(bar)
            length = old.meter.bar_beat(bar + count) - at if bar == 1 else count * self.bar_length(old, bar - 1)
            new = bars.insert_bars(old, bar, count).project
            later = lambda b, at=at, length=length: b + length if b >= at else b  # noqa: E731
            ends = lambda b, at=at, length=length: b + length if b > at else b  # noqa: E731
            self.assertAlmostEqual(new.length, 64.0 + length)
            a, b = next(old.lanes()), next(new.lanes())
            self.assertEqual([n.beat for n in new.tracks[0].notes], [later(n.beat) for n in old.tracks[0].notes])
            self.assertEqual([c.beat for c in new.tracks[0].clips], [later(c.beat) for c in old.tracks[0].clips])
            self.assertEqual([s.beat for s in new.sections], [later(s.beat) for s in old.sections])
            self.assertEqual(list(b.pins), [later(p) for p in a.pins])
            self.assertEqual(
                (b.layers[0].first, b.layers[0].last),
                (later(a.layers[0].first), ends(a.layers[0].last)),
            )
            self.assertEqual(
                (b.takes[0].first, b.takes[0].last),
                (later(a.takes[0].first), ends(a.takes[0].last)),
            )
            self.assertAlmostEqual(present(b.cycle).beat, later(present(a.cycle).beat))
            for one, two in (
                (a.curve, b.curve),
                (a.takes[0].curve, b.takes[0].curve),
                (a.layers[0].curve, b.layers[0].curve),
            ):
                moved = np.where(present(one).beat >= at, present(one).beat + length, present(one).beat)
                self.assertTrue(np.isin(moved.round(9), present(two).beat.round(9)).all(), seed)
            for number in range(bar, 18):  # each old bar line has its number, and what is new is of one meter
                self.assertAlmostEqual(new.meter.bar_beat(number + count), old.meter.bar_beat(number) + length)
            back = bars.remove_bars(new, bar, count).project
            x, y = next(old.lanes()), next(back.lanes())
            beats = np.linspace(0.0, 64.0, 1_001)
            pairs = ((x.curve, y.curve), (x.takes[0].curve, y.takes[0].curve))
            for one, two in (*pairs, (x.layers[0].curve, y.layers[0].curve)):
                np.testing.assert_allclose(present(two).at(beats), present(one).at(beats), atol=1e-9)
                self.assertLessEqual(len(present(two)), len(present(one)) + 1, "a line that was cut keeps the point")
            kept = replace(y, curve=x.curve, takes=x.takes, layers=x.layers)
            self.assertEqual(replace(replacement.with_lane(back, kept), meter=old.meter), old, seed)
            spans = [(e.first, e.last) for e in (y.takes[0], y.layers[0])]
            self.assertEqual(spans, [(e.first, e.last) for e in (x.takes[0], x.layers[0])])
            self.assertTrue(all(back.meter.bar_beat(n) == old.meter.bar_beat(n) for n in range(1, 20)))

    @staticmethod
    def bar_length(project: Project, bar: int) -> float:
        point = project.meter.meter_at(project.meter.bar_beat(bar))
        return point.count * 4.0 / point.unit

    def test_what_lay_in_removed_bars_is_gone_and_said(self) -> None:
        demo = build()
        done = bars.remove_bars(demo, 17, 8)
        first, last = demo.meter.bar_beat(17), demo.meter.bar_beat(25)
        for old, new in zip(demo.tracks, done.project.tracks, strict=True):
            kept = [n for n in old.notes if not first <= n.beat < last]
            self.assertEqual(len(new.notes), len(kept))
            at = np.linspace(0.0, first - 0.01, 301)
            late = np.linspace(last, demo.length, 301)
            for a, b in zip(old.lanes, new.lanes, strict=True):
                np.testing.assert_allclose(b.curve.at(at), a.curve.at(at), atol=1e-9)
                np.testing.assert_allclose(b.curve.at(late - (last - first)), a.curve.at(late), atol=1e-6)
        self.assertIn("Removed:", done.words)
        gone = sum(len(t.notes) for t in demo.tracks) - sum(len(t.notes) for t in done.project.tracks)
        self.assertIn(f"{gone} notes", done.words)
        seconds = lambda p, b: float(p.tempo.seconds(b))  # noqa: E731
        self.assertAlmostEqual(
            seconds(demo, demo.length) - (seconds(demo, last) - seconds(demo, first)),
            seconds(done.project, done.project.length),
            places=6,
        )
        for bad in ((0, 1), (50, 1), (1, 49), (1, 0), (40, 40)):
            with self.assertRaises(ZolvekError):
                bars.remove_bars(demo, *bad)

    def test_a_sound_across_an_insertion_is_cut_where_it_was(self) -> None:
        project = one_lane(lines([0.0], [0.5]))
        project, _ = blocks.placed(project, project.tracks[0].id, Clip(2.0, "x.wav"))
        clips = bars.insert_bars(project, 2, 1, {"x.wav": 4.0}).project.tracks[0].clips
        self.assertEqual([(c.beat, c.start, c.seconds) for c in clips], [(2.0, 0.0, 1.0), (8.0, 1.0, None)])


class Sections(unittest.TestCase):
    def setUp(self) -> None:
        self.demo = build()
        self.lane = next(self.demo.lanes()).id

    def test_a_section_doubled_and_moved_takes_everything_along(self) -> None:
        spans = self.demo.section_spans()
        _, first, last = spans[1]
        two = sections.doubled(self.demo, 1, {})
        self.assertEqual(two.length, self.demo.length + last - first)
        self.assertEqual(
            [s.name for s, _, _ in two.section_spans()][:4],
            ["Moorings", "Cast off", "Cast off 2", "Channel"],
        )
        at = np.linspace(first, last - 0.01, 200)
        for old, new in zip(self.demo.lanes(), two.lanes(), strict=True):
            for shift in (0.0, last - first):
                np.testing.assert_allclose(new.curve.at(at + shift), old.curve.at(at), atol=1e-9)
        moved = sections.moved(self.demo, 1, 4, {})
        names = [s.name for s, _, _ in moved.section_spans()]
        self.assertEqual(names[:4], ["Moorings", "Channel", "Lock gate", "Cast off"])
        self.assertEqual(moved.length, self.demo.length)
        begin = moved.section_spans()[3][1]
        for old, new in zip(self.demo.lanes(), moved.lanes(), strict=True):
            np.testing.assert_allclose(new.curve.at(at - first + begin), old.curve.at(at), atol=1e-9)
        count = lambda p: sum(len(t.notes) for t in p.tracks)  # noqa: E731
        self.assertEqual(count(moved), count(self.demo))

    def test_versions_of_a_section_come_and_go_whole(self) -> None:
        one = sections.versioned(self.demo, 1, "Wilder")
        _, first, last = one.section_spans()[1]
        one = replacement.edit_lane(one, self.lane, lambda c: lines([0.0], [0.25]))
        found = sections.differences(one, 1, 0)
        self.assertEqual([each.lane for each in found], [self.lane])
        back = sections.chosen(one, 1, 0)
        at = np.linspace(first, last - 0.01, 300)
        np.testing.assert_allclose(
            back.lane(self.lane).curve.at(at), self.demo.lane(self.lane).curve.at(at), atol=1e-12
        )
        again = sections.chosen(back, 1, 1)
        np.testing.assert_allclose(again.lane(self.lane).curve.at(at), 0.25, atol=1e-12)
        with self.assertRaises(ZolvekError):
            sections.version_removed(again, 1, 1)
        self.assertEqual(sections.version_removed(again, 1, 0).sections[1].versions, ())

    def test_names_places_and_ends_are_refused_where_they_can_not_be(self) -> None:
        rows = (
            lambda p: sections.begun(p, p.sections[2].beat),
            lambda p: sections.changed(p, 1, beat=p.sections[3].beat),
            lambda p: sections.changed(p, 1, name="  "),
            lambda p: sections.joined(p, len(p.sections) - 1),
            lambda p: sections.chosen(p, 1, 3),
            lambda p: time_maps.meter_put(p.meter, 1, 0, 0),
            lambda p: time_maps.meter_put(p.meter, 3, 255, 64),
            lambda p: time_maps.tempo_typed(p, 0.0, "0"),
            lambda p: time_maps.tempo_typed(p, 0.0, "112→116 over nothing"),
            lambda p: time_maps.tempo_without(p.tempo, 0),
            lambda p: time_maps.with_end(p, 0.0, True),
            lambda p: naming.track_renamed(p, p.tracks[0].id, p.tracks[1].name),
            lambda p: naming.device_moved(p, p.tracks[0].devices[0].id, p.tracks[1].id, 0),
        )  # fmt: skip
        for index, row in enumerate(rows):
            with self.subTest(index), self.assertRaises(ZolvekError) as found:
                row(self.demo)
            self.assertTrue(found.exception.what)


class Timing(unittest.TestCase):
    def test_tempo_as_it_is_written(self) -> None:
        demo = build()
        ramp = time_maps.tempo_typed(demo, 64.0, "112→120 over 8 bars")
        self.assertAlmostEqual(float(ramp.bpm(80.0)), 116.0)
        self.assertEqual(float(ramp.bpm(96.0)), 120.0)
        self.assertEqual(float(time_maps.tempo_typed(demo, 64.0, "97.5 BPM").bpm(70.0)), 97.5)
        self.assertEqual(time_maps.tapped([0.0, 0.5, 1.0, 1.52, 2.0]), 120.0)
        self.assertIsNone(time_maps.tapped([1.0]))
        kept = time_maps.with_tempo(one_clip(10.0), TempoMap((TempoPoint(0.0, 60.0),)), keep_sound=True)
        self.assertAlmostEqual(float(kept.tempo.seconds(kept.tracks[0].clips[0].beat)), 5.0)

    def test_the_end_cuts_or_keeps(self) -> None:
        demo = build()
        self.assertIn("points", time_maps.beyond(demo, 64.0))
        kept, cut = (time_maps.with_end(demo, 64.0, each) for each in (False, True))
        self.assertEqual((kept.length, cut.length), (64.0, 64.0))
        self.assertEqual(kept.tracks, demo.tracks)
        self.assertEqual(time_maps.beyond(cut, 64.0), "")
        at = np.linspace(0.0, 63.99, 500)
        for old, new in zip(demo.lanes(), cut.lanes(), strict=True):
            np.testing.assert_allclose(new.curve.at(at), old.curve.at(at), atol=1e-9)

    def test_marks_make_a_tempo_that_is_exact_at_each(self) -> None:
        """To a sample of 192 kHz, with random drifting recordings."""
        rng = np.random.default_rng(4)
        for _ in range(60):
            count = int(rng.integers(2, 12))
            steps = rng.integers(1, 9, count - 1)
            bar = np.concatenate(([int(rng.integers(1, 4))], steps)).cumsum()
            seconds = rng.uniform(0.2, 3.0) + np.concatenate(
                ([0.0], np.cumsum(steps * rng.uniform(1.6, 2.6, count - 1)))
            )
            project = one_clip(0.0)
            made = tempo_fit.fitted(
                project,
                [tempo_fit.Mark(float(s), int(b)) for s, b in zip(seconds, bar, strict=True)],
            )
            clip = made.tracks[0].clips[0]
            begin = float(made.tempo.seconds(clip.beat)) - clip.start
            for s, b in zip(seconds.tolist(), bar.tolist(), strict=True):
                self.assertLess(
                    abs(float(made.tempo.seconds(made.meter.bar_beat(b))) - begin - s),
                    0.5 / 192_000,
                )
        with self.assertRaises(ZolvekError):
            tempo_fit.fitted(one_clip(0.0), [tempo_fit.Mark(1.0, 2), tempo_fit.Mark(1.01, 9)])


def one_clip(beat: float) -> Project:
    project = one_lane(lines([0.0], [0.5]))
    return blocks.placed(project, project.tracks[0].id, Clip(beat, "x.wav"))[0]


class Blocks(unittest.TestCase):
    def test_blocks_are_trimmed_split_and_looped_to_the_second(self) -> None:
        project, key = one_clip(4.0), blocks.Block("t", 0)
        get = lambda p, n=0: p.tracks[0].clips[n]  # noqa: E731
        late = blocks.trimmed_start(project, key, 6.0, 8.0)
        self.assertEqual((get(late).beat, get(late).start), (6.0, 1.0))
        self.assertEqual(get(blocks.trimmed_start(late, key, 4.0, 8.0)), get(project))
        self.assertEqual(get(blocks.trimmed_start(project, key, 0.0, 8.0)).beat, 4.0, "no sound before it")
        short = blocks.trimmed_end(project, key, 8.0, 8.0)
        self.assertEqual(get(short).seconds, 2.0)
        self.assertIsNone(get(blocks.trimmed_end(short, key, 99.0, 8.0)).seconds)
        two = blocks.split(short, key, 5.0, 8.0)
        self.assertEqual((get(two).seconds, get(two, 1).start, get(two, 1).seconds), (0.5, 0.5, 1.5))
        with self.assertRaises(ZolvekError):
            blocks.split(short, key, 20.0, 8.0)
        loop = blocks.split(blocks.looped(short, key, 16.0), key, 9.0, 8.0)
        self.assertEqual((get(loop).loop_until, get(loop, 1).turn, get(loop, 1).loop_until), (9.0, 0.5, 16.0))
        self.assertEqual(get(blocks.moved(loop, blocks.Block("t", 1), 10.0), 1).loop_until, 17.0)


class Names(unittest.TestCase):
    def test_devices_and_tracks_are_copied_with_all_they_have(self) -> None:
        demo = build()
        track = demo.tracks[0]
        two, new = naming.track_doubled(demo, track.id)
        twin = two.tracks[1]
        self.assertEqual((twin.id, len(twin.lanes), twin.notes), (new, len(track.lanes), track.notes))
        self.assertEqual([lane.curve for lane in twin.lanes], [lane.curve for lane in track.lanes])
        track = next(t for t in demo.tracks if any(d.role == "effect" and d.kind != "strip" for d in t.devices))
        effect = next(d for d in track.devices if d.role == "effect" and d.kind != "strip")
        target = next(t for t in demo.tracks if t.id != track.id)
        one, key = naming.device_doubled(demo, effect.id)
        own = [lane for lane in track.lanes if lane.device == effect.id]
        self.assertEqual(sum(lane.device == key for lane in one.lanes()), len(own))
        moved = naming.device_moved(demo, effect.id, target.id, 1)
        self.assertEqual(moved.device_track(effect.id).id, target.id)
        self.assertEqual(sorted(x.id for x in moved.lanes()), sorted(x.id for x in demo.lanes()))
        self.assertEqual(naming.track_moved(demo, track.id, 3).tracks[3], track)

    def test_a_track_s_automation_goes_to_what_is_named_alike(self) -> None:
        demo = build()
        twin, key = naming.track_doubled(demo, demo.tracks[0].id)
        cleared = replacement.with_track(twin, replace(twin.tracks[1], lanes=()))
        done = naming.automation_copied(cleared, demo.tracks[0].id, key)
        self.assertEqual((done.lanes, done.without), (len(demo.tracks[0].lanes), []))
        for lane in demo.tracks[0].lanes:
            name = demo.parameter_of(lane.id).name
            found = [x for x in done.project.tracks[1].lanes if done.project.parameter_of(x.id).name == name]
            self.assertIn(lane.curve, [each.curve for each in found])
        other = naming.automation_copied(demo, demo.tracks[0].id, demo.tracks[2].id)
        self.assertEqual(other.lanes + len(other.without), len(demo.tracks[0].lanes))
        self.assertTrue(other.without)


if __name__ == "__main__":
    unittest.main()
