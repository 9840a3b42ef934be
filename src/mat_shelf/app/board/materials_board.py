"""The board of the Materials station: the selected material's body and finish, laid out left to right."""

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.board.binding import of_material
from mat_shelf.app.board.card import titled_card
from mat_shelf.app.board.rows import row_of
from mat_shelf.app.workshop import Workshop
from mat_shelf.document.swatch import FAMILIES

BODY = [
    ["base_color", "base_weight", "base_diffuse_roughness", "base_metalness"],
    ["transmission_weight", "transmission_color", "transmission_depth", "specular_ior"],
]
FINISH = [["specular_roughness", "specular_weight", "specular_color"]]


class MaterialsBoard(QFrame):
    """Header and cards; a hint while nothing is selected."""

    def __init__(self, workshop: Workshop):
        super().__init__()
        self.setObjectName("board")
        self.workshop = workshop
        self.rows = {
            name: row_of(of_material(workshop, name)) for card in (BODY, FINISH) for column in card for name in column
        }
        self._name = QLabel()
        self._name.setProperty("role", "title")
        self._family, self._wearers = QLabel(), QLabel()
        for tag in (self._family, self._wearers):
            tag.setProperty("role", "tag")
        self.keep_button = QPushButton("Keep on shelf")
        self.keep_button.setToolTip("Keep this material as a swatch, for this and other projects  (Ctrl+K)")
        self.keep_popover = KeepPopover(self)
        self.keep_button.clicked.connect(self.open_keep)

        header = QHBoxLayout()
        header.setSpacing(8)
        for widget in (self._name, self._family, self._wearers):
            header.addWidget(widget)
        header.addStretch(1)
        header.addWidget(self.keep_button)
        cards = QHBoxLayout()
        cards.setSpacing(12)
        cards.addWidget(titled_card("Body", self._columns(BODY)), 64)
        cards.addWidget(titled_card("Finish", self._columns(FINISH)), 36)
        tuned = QWidget()
        layout = QVBoxLayout(tuned)
        layout.setContentsMargins(16, 10, 16, 14)
        layout.setSpacing(10)
        layout.addLayout(header)
        layout.addLayout(cards)

        self._hint = QLabel()
        self._hint.setProperty("role", "quiet")
        self._hint.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._stack = QStackedWidget()
        self._stack.addWidget(self._hint)
        self._stack.addWidget(tuned)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(self._stack)
        workshop.selection_changed.connect(self.follow)
        workshop.project_changed.connect(self.follow)
        self.follow()

    def _columns(self, names) -> list[list[QWidget]]:
        return [[self.rows[name] for name in column] for column in names]

    def follow(self) -> None:
        part, material = self.workshop.selected_part, self.workshop.selected_material
        if material is None:
            self._hint.setText(
                f"{part.name} wears no material yet. Drag a swatch from the shelf onto it."
                if part
                else "Click a piece of the product to tune its material,\n"
                "or drag a swatch from the shelf onto the picture."
            )
            self._stack.setCurrentIndex(0)
            return
        self._stack.setCurrentIndex(1)
        self._name.setText(material.name)
        self._family.setText(material.family)
        wearers = [p.name for p in self.workshop.project.parts_wearing(material.id)]
        shown = ", ".join(wearers[:4]) + (f" and {len(wearers) - 4} more" if len(wearers) > 4 else "")
        self._wearers.setText(f"on {shown}")
        for row in self.rows.values():
            row.follow()

    def open_keep(self) -> None:
        material = self.workshop.selected_material
        if material is not None:
            corner = self.keep_button.mapToGlobal(QPoint(self.keep_button.width(), 0))
            self.keep_popover.open_for(material.name, material.family, corner)


class KeepPopover(QFrame):
    """Name and family under which a material is kept."""

    def __init__(self, board: MaterialsBoard):
        super().__init__(board, Qt.WindowType.Popup)
        self.setObjectName("card")
        self.setFixedWidth(300)
        self._board = board
        self.name = QLineEdit(maxLength=120)
        self.name.setAccessibleName("Name of the swatch")
        self.family = QComboBox()
        self.family.setAccessibleName("Family")
        self.family.addItems(FAMILIES)
        self.confirm = QPushButton("Keep")
        self.confirm.setProperty("role", "main")
        self.confirm.clicked.connect(self._keep)
        self.name.returnPressed.connect(self._keep)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 14, 16, 14)
        layout.setSpacing(8)
        for text, widget in (("Name", self.name), ("Family", self.family)):
            label = QLabel(text)
            label.setProperty("role", "quiet")
            layout.addWidget(label)
            layout.addWidget(widget)
        layout.addSpacing(4)
        layout.addWidget(self.confirm)

    def open_for(self, name: str, family: str, corner: QPoint) -> None:
        workshop = self._board.workshop
        self.name.setText(name if workshop.shelf.name_is_free(name) else f"{name}, tuned")
        self.name.selectAll()
        self.family.setCurrentText(family)
        self.adjustSize()
        self.move(corner - QPoint(self.width(), self.height() + 6))
        self.show()
        self.name.setFocus()

    def _keep(self) -> None:
        if self._board.workshop.keep(self.name.text(), self.family.currentText()):
            self.hide()
