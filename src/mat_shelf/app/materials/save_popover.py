"""Name, family and tags of a material that is saved to the library."""

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QComboBox, QFrame, QLineEdit, QPushButton, QVBoxLayout, QWidget

from mat_shelf.app.widgets.plain_label import PlainLabel, literal
from mat_shelf.app.workshop import Workshop
from mat_shelf.document.swatch import FAMILIES, tags_from


class SavePopover(QFrame):
    """Keeps the material on the board as a new swatch, or gives its values to the swatch it came from."""

    def __init__(self, workshop: Workshop, parent: QWidget):
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("card")
        self.setFixedWidth(300)
        self.workshop = workshop
        self.name = QLineEdit(maxLength=120)
        self.name.setAccessibleName("Name of the swatch")
        self.family = QComboBox()
        self.family.setAccessibleName("Family")
        self.family.addItems(FAMILIES)
        self.tags = QLineEdit(placeholderText="shiny, spring range")
        self.tags.setAccessibleName("Tags, separated by commas")
        self.confirm = QPushButton("Save as a new swatch")
        self.confirm.setProperty("role", "main")
        self.confirm.clicked.connect(self._keep)
        self.update_button = QPushButton()
        self.update_button.setToolTip("The swatch in the library takes these values, and its variants follow.")
        self.update_button.clicked.connect(self._update)
        self.name.returnPressed.connect(self._keep)
        self.tags.returnPressed.connect(self._keep)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 14, 16, 14)
        layout.setSpacing(8)
        for text, widget in (("Name", self.name), ("Family", self.family), ("Tags", self.tags)):
            label = PlainLabel(text)
            label.setProperty("role", "quiet")
            layout.addWidget(label)
            layout.addWidget(widget)
        layout.addSpacing(4)
        layout.addWidget(self.confirm)
        layout.addWidget(self.update_button)

    def open_at(self, corner: QPoint) -> None:
        """Opens above a point, its lower right corner there."""
        workshop, material = self.workshop, self.workshop.selected_material
        entries = {entry.id: entry for entry in workshop.library_entries()}
        taken = {entry.name.casefold() for entry in entries.values()}
        self.name.setText(f"{material.name}, edited" if material.name.casefold() in taken else material.name)
        self.name.selectAll()
        self.family.setCurrentText(material.family)
        origin = entries.get(material.swatch)
        self.tags.setText(origin.tags if origin else "")
        self.update_button.setVisible(origin is not None)
        if origin is not None:
            self.update_button.setText(f"Update '{literal(origin.name)}'")
        self.adjustSize()
        self.move(corner - QPoint(self.width(), self.height() + 6))
        self.show()
        self.name.setFocus()

    def _keep(self) -> None:
        if self.workshop.save_swatch(self.name.text(), self.family.currentText(), tags_from(self.tags.text())):
            self.hide()

    def _update(self) -> None:
        if self.workshop.update_swatch():
            self.hide()
