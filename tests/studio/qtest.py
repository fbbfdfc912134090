# SPDX-License-Identifier: GPL-3.0-or-later
"""Qt's test functions; PyQt's stubs declare these static functions as methods, so they are untyped here."""

from __future__ import annotations

from typing import Any

from PyQt6 import QtTest

QTest: Any = QtTest.QTest
