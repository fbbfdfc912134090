# SPDX-License-Identifier: GPL-3.0-or-later
"""The user guide, docs/guide.md, in a window of its own."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt, QUrl
from PyQt6.QtGui import QPixmap, QTextDocument
from PyQt6.QtWidgets import QDialog, QLineEdit, QTextBrowser, QVBoxLayout, QWidget

from zolvek.core.errors import ZolvekError
from zolvek.storage.opening import read_bytes
from zolvek.storage.shipped_files import DOCS

MARGINS_PX = 90  # of the page and its window, next to a picture


def folder() -> Path:
    """Where the documents are. Raises ZolvekError when they are gone."""
    if not (DOCS / "guide.md").is_file():
        raise ZolvekError("The user guide is missing.", str(DOCS), "Install Zolvek again.")
    return DOCS


class Page(QTextBrowser):
    """Shows pictures no wider than itself."""

    def loadResource(self, kind: int, name: QUrl) -> object:
        """See Qt."""
        found = super().loadResource(kind, name)
        if kind != QTextDocument.ResourceType.ImageResource.value:
            return found
        picture = QPixmap(str(folder() / name.path()))
        if picture.isNull():
            return found
        ratio = self.devicePixelRatioF()
        room = round((self.width() - MARGINS_PX) * ratio)
        if picture.width() > room:
            picture = picture.scaledToWidth(room, Qt.TransformationMode.SmoothTransformation)
        picture.setDevicePixelRatio(ratio)
        return picture


class Guide(QDialog):
    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Zolvek user guide")
        self.resize(760, 700)
        self.words = QLineEdit()
        self.words.setPlaceholderText("Find in the guide (Enter for next)")
        self.words.setAccessibleName("Find in the guide")
        self.words.returnPressed.connect(self._find)
        self.page = Page()
        self.page.resize(self.size())
        self.page.setAccessibleName("User guide")
        self.page.setSearchPaths([str(folder())])
        self.page.setOpenExternalLinks(True)
        self.page.document().setDocumentMargin(18)  # type: ignore[union-attr]  # a text browser has a document
        self.page.setMarkdown(read_bytes(folder() / "guide.md").decode())
        self.page.anchorClicked.connect(self._follow)
        self.page.setOpenLinks(False)
        layout = QVBoxLayout(self)
        layout.addWidget(self.words)
        layout.addWidget(self.page)

    def _find(self) -> None:
        if not self.page.find(self.words.text()):
            self.page.moveCursor(self.page.textCursor().MoveOperation.Start)
            self.page.find(self.words.text())

    def _follow(self, link: QUrl) -> None:
        """Another document of the guide; nothing that is not there."""
        path = folder() / link.path()
        if link.isRelative() and path.suffix == ".md" and path.is_file():
            self.page.setMarkdown(read_bytes(path).decode())
