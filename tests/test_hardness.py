# SPDX-License-Identifier: GPL-3.0-or-later
"""Short versions of the hard usage that `./zolvek bench damage kills actions` does at length."""

from __future__ import annotations

import os
import unittest

from benchmarks import hardness, trees
from tests.present import present
from tests.studio import driver  # noqa: F401  # its own places for settings and copies

SEED = 1 if os.environ.get("CI") else int.from_bytes(os.urandom(4), "big")


class Hardness(unittest.TestCase):
    def test_no_damaged_file_raises_anything_but_a_message(self) -> None:
        before = hardness.peak_memory()  # of all tests so far
        found = hardness.damage(490, SEED)
        self.assertEqual(found.faults, [], f"seed {SEED}")
        self.assertLess(found.longest, hardness.HANG_SECONDS)
        self.assertGreater(found.refused, found.read)
        self.assertLess(hardness.peak_memory() - before, hardness.MOST_MEMORY)

    def test_no_changed_tree_raises_anything_but_a_message(self) -> None:
        """Valid JSON with wrong values: what is read is exported, drawn and rendered too."""
        found = trees.mutations(350, SEED)
        self.assertEqual(found.faults, [], f"seed {SEED}")
        self.assertGreater(found.refused, found.read)
        self.assertGreater(found.read, 0)

    def test_a_killed_program_leaves_all_but_the_last_seconds(self) -> None:
        for behind in hardness.kills(2, SEED):
            self.assertIsNotNone(behind, f"nothing opens; seed {SEED}")
            self.assertLessEqual(present(behind), 5.0, f"seed {SEED}")

    def test_random_actions_break_nothing_and_can_all_be_undone(self) -> None:
        found = hardness.actions(120, SEED)
        self.assertEqual(found.faults, [], f"seed {SEED}")


if __name__ == "__main__":
    unittest.main()
