"""Dialogs with more than one field."""

from __future__ import annotations

from itertools import groupby

from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QDoubleSpinBox,
    QLineEdit,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from zolvek.core.parameter import Parameter
from zolvek.core.project import Lane
from zolvek.studio.widgets import field_label, form


def _buttons(dialog: QDialog) -> QDialogButtonBox:
    button = QDialogButtonBox.StandardButton
    box = QDialogButtonBox(button.Ok | button.Cancel)
    box.accepted.connect(dialog.accept)
    box.rejected.connect(dialog.reject)
    return box


def _number(value: float, low: float, high: float, name: str) -> QDoubleSpinBox:
    box = QDoubleSpinBox()
    box.setRange(low, high)
    box.setDecimals(1)
    box.setValue(value)
    box.setSuffix(" %")
    box.setAccessibleName(name)
    return box


class ReachDialog(QDialog):
    """Lowest and highest output of a lane, in the parameter's own unit."""

    def __init__(self, parameter: Parameter, lane: Lane, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Reach")
        self.parameter = parameter
        self.low, self.high = (QLineEdit(parameter.text(end)) for end in lane.reach)
        self.low.setAccessibleName("Lowest output")
        self.high.setAccessibleName("Highest output")
        self.keep = QComboBox()
        self.keep.addItem("Keep its form: it covers the new reach", False)
        self.keep.addItem("Keep its sound: points move", True)
        self.keep.setAccessibleName("What the curve keeps")
        fields = form()
        fields.addRow(field_label("Lowest"), self.low)
        fields.addRow(field_label("Highest"), self.high)
        fields.addRow(field_label("The curve shall"), self.keep)
        layout = QVBoxLayout(self)
        layout.addLayout(fields)
        layout.addWidget(_buttons(self))

    @property
    def keeps_sound(self) -> bool:
        return bool(self.keep.currentData())

    def ends(self) -> tuple[float, float]:
        """Both positions. Raises ZolvekError when a text can't be read."""
        return self.parameter.parse(self.low.text()), self.parameter.parse(self.high.text())


class RepeatDialog(QDialog):
    """How far to repeat, and what changes with every repeat."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Repeat with a change")
        self.until = QLineEdit()
        self.until.setPlaceholderText("a bar, such as 17")
        self.until.setAccessibleName("Repeat up to")
        self.scale = _number(100, -400, 400, "Scale of each repeat")
        self.tilt = _number(0, -100, 100, "Rise over each repeat")
        self.all_lanes = QCheckBox("All shown lanes, aligned")
        fields = form()
        fields.addRow(field_label("Up to"), self.until)
        fields.addRow(field_label("Each repeat scaled to"), self.scale)
        fields.addRow(field_label("Each repeat raised by"), self.tilt)
        layout = QVBoxLayout(self)
        layout.addLayout(fields)
        layout.addWidget(self.all_lanes)
        layout.addWidget(_buttons(self))


class ShortcutsDialog(QDialog):
    """All keys, by menu."""

    def __init__(self, rows: list[tuple[str, str, str]], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keyboard shortcuts")
        self.resize(620, 640)
        tree = QTreeWidget()
        tree.setHeaderLabels(["Keys", "What they do"])
        tree.setColumnWidth(0, 190)
        tree.setAccessibleName("Keyboard shortcuts")
        for menu, group in groupby(rows, key=lambda row: row[0]):
            head = QTreeWidgetItem([menu])
            head.addChildren([QTreeWidgetItem([keys, text]) for _, keys, text in group])
            tree.addTopLevelItem(head)
        tree.expandAll()
        layout = QVBoxLayout(self)
        layout.addWidget(tree)
        close = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        close.rejected.connect(self.reject)
        layout.addWidget(close)
