"""The steps of the history as a list that one can go back in."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QFont
from PyQt6.QtWidgets import QDialog, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from mat_shelf.app.theme import THEME, font
from mat_shelf.app.widgets.small_widgets import quiet_label
from mat_shelf.app.workshop import Workshop


class HistoryList(QDialog):
    """Stays open beside the work; the present step is ticked, those taken back are grey."""

    def __init__(self, workshop: Workshop, parent: QWidget):
        super().__init__(parent)
        self.setWindowTitle("History")
        self.workshop = workshop
        self.list = QListWidget()
        self.list.setAccessibleName("Steps")
        self.list.itemClicked.connect(self._go)
        self.list.itemActivated.connect(self._go)
        self.hint = quiet_label("Click a step to go back to it, or forth again. A new edit ends those after it.")
        self.hint.setWordWrap(True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 12, 14, 12)
        layout.setSpacing(8)
        layout.addWidget(self.list, 1)
        layout.addWidget(self.hint)
        self.resize(320, 420)
        workshop.project_changed.connect(self.follow)
        self._shown: tuple = ()
        self.follow()

    def follow(self) -> None:
        """Shows the steps as they are now."""
        if not self.isVisible() and self._shown:
            return
        history = self.workshop.history
        shown = (tuple(history.steps), history.position)
        if shown == self._shown:
            return
        self._shown = shown
        self.list.clear()
        for number, label in enumerate(["As opened", *history.steps]):
            item = QListWidgetItem(("✓  " if number == history.position else "    ") + label)
            item.setFont(font(13, QFont.Weight.DemiBold if number == history.position else QFont.Weight.Normal))
            if number > history.position:
                item.setForeground(QColor(THEME.faint))
            self.list.addItem(item)
        self.list.setCurrentRow(history.position)
        self.list.scrollToItem(self.list.item(history.position))

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self._shown = ()
        self.follow()

    def _go(self, item: QListWidgetItem) -> None:
        self.workshop.go_to_step(self.list.row(item))

    def keyPressEvent(self, event) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            return  # a dialog would press a button; the list has taken it
        super().keyPressEvent(event)
