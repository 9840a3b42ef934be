"""A list of things to tick."""

from collections.abc import Collection

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QListWidget, QListWidgetItem


class TickList(QListWidget):
    """Names with a tick each, in which all of a value can be had.

    Parameters
    ----------
    name : str
        Said by screen readers.
    """

    def __init__(self, name: str):
        super().__init__()
        self.setAccessibleName(name)
        self.setMinimumHeight(190)
        self.setSpacing(2)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setTextElideMode(Qt.TextElideMode.ElideRight)

    def fill(self, things: list[tuple[str, object]], ticked: Collection) -> None:
        """Offers things anew: words and value of each."""
        self.blockSignals(True)
        self.clear()
        for words, value in things:
            item = QListWidgetItem(words)
            item.setToolTip(words)
            item.setData(Qt.ItemDataRole.UserRole, value)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if value in ticked else Qt.CheckState.Unchecked)
            self.addItem(item)
        self.blockSignals(False)

    def ticked(self) -> list:
        """Values of what is ticked, in order."""
        items = [self.item(row) for row in range(self.count())]
        return [i.data(Qt.ItemDataRole.UserRole) for i in items if i.checkState() == Qt.CheckState.Checked]
