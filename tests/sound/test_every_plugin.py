# SPDX-License-Identifier: GPL-3.0-or-later
"""The small sets of LV2 plugins that Debian has, each hosted, heard, and swept from end to end in all that it has:
mda-lv2, fomp, and the examples of the LV2 specification."""

from __future__ import annotations

import unittest
from pathlib import Path

from benchmarks.every_plugin import TIMEOUT_S, Outcome, several, table
from zolvek.sound.hosting.catalogue import installed
from zolvek.sound.hosting.plugin.plugin_entry import PluginEntry
from zolvek.sound.processes.job_messages import Job
from zolvek.sound.processes.job_process import run_in_process

SETS = {"mda.lv2": 36, "fomp.lv2": 17}  # and how many plugins each has
EXAMPLES = "eg-*.lv2"
ROOT = Path("/usr/lib/lv2")
BEATS = 0.5
UNSTABLE = {"4-Band Parametric Filter"}  # swept this fast its sections run away, which is muted
UNEQUAL = {"MDA ePiano"}  # it reads memory that it never wrote


@unittest.skipUnless(all((ROOT / name).is_dir() for name in SETS), "mda-lv2 or fomp is not installed")
class SmallSets(unittest.TestCase):
    def test_each_is_used_finite_and_equal_twice(self) -> None:
        bundles = {ROOT / name for name in SETS} | set(ROOT.glob(EXAMPLES))
        every, _ = installed.installed()
        entries = [entry for entry in every if Path(entry.path) in bundles]
        rows: list[tuple[PluginEntry, Outcome]] = []
        refused = [entry for entry in entries if entry.fault]
        used = [entry for entry in entries if not entry.fault]
        uris = [entry.id for entry in used]
        found = run_in_process(Job(f"{several.__module__}:several", (uris, BEATS)), lambda *_: None, TIMEOUT_S)
        for entry, outcome in zip(used, found, strict=True):
            rows.append((entry, outcome))
            with self.subTest(entry.name):
                self.assertEqual(outcome.off, 0, "ports have their defaults")
                self.assertTrue(outcome.finite)
                self.assertTrue(outcome.equal or entry.name in UNEQUAL)
                self.assertFalse(outcome.muted and entry.name not in UNSTABLE)
        counts = {row[0]: int(row[2]) for row in table(rows)}
        self.assertEqual({f"{name}.lv2": count for name, count in counts.items() if f"{name}.lv2" in SETS}, SETS)
        for entry in refused:
            self.assertRegex(entry.fault, "audio output|not supported", entry.name)


if __name__ == "__main__":
    unittest.main()
