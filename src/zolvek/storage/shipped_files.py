# SPDX-License-Identifier: GPL-3.0-or-later
"""Where the files that come with the program are."""

from __future__ import annotations

from pathlib import Path

PACKAGE = Path(__file__).resolve().parents[1]
ASSETS = PACKAGE / "assets"
DOCS = PACKAGE / "docs"  # a link to docs/; files in an installed package
DEMO = PACKAGE / "demo"
