"""Views, sets and variants that become shots, each with each."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QGridLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.widgets.small_widgets import answers
from mat_shelf.app.workshop import HandOverWork
from mat_shelf.commands.hand_over import SIZES
from mat_shelf.document.shot import MOST_SHOTS
from mat_shelf.exchange.image_form import FILE_KINDS

AS_NOW = "As in the window"
GROUNDS = {"set": "As lit", "transparent": "Transparent", "white": "White"}


class AddShotsDialog(QDialog):
    """Ticks of views, sets and variants; the shots are added when it is confirmed."""

    def __init__(self, work: HandOverWork, parent: QWidget):
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.work = work
        self.setWindowTitle("Add shots")
        project = work.project
        self.views = _ticks("Views", [(v.name, v.id) for v in project.views], project.current_view)
        self.sets = _ticks("Sets", [(s.name, s.id) for s in project.sets], project.current_set)
        swaps = [("As it is", None), *work.swaps()]
        self.variants = _ticks("Variants", swaps, None)
        self.size_box, self.kind_box, self.ground_box = QComboBox(), QComboBox(), QComboBox()
        width, height = work.session.picture_size
        self.size_box.addItem(f"{AS_NOW}, {width} × {height}", None)
        for name, size in SIZES.items():
            self.size_box.addItem(f"{name}, {size[0]} × {size[1]}", size)
        for kind, name in FILE_KINDS.items():
            self.kind_box.addItem(name, kind)
        for ground, name in GROUNDS.items():
            self.ground_box.addItem(name, ground)
        self.count = QLabel()
        self.count.setProperty("role", "quiet")
        self.confirm, buttons = answers(self, self._confirm, "Add")
        lists, form = QGridLayout(), QFormLayout()
        lists.setHorizontalSpacing(12)
        for column, (name, ticks) in enumerate(
            (("Views", self.views), ("Sets", self.sets), ("Variants", self.variants))
        ):
            lists.addWidget(QLabel(name), 0, column)
            lists.addWidget(ticks, 1, column)
            ticks.itemChanged.connect(self._tell)
        form.setHorizontalSpacing(14)
        form.setVerticalSpacing(10)
        for name, box in (("Size", self.size_box), ("Format", self.kind_box), ("Background", self.ground_box)):
            box.setAccessibleName(name)
            form.addRow(name, box)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 18, 20, 16)
        layout.setSpacing(12)
        layout.addLayout(lists)
        layout.addLayout(form)
        layout.addWidget(self.count)
        layout.addLayout(buttons)
        self.setMinimumWidth(620)
        self._tell()

    def _number(self) -> int:
        return len(_ticked(self.views)) * len(_ticked(self.sets)) * len(_ticked(self.variants))

    def _tell(self) -> None:
        number, free = self._number(), MOST_SHOTS - len(self.work.shots)
        self.confirm.setEnabled(0 < number <= free)
        words = f"{number} shot{'s' * (number != 1)}"
        self.count.setText(words if number else "Tick at least one view, set and variant.")
        if number > free:
            self.count.setText(f"{words} are more than the {free} that a project has room for.")

    def _confirm(self) -> None:
        self.accept()
        self.work.add_shots(
            _ticked(self.views),
            _ticked(self.sets),
            _ticked(self.variants),
            self.size_box.currentData(),
            kind=self.kind_box.currentData(),
            background=self.ground_box.currentData(),
        )


def _ticks(name: str, things: list, current) -> QListWidget:
    ticks = QListWidget()
    ticks.setAccessibleName(name)
    ticks.setMinimumHeight(190)
    ticks.setSpacing(2)
    ticks.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    ticks.setTextElideMode(Qt.TextElideMode.ElideRight)
    for words, value in things:
        item = QListWidgetItem(words)
        item.setToolTip(words)
        item.setData(Qt.ItemDataRole.UserRole, value)
        item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
        item.setCheckState(Qt.CheckState.Checked if value == current else Qt.CheckState.Unchecked)
        ticks.addItem(item)
    return ticks


def _ticked(ticks: QListWidget) -> list:
    items = [ticks.item(row) for row in range(ticks.count())]
    return [i.data(Qt.ItemDataRole.UserRole) for i in items if i.checkState() == Qt.CheckState.Checked]
