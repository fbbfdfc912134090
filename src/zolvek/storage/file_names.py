# SPDX-License-Identifier: GPL-3.0-or-later
"""Names made safe for files, documents and tables, whatever they come from."""

from __future__ import annotations

import re
from collections.abc import Iterable

LONGEST_BYTES = 120  # of a name within a file's: the system's limit is 255 for all of it
# What XML 1.0 has no place for (all but its production 2, Char), and lone halves of surrogate pairs.
NO_XML = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff\ufffe\uffff]")
CONTROLS = re.compile("[\x00-\x1f\x7f-\x9f\u2028\u2029\ud800-\udfff]+")
FORMULA = ("=", "+", "-", "@", "\t", "\r", "\n")  # what a spreadsheet takes for the start of one


def file_name(text: str) -> str:
    """A name as a file may have it; never empty, never hidden, never too long."""
    plain = re.sub(r"[^\w\-. ()+]+", "-", text).strip(" .-") or "unnamed"
    return plain.encode()[:LONGEST_BYTES].decode(errors="ignore").strip(" .-") or "unnamed"


def file_names(texts: Iterable[str]) -> list[str]:
    """A name for each, no two alike: those that would meet are numbered. Upper and lower case count as
    one, as some file systems have it."""
    taken: set[str] = set()
    names = []
    for text in texts:
        name = plain = file_name(text)
        number = 2
        while name.casefold() in taken:
            name, number = f"{plain} {number}", number + 1
        taken.add(name.casefold())
        names.append(name)
    return names


def one_line(text: str) -> str:
    """The text without what breaks lines, rings bells or can't be written: for MIDI and messages."""
    return CONTROLS.sub(" ", text)


def xml_text(text: str) -> str:
    """The text as it may stand in XML, before its signs are escaped."""
    return NO_XML.sub("\ufffd", text)


def cell(text: str) -> str:
    """The text as a table's cell that no spreadsheet takes for a formula (an apostrophe goes before)."""
    clean = CONTROLS.sub(lambda found: "\ufffd" if "\ud800" <= found[0] <= "\udfff" else found[0], text)
    return f"'{clean}" if clean.startswith((*FORMULA, "'")) else clean


def from_cell(text: str) -> str:
    """What `cell` was given."""
    return text.removeprefix("'")
