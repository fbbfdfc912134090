# SPDX-License-Identifier: GPL-3.0-or-later
"""About Zolvek: its version and licence, and those of what it is made of."""

from __future__ import annotations

from importlib import metadata

from PyQt6.QtCore import PYQT_VERSION_STR, qVersion
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QHeaderView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from zolvek import __version__
from zolvek.studio.toolkit.widgets import heading, note

PARTS = (
    "PyQt6", "numpy", "scipy", "msgspec", "click", "soundfile", "soxr", "pedalboard", "cffi", "platformdirs",
)  # fmt: skip
FONTS = "The fonts and symbols that are shipped have open licences; their texts lie next to them."


def licence_of(name: str) -> tuple[str, str]:
    """The version of an installed package and its licence as it states it; "" for what it does not say."""
    try:
        about = metadata.metadata(name)
    except metadata.PackageNotFoundError:
        return "", ""
    stated = next((about[key] for key in ("License-Expression", "License") if key in about), "")
    classified = [row.rpartition(" :: ")[2] for row in about.get_all("Classifier") or () if row.startswith("License")]
    first = stated.strip().splitlines()[0] if stated.strip() else ""
    return about["Version"], first if 0 < len(first) < 60 else ", ".join(classified)


class AboutDialog(QDialog):
    """The version, and a table of libraries."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("About Zolvek")
        self.resize(520, 420)
        layout = QVBoxLayout(self)
        layout.addWidget(heading(f"Zolvek {__version__}"))
        layout.addWidget(
            note(
                "A workshop for automation curves. Free software under the GNU General Public License, version 3 or "
                f"later, without any warranty. Qt {qVersion()}, PyQt {PYQT_VERSION_STR}."
            )
        )
        rows = [(name, *licence_of(name)) for name in PARTS]
        rows = [row for row in rows if row[1]]
        table = QTableWidget(len(rows), 3)
        table.setAccessibleName("Libraries")
        table.setHorizontalHeaderLabels(("Library", "Version", "Licence"))
        table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        for row, texts in enumerate(rows):
            for column, text in enumerate(texts):
                table.setItem(row, column, QTableWidgetItem(text))
        header, side = table.horizontalHeader(), table.verticalHeader()
        assert header is not None and side is not None
        header.setSectionResizeMode(2, QHeaderView.ResizeMode.Stretch)
        side.hide()
        layout.addWidget(table)
        layout.addWidget(note(FONTS))
        box = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        box.rejected.connect(self.reject)
        layout.addWidget(box)
