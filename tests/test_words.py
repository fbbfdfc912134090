# SPDX-License-Identifier: GPL-3.0-or-later
"""Words that may not come back: in names, docstrings, comments, texts of the window and pages of the documentation."""

from __future__ import annotations

import io
import re
import tokenize
import unittest
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
# Word or phrase -> what to say instead.
INSTEAD = {
    r"told|tells?|telling": "report, notify, say, describe: by what it is",
    "anew": "again, rebuild, reset",
    r"reckon\w*": "compute",
    r"in the midst": "during, halfway",
    "whoever": "who",
    "somebody": "a user, others",
    "shall": "should",
    r"no more(?! (than|often))": "no longer",
    r"ha(s|ve) not got": "does not have",
    "lets go": "releases, clears",
    r"g(ive|ives|iven) up": "cancels",
    "to and fro": "back and forth",
    r"mend\w*": "correct",
    r"goes? past": "bypasses",
    r"blocks? of sound": "clip",
    r"press(ed)? twice": "double-click",
    "other button": "right-click",
    "the hand": "the user, the pointer",
    "so-manieth": "nth",
    r"deliver\w*": "export",
}
WORDS = re.compile(r"(?<![A-Za-z])(" + "|".join(INSTEAD) + r")(?![A-Za-z])", re.IGNORECASE)
# Python's and libraries' own names, and a word of the trade's.
ALLOWED = {"tell"}


def pieces(path: Path) -> Iterator[tuple[int, str]]:
    """The line and text of every name, string and comment of a module; of a page, its lines."""
    text = path.read_text(encoding="utf-8")
    if path.suffix != ".py":
        yield from enumerate(text.splitlines(), 1)
        return
    for token in tokenize.generate_tokens(io.StringIO(text).readline):
        if token.type == tokenize.NAME and token.string not in ALLOWED:
            yield token.start[0], re.sub(r"_|(?<=[a-z])(?=[A-Z])", " ", token.string)
        elif token.type in (tokenize.STRING, tokenize.COMMENT):
            yield token.start[0], token.string


class Words(unittest.TestCase):
    def test_retired_words_stay_away(self) -> None:
        pages = [*ROOT.glob("*.md"), *(ROOT / "docs").glob("*.md")]
        parts = ("src", "launcher", "tests", "benchmarks")
        modules = [p for part in parts for p in (ROOT / part).rglob("*.py") if p != Path(__file__)]
        found = [
            f"{path.relative_to(ROOT)}:{line}: “{match[0]}”"
            for path in (*pages, *modules)
            for line, text in pieces(path)
            for match in WORDS.finditer(text)
        ]
        self.assertEqual("\n".join(found), "")

    def test_the_list_finds_what_it_is_for(self) -> None:
        for text in ("what is told of it", "made anew", "it gives up", "Mend the file"):
            self.assertTrue(WORDS.search(text), text)
        self.assertIsNone(WORDS.search("a recommended gesture, and an amendment"))


if __name__ == "__main__":
    unittest.main()
