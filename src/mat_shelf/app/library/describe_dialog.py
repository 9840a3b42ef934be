"""Name, family, tags and note of a swatch."""

from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QLineEdit,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.widgets.small_widgets import answers
from mat_shelf.app.workshop import Workshop
from mat_shelf.document.swatch import FAMILIES, Swatch, tags_from


class DescribeDialog(QDialog):
    """Name, family, tags and note of one swatch."""

    def __init__(self, workshop: Workshop, swatch: Swatch, parent: QWidget):
        super().__init__(parent)
        self.setWindowTitle("About this swatch")
        self.setMinimumWidth(420)
        self._workshop, self._swatch = workshop, swatch
        self.name = QLineEdit(swatch.name, maxLength=120)
        self.family = QComboBox(editable=True)
        self.family.addItems(list(dict.fromkeys([*FAMILIES, swatch.family])))
        self.family.setCurrentText(swatch.family)
        self.tags = QLineEdit(", ".join(swatch.tags), placeholderText="shiny, spring range")
        self.note = QPlainTextEdit(swatch.note)
        self.note.setFixedHeight(96)
        self.note.setTabChangesFocus(True)
        form = QFormLayout()
        form.setHorizontalSpacing(14)
        form.setVerticalSpacing(10)
        for text, widget in (
            ("Name", self.name),
            ("Family", self.family),
            ("Tags", self.tags),
            ("Note", self.note),
        ):
            widget.setAccessibleName(text)
            form.addRow(text, widget)
        self.confirm, buttons = answers(self, self._keep)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 18, 20, 16)
        layout.setSpacing(14)
        layout.addLayout(form)
        layout.addLayout(buttons)

    def _keep(self) -> None:
        family = self.family.currentText().strip() or self._swatch.family
        if self._workshop.describe_swatch(
            self._swatch, self.name.text(), family, tags_from(self.tags.text()), self.note.toPlainText()
        ):
            self.accept()
