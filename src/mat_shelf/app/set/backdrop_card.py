"""Backdrop of the set: its form, and its colour or the material that it wears."""

from functools import partial
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QFileDialog, QHBoxLayout, QMenu, QVBoxLayout, QWidget

from mat_shelf.app.set.light_card import IMAGE_FILES
from mat_shelf.app.widgets.binding import Binding, of_backdrop
from mat_shelf.app.widgets.plain_label import plain_text
from mat_shelf.app.widgets.rows import row_of
from mat_shelf.app.widgets.small_widgets import small_button
from mat_shelf.app.workshop import Workshop
from mat_shelf.document.set import Plate
from mat_shelf.system.user_folders import home_folder

_PLATE = ("exposure", "eye", "lower", "upper")
_FORMS = {"sweep": "Sweep", "floor": "Floor alone", "box": "Box", "": "None"}
_BETWEEN, _COLUMN = 14, 130
_OWN = ("color", "gloss", "roughness")
_SHAPES = {
    "sweep": ("depth", "radius", "width", "height"),
    "floor": ("width",),
    "box": ("depth", "radius", "width", "height"),
    "": (),
}


class BackdropCard(QWidget):
    """Form, material, colour and measures of the backdrop.

    Signals
    -------
    lines_wanted : bool
        Whether the camera is to be matched to the photograph by two lines.
    """

    lines_wanted = pyqtSignal(bool)

    def __init__(self, workshop: Workshop):
        super().__init__()
        self.workshop = workshop
        self.form_box = _box("Form of the backdrop", "The ground under the product, and what stands behind it.")
        for form, words in _FORMS.items():
            self.form_box.addItem(words, form)
        self.form_box.activated.connect(lambda: workshop.set_backdrop(self.form_box.currentData()))
        self.material_box = _box("Material of the backdrop", "A colour of its own, or a material of the project.")
        self.material_box.activated.connect(lambda: workshop.dress_backdrop(self.material_box.currentData()))
        names = (*_OWN, *_SHAPES["sweep"])
        self.rows = {name: row_of(of_backdrop(workshop, name), is_stacked=True) for name in names}
        self.rows |= {f"plate {name}": row_of(_of_plate(workshop, name), is_stacked=True) for name in _PLATE}
        self.plate_button = small_button("Backplate", "")
        menu = QMenu(self.plate_button)
        menu.addAction("Photograph…", self._choose_plate)
        menu.addAction("Colours", workshop.set_plate_colors)
        menu.addAction("Surround on the floor", workshop.lay_surround)
        menu.addSeparator()
        self.no_plate = menu.addAction("None", partial(workshop.set_plate, None))
        self.plate_button.setMenu(menu)
        self.lines_button = small_button(
            "Match horizon", "Shows two lines; drag them to the photograph's horizon and to where the product stands"
        )
        self.lines_button.setCheckable(True)
        self.lines_button.toggled.connect(self.lines_wanted)
        left, right = QVBoxLayout(), QVBoxLayout()
        columns = QHBoxLayout(self)
        columns.setContentsMargins(0, 0, 0, 0)
        columns.setSpacing(_BETWEEN)
        for column in (left, right):
            column.setSpacing(0)
            column.addStrut(_COLUMN)
            columns.addLayout(column, 1)
        for widget in (self.form_box, self.material_box):
            left.addWidget(widget)
            left.addSpacing(4)
        for name in _OWN:
            left.addWidget(self.rows[name])
        left.addSpacing(4)
        left.addWidget(self.plate_button)
        left.addSpacing(4)
        left.addWidget(self.lines_button)
        for name in (*_SHAPES["sweep"], *(f"plate {name}" for name in _PLATE)):
            right.addWidget(self.rows[name])
        for column in (left, right):
            column.addStretch(1)

    def _choose_plate(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, "Backplate", str(home_folder()), IMAGE_FILES)
        if chosen:
            self.workshop.set_plate(Path(chosen))

    def let_go(self) -> None:
        """The lines are no longer shown."""
        self.lines_button.setChecked(False)

    def follow(self) -> None:
        """Shows the backdrop of the set in use."""
        project = self.workshop.project
        backdrop = project.set.backdrop
        form = backdrop.form if backdrop is not None else ""
        self.form_box.setCurrentIndex(self.form_box.findData(form))
        choices = [("Own colour", None), *((material.name, material.id) for material in project.materials)]
        box = self.material_box
        if [(box.itemText(k), box.itemData(k)) for k in range(box.count())] != choices:
            box.clear()
            for name, key in choices:
                box.addItem(name, key)
        worn = backdrop.material if backdrop is not None else None
        box.setCurrentIndex(next(k for k, (_, key) in enumerate(choices) if key == worn))
        box.setVisible(backdrop is not None)
        shown = {*_SHAPES[form], *(_OWN if backdrop is not None and worn is None else ())}
        plate = project.set.plate
        self.no_plate.setEnabled(plate is not None)
        told = "Puts a photograph or colours behind the product, which casts its shadow and reflection on them"
        self.plate_button.setToolTip(plain_text(told if plate is None else f"{_words(plate)} stand behind the product"))
        if plate is not None:
            shown |= set(_rows_of(plate))
        has_photograph = plate is not None and plate.image is not None
        self.lines_button.setVisible(has_photograph)
        if not has_photograph:
            self.let_go()
        for name, row in self.rows.items():
            row.setVisible(name in shown)
            row.follow()


def _rows_of(plate: Plate) -> tuple[str, ...]:
    if plate.is_surround:
        return "plate exposure", "plate eye"
    return ("plate exposure",) if plate.image is not None else ("plate lower", "plate upper")


def _words(plate: Plate) -> str:
    if plate.is_surround:
        return "The surround and its floor"
    return plate.image.name if plate.image is not None else "Colours"


def _of_plate(workshop: Workshop, name: str) -> Binding:
    return Binding(
        workshop,
        Plate,
        name,
        lambda w: w.project.set.plate,
        lambda w, changed: w.project.with_set(w.project.set.with_(plate=changed)),
    )


def _box(name: str, tip: str) -> QComboBox:
    box = QComboBox()
    box.setProperty("role", "small")
    box.setAccessibleName(name)
    box.setToolTip(tip)
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(8)
    return box
