# SPDX-License-Identifier: GPL-3.0-or-later
"""Where two features meet: a choice of projects that have many of them, and the laws of the house over each."""

from __future__ import annotations

import itertools
import tempfile
import unittest
from collections.abc import Callable
from pathlib import Path
from unittest.mock import patch

import numpy as np

from tests import trials
from tests.crossings.features import FEATURES, LANE, bare
from tests.crossings.laws import LAWS, broken
from tests.crossings.pairs import all_pairs, made, sets, with_needs
from tests.crossings.probe import probes
from zolvek.core.curve.construction import flat
from zolvek.core.curve.thinning import thinned
from zolvek.core.edits import bars
from zolvek.core.edits.replacement import with_lane
from zolvek.core.model.messages import MidiTarget
from zolvek.core.records import replace
from zolvek.formats.midi.file_out import encode
from zolvek.formats.midi.report import report
from zolvek.sound.signal.device_unit import UnitOutput

SHORT = 14  # features in each project of the short form
PROJECTS = trials(12)


class Crossings(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        there = probes()
        there.__enter__()
        self.addCleanup(there.__exit__, None, None, None)
        self.start = bare(Path(folder.name))

    def test_the_sets_meet_all_pairs(self) -> None:
        found = sets()
        met = {frozenset(p) for names in found for p in itertools.combinations(names, 2)}
        self.assertEqual(all_pairs() - met, set())
        for names in found:
            self.assertEqual(with_needs(names), names)
            for name in names:
                self.assertFalse(set(FEATURES[name].against) & names)

    def test_the_laws_hold(self) -> None:
        for names in sets(SHORT)[:PROJECTS]:
            with self.subTest(", ".join(sorted(names))):
                self.assertEqual(broken(made(self.start, names)), {})

    def test_a_law_that_is_broken_is_seen(self) -> None:
        """Each law, and a fault that breaks it and it alone."""
        project = made(self.start, frozenset(("every shape", "LFO layer", "latent device", "notes", "pins")))
        off = replace(project.lane(LANE), midi=MidiTarget(9, 9))
        faults: dict[str, tuple[str, object]] = {
            "what is rendered is what is drawn": ("tests.crossings.probe.Probe.play", lambda _,
                block: UnitOutput(block.sound)),
            "two passes from one start are the same": ("tests.crossings.laws.render", _unlike()),
            "live is the file": (
                "tests.crossings.laws.file_out.encode",
                lambda own: encode(with_lane(own, off)),
            ),
            "a file gives back what was saved": ("tests.crossings.laws.project_file.decode", lambda _: self.start),
            "undo and redo give the same back": ("tests.crossings.laws.History.undone", lambda history: history),
            "bars put in and taken out give the same back": (
                "tests.crossings.laws.bars.remove_bars", lambda put, *_: bars.Done(put, ""),
            ),
            "baking stays within its tolerance": ("tests.crossings.laws.baked", lambda lane, *_, **__: replace(lane,
                layers=())),
            "flattening changes nothing": ("tests.crossings.laws.unrolled", lambda *_: flat(0.5)),
            "thinning stays within its tolerance": ("tests.crossings.laws.thinned", lambda *_: thinned(flat(0.5), 0.1)),
            "the report is true": (
                "tests.crossings.laws.report.report",
                lambda own: replace(report(own), messages=1),
            ),
            "all is finite and in range": (
                "zolvek.core.movement.evaluation.lane_evaluation.EvaluatedLane.at",
                lambda heard, at: np.asarray(at) + np.inf,
            ),
        }  # fmt: skip
        self.assertEqual(set(faults), set(LAWS))
        for name, (place, wrong) in faults.items():
            with self.subTest(name), patch(place, wrong):
                self.assertNotEqual(LAWS[name](project), "")
        self.assertEqual(broken(project), {})


def _unlike() -> Callable[..., np.ndarray]:
    rng = np.random.default_rng(1)
    return lambda *_, **__: rng.random((2, 100))


if __name__ == "__main__":
    unittest.main()
