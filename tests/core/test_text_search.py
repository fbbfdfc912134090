# SPDX-License-Identifier: GPL-3.0-or-later
"""Names found by words anywhere in them, and parameters grouped by what their names have in common."""

from __future__ import annotations

import unittest

from zolvek.core.value.text_search import matches, search_words
from zolvek.sound.hosting.plugin.name_groups import NO_GROUP, groups_of


class Search(unittest.TestCase):
    def test_joints_case_and_accents_do_not_count(self) -> None:
        for typed, name in (
            ("de-esser", "Deesser"), ("deesser", "De-Esser"), ("deesser", "De Esser"), ("side chain", "Sidechain gain"),
            ("side-chain", "Side Chain"), ("esser", "DeEsser"), ("gain in", "Input gain"), ("café", "Cafe"),
            ("lo-fi x2", "LoFi · Mono x2"), ("", "anything"),
        ):  # fmt: skip
            self.assertTrue(matches(search_words(typed), name), (typed, name))
        for typed, name in (("gain out", "Input gain"), ("esser 2", "De-esser")):
            self.assertFalse(matches(search_words(typed), name), (typed, name))


class Groups(unittest.TestCase):
    def test_names_make_groups_by_words_and_numbers(self) -> None:
        cases = {
            ("Band 1 gain", "Band 1 freq", "Band 2 gain", "Band 2 freq", "Mix"): "Band 1,Band 1,Band 2,Band 2,Plugin",
            ("Filter gain 0", "Filter type 0", "Filter gain 1 Left", "Filter type 1"):
                "Filter 0,Filter 0,Filter 1,Filter 1",
            ("Ratio 1", "Knee 1", "Makeup 1", "Solo 1"): "No. 1,No. 1,No. 1,No. 1",
            ("Attack time", "Attack level", "Attack shape", "Release"): "Attack,Attack,Attack,Plugin",
            ("Cutoff", "Resonance", "LFO 1 rate"): "Plugin,Plugin,Plugin",
            ("", "1", "  "): "Plugin,Plugin,Plugin",
        }  # fmt: skip
        for names, wanted in cases.items():
            self.assertEqual(",".join(groups_of(names)), wanted)
        self.assertEqual(groups_of([]), [])
        self.assertEqual(NO_GROUP, "Plugin")


if __name__ == "__main__":
    unittest.main()
