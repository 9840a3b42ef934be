"""Props of the set: a list with switches, and the values of the selected one."""

from functools import partial
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.product.model_import import MODEL_FILES
from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.rows import row_of
from mat_shelf.app.widgets.small_widgets import small_button
from mat_shelf.app.workshop import ProductWork, Workshop
from mat_shelf.document.prop import PROP_KINDS, Prop
from mat_shelf.system.user_folders import home_folder

_ROWS = ("x", "y", "z", "turn", "size")


class PropsCard(QWidget):
    """Things that stand beside the product at their true size, and are no part of it."""

    def __init__(self, workshop: Workshop, work: ProductWork):
        super().__init__()
        self.workshop, self.work = workshop, work
        self.list = QListWidget()
        self.list.setAccessibleName("Props of the set")
        self.list.setMinimumWidth(130)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentRowChanged.connect(self._select)
        self.list.itemChanged.connect(self._changed)
        self.add_button = small_button("Add", "Stands something beside the product, at its true size")
        menu = QMenu(self.add_button)
        for kind, words in PROP_KINDS.items():
            menu.addAction(words, partial(self.add, kind))
        menu.addSeparator()
        menu.addAction("From a model…", self._choose_model)
        self.add_button.setMenu(menu)
        self.drop_button = small_button("Remove", "Removes it from the set", workshop.remove_prop)
        self.material_box = QComboBox()
        self.material_box.setProperty("role", "small")
        self.material_box.setAccessibleName("Material of the prop")
        self.material_box.setToolTip("Its own look, or a material of the project")
        self.material_box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.material_box.setMinimumContentsLength(8)
        self.material_box.activated.connect(lambda: self._dress(self.material_box.currentData()))
        told = Prop.parameter("is_upright")
        self.upright_box = QCheckBox(told.title)
        self.upright_box.setToolTip(told.description)
        self.upright_box.clicked.connect(self._stand)
        self.rows = {name: row_of(_of_prop(workshop, name), is_stacked=True) for name in _ROWS}
        left, right, buttons = QVBoxLayout(), QVBoxLayout(), QHBoxLayout()
        buttons.setSpacing(6)
        buttons.addWidget(self.add_button)
        buttons.addWidget(self.drop_button)
        left.setSpacing(6)
        left.addWidget(self.list, 1)
        left.addLayout(buttons)
        left.addWidget(self.material_box)
        left.addWidget(self.upright_box)
        right.setSpacing(0)
        right.addStrut(120)
        for row in self.rows.values():
            right.addWidget(row)
        right.addStretch(1)
        columns = QHBoxLayout(self)
        columns.setContentsMargins(0, 0, 0, 0)
        columns.setSpacing(14)
        columns.addLayout(left, 1)
        columns.addLayout(right, 1)

    def add(self, kind: str) -> None:
        """Stands a prop beside the product."""
        self.workshop.add_prop(kind, self.work.bounds())

    def _choose_model(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, "Prop from a model", str(home_folder()), MODEL_FILES)
        if chosen:
            self.workshop.add_model_prop(Path(chosen), self.work.bounds())

    def _select(self, row: int) -> None:
        if row >= 0 and row != self.workshop.prop_place:
            self.workshop.select_prop(row)

    def _changed(self, item: QListWidgetItem) -> None:
        row, props = self.list.row(item), self.workshop.project.set.props
        is_on = item.checkState() == Qt.CheckState.Checked
        if 0 <= row < len(props) and is_on != props[row].is_on:
            self.workshop.switch_prop(row, is_on)

    def _dress(self, material_id: str | None) -> None:
        if self.workshop.prop is not None:
            self.workshop.put_prop("Dress prop", self.workshop.prop.with_(material=material_id))

    def _stand(self, is_upright: bool) -> None:
        if self.workshop.prop is not None:
            self.workshop.put_prop("Stand prop", self.workshop.prop.with_(is_upright=is_upright))

    def follow(self) -> None:
        """Shows the props of the set in use."""
        project, prop = self.workshop.project, self.workshop.prop
        props = project.set.props
        self.list.blockSignals(True)
        while self.list.count() > len(props):
            self.list.takeItem(self.list.count() - 1)
        for row, each in enumerate(props):
            if row >= self.list.count():
                made = QListWidgetItem()
                made.setFlags(made.flags() | Qt.ItemFlag.ItemIsUserCheckable)
                self.list.addItem(made)
            item = self.list.item(row)
            item.setText(each.name)
            item.setCheckState(Qt.CheckState.Checked if each.is_on else Qt.CheckState.Unchecked)
        self.list.setCurrentRow(self.workshop.prop_place if prop is not None else -1)
        self.list.blockSignals(False)
        box, choices = self.material_box, [("Own look", None), *((m.name, m.id) for m in project.materials)]
        if [(box.itemText(k), box.itemData(k)) for k in range(box.count())] != choices:
            box.clear()
            for name, key in choices:
                box.addItem(name, key)
        worn = prop.material if prop is not None else None
        box.setCurrentIndex(next(k for k, (_, key) in enumerate(choices) if key == worn))
        for widget in (self.drop_button, box, self.upright_box):
            widget.setEnabled(prop is not None)
        self.upright_box.setChecked(prop is not None and prop.is_upright)
        for row in self.rows.values():
            row.follow()


def _of_prop(workshop: Workshop, name: str) -> Binding:
    return Binding(workshop, Prop, name, lambda w: w.prop, lambda w, changed: w.project.with_set(w.with_prop(changed)))
