# SPDX-License-Identifier: GPL-3.0-or-later
"""The headless commands, by kind: a thin layer over core, formats and sound."""

from zolvek.cli.main import main, zolvek

__all__ = ["main", "zolvek"]
