"""Views, sets and variants that become shots, each with each."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QGridLayout,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.widgets.small_widgets import answers
from mat_shelf.app.widgets.tick_list import TickList
from mat_shelf.app.workshop import HandOverWork
from mat_shelf.commands.hand_over import SIZES
from mat_shelf.document.shot import MOST_SHOTS
from mat_shelf.exchange.image_form import FILE_KINDS

AS_NOW = "As in the window"
GROUNDS = {
    "set": "As lit",
    "transparent": "Transparent",
    "transparent-shadow": "Transparent, with shadow",
    "white": "White",
    "white-shadow": "White, with shadow",
}


class AddShotsDialog(QDialog):
    """Ticks of views, sets and variants; the shots are added when it is confirmed."""

    def __init__(self, work: HandOverWork, parent: QWidget):
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.work = work
        self.setWindowTitle("Add shots")
        project = work.project
        self.views, self.sets, self.variants = TickList("Views"), TickList("Sets"), TickList("Variants")
        self.views.fill([(view.name, view.id) for view in project.views], [project.current_view])
        self.sets.fill([(studio.name, studio.id) for studio in project.sets], [project.current_set])
        self.variants.fill([("As it is", None), *work.swaps()], [None])
        self.size_box, self.kind_box, self.ground_box = QComboBox(), QComboBox(), QComboBox()
        width, height = work.session.picture_size
        self.size_box.addItem(f"{AS_NOW}, {width} × {height}", None)
        for name, size in SIZES.items():
            self.size_box.addItem(f"{name}, {size[0]} × {size[1]}", size)
        for kind, name in FILE_KINDS.items():
            self.kind_box.addItem(name, kind)
        for ground, name in GROUNDS.items():
            self.ground_box.addItem(name, ground)
        self.count = PlainLabel()
        self.count.setProperty("role", "quiet")
        self.confirm, buttons = answers(self, self._confirm, "Add")
        lists, form = QGridLayout(), QFormLayout()
        lists.setHorizontalSpacing(12)
        for column, (name, ticks) in enumerate(
            (("Views", self.views), ("Sets", self.sets), ("Variants", self.variants))
        ):
            lists.addWidget(PlainLabel(name), 0, column)
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
        return len(self.views.ticked()) * len(self.sets.ticked()) * len(self.variants.ticked())

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
            self.views.ticked(),
            self.sets.ticked(),
            self.variants.ticked(),
            self.size_box.currentData(),
            kind=self.kind_box.currentData(),
            background=self.ground_box.currentData(),
        )
