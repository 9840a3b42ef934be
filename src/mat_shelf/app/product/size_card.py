"""Size of the product and of the selected part, the unit of its file, a known length, priority."""

from collections.abc import Sequence

from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLineEdit, QPushButton, QWidget

from mat_shelf.app.theme import font
from mat_shelf.app.widgets.binding import of_product
from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.widgets.small_widgets import quiet_label, small_button
from mat_shelf.app.widgets.value_row import ValueRow
from mat_shelf.app.workshop import ProductWork
from mat_shelf.geometry.size import UNIT_NAMES

_IN_METRES = 9999.5
"""mm; from there on lengths are told in metres, since there is room for four digits."""
_SIDES = "Width", "Height", "Depth"
_UNITS = {"mm": "millimetres", "m": "metres"}


class SizeCard(QWidget):
    def __init__(self, work: ProductWork):
        super().__init__()
        self.work = work
        self.whole, self.piece, self.piece_name = PlainLabel("nothing yet"), PlainLabel(), quiet_label()
        for label in (self.whole, self.piece):
            label.setFont(font(13, tabular=True))
        self.sides = [self._side(axis, name) for axis, name in enumerate(_SIDES)]
        sides = QHBoxLayout()
        sides.setSpacing(2)
        sides.addWidget(self.whole)
        for place, side in enumerate(self.sides):
            if place:
                sides.addWidget(PlainLabel("×"))
            sides.addWidget(side)
        self.unit = quiet_label("mm")
        sides.addWidget(self.unit)
        self.of_sides = [sides.itemAt(k).widget() for k in range(1, sides.count())]
        sides.addStretch(1)
        self.unit_box = QComboBox()
        self.unit_box.setAccessibleName("Unit of the model's file")
        self.unit_box.setToolTip("Unit of the numbers in the model's file; changing it scales the product.")
        for unit, name in UNIT_NAMES.items():
            self.unit_box.addItem(name, unit)
        self.unit_box.activated.connect(lambda: work.read_as(self.unit_box.currentData()))
        self.measure_button = QPushButton("Measure", checkable=True)
        self.measure_button.setProperty("role", "small")
        self.measure_button.setToolTip("Then click two points of the product.")
        self.distance = quiet_label("two points")
        self.known = QLineEdit(placeholderText="is really … mm")
        self.known.setAccessibleName("Known length, mm")
        self.known.setToolTip("True length of the measured distance: scales the whole product to fit.")
        self.known.returnPressed.connect(self._scale)
        formats = "STEP, IGES, glTF, USD, OBJ, STL, PLY or 3MF; or drop one on the window"
        self.import_button = small_button("Import model…", formats)
        self.measured = 0.0
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(5)
        grid.addWidget(quiet_label("Product, w × h × d"), 0, 0, 1, 2)
        grid.addLayout(sides, 1, 0, 1, 2)
        grid.addWidget(self.piece_name, 2, 0, 1, 2)
        grid.addWidget(self.piece, 3, 0, 1, 2)
        grid.addWidget(quiet_label("File's unit"), 4, 0)
        grid.addWidget(self.unit_box, 4, 1)
        grid.addWidget(self.measure_button, 5, 0)
        grid.addWidget(self.distance, 5, 1)
        grid.addWidget(self.known, 6, 0, 1, 2)
        self.contact = ValueRow(of_product(work.workshop, "contact"), is_stacked=True)
        grid.addWidget(self.contact, 7, 0, 1, 2)
        self.priority_box = QComboBox()
        self.priority_box.setAccessibleName("Priority")
        self.priority_box.setToolTip(
            "Where bodies that transmit light overlap, the higher priority fills the space: glass 5, liquid 3. "
            "The material sets it unless chosen here. Select a part that is clear or soft."
        )
        self.priority_box.addItem("As material", None)
        for priority in range(10):
            self.priority_box.addItem(str(priority), priority)
        self.priority_box.activated.connect(lambda: work.prioritise(self.priority_box.currentData()))
        self.priority_label = quiet_label("Priority")
        grid.addWidget(self.priority_label, 8, 0)
        grid.addWidget(self.priority_box, 8, 1)
        grid.addWidget(self.import_button, 9, 0, 1, 2)
        self.known.setVisible(False)

    def follow(self) -> None:
        product, part = self.work.project.product, self.work.workshop.selected_part
        self.whole.setVisible(not product.parts)
        for widget in self.of_sides:
            widget.setVisible(bool(product.parts))
        low, high = self.work.bounds() if product.parts else ((0, 0, 0), (0, 0, 0))
        lengths = [float(end - start) for start, end in zip(low, high, strict=True)]
        mm, unit = _unit_for(lengths)
        self.unit.setText(unit)
        for side, name, length in zip(self.sides, _SIDES, lengths, strict=True):
            side.setAccessibleName(f"{name} of the product, {unit}")
            if not side.hasFocus() or not side.isModified():
                side.setText(_length_words(length / mm))
        self.piece_name.setText(part.name if part else "")
        self.piece.setText(_box_words(self.work.bounds([part])) if part else "")
        self.unit_box.setCurrentIndex(self.unit_box.findData(product.unit))
        self.unit_box.setEnabled(bool(product.parts))
        self.contact.follow()
        self.priority_box.setEnabled(part is not None and self.work.has_inside(part))
        self.priority_box.setCurrentIndex(0 if part is None or part.priority is None else part.priority + 1)

    def _side(self, axis: int, name: str) -> QLineEdit:
        side = QLineEdit()
        side.setProperty("role", "number")
        side.setFont(font(13, tabular=True))
        side.setToolTip(f"{name} of the whole product. Type another one, and all of it is scaled.")
        side.setFixedWidth(46)
        side.editingFinished.connect(lambda: self._resize(axis))
        return side

    def _resize(self, axis: int) -> None:
        """Scales the product so that one of its sides has the length that was typed."""
        side = self.sides[axis]
        if not side.isModified():
            return
        side.setModified(False)
        low, high = self.work.bounds()
        mm, unit = _unit_for(high - low)
        now, wanted = float(high[axis] - low[axis]), _typed_length(side.text(), mm)
        if wanted is None:
            self.work.workshop.said.emit(f"The length must be a number of {_UNITS[unit]} above 0.")
        elif now > 0 and side.text().strip() != _length_words(now / mm):
            self.work.scale_to(wanted / now, "Overall size")
        self.follow()

    def show_distance(self, mm: float) -> None:
        """Shows what was measured between two points; 0 where there is only one yet."""
        self.measured = mm
        self.distance.setText(f"{mm:.2f} mm" if mm else "one more point")
        self.known.setVisible(mm > 0)
        for other in (self.priority_label, self.priority_box):
            other.setVisible(mm <= 0)

    def _scale(self) -> None:
        wanted = _typed_length(self.known.text())
        if wanted is None:
            self.work.workshop.said.emit("The length must be a number of millimetres above 0.")
            return
        self.work.scale_to(wanted / self.measured, "Scale to a known length")
        self.known.clear()
        self.show_distance(wanted)


def _unit_for(lengths: Sequence[float]) -> tuple[float, str]:
    """Unit that some lengths, mm, are told in: how many mm it has, and its sign."""
    return (1000.0, "m") if max(lengths) >= _IN_METRES else (1.0, "mm")


def _box_words(bounds) -> str:
    lengths = bounds[1] - bounds[0]
    mm, unit = _unit_for(lengths)
    return " × ".join(_length_words(length / mm) for length in lengths) + f" {unit}"


def _length_words(length: float) -> str:
    return f"{length:.3g}" if length < 1000 else f"{length:.0f}"


def _typed_length(text: str, mm: float = 1.0) -> float | None:
    """A length that was typed, mm, of a unit that has so many unless another one is typed; None where it is none."""
    words = text.strip().lower()
    for unit in ("mm", "m"):
        if words.endswith(unit):
            words, mm = words.removesuffix(unit), 1000.0 if unit == "m" else 1.0
            break
    try:
        wanted = float(words.replace(",", ".")) * mm
    except ValueError:
        return None
    return wanted if 0 < wanted < 1e6 else None
