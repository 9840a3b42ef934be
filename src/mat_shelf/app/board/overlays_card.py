"""The overlays of the material on the board: what lies over it, the uppermost first."""

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QMenu, QPushButton, QVBoxLayout, QWidget

from mat_shelf.app.board.binding import Binding
from mat_shelf.app.board.card import HEAD, scrolling
from mat_shelf.app.board.value_row import ValueRow, lay_stacked
from mat_shelf.app.workshop import Workshop
from mat_shelf.document.ids import free_name, new_id
from mat_shelf.document.recipe import Overlay, Recipe
from mat_shelf.shelf.overlays import READY_OVERLAYS

_NAME_WIDTH = 112


class OverlayRow(QWidget):
    """An overlay's name, which opens it, and its amount."""

    def __init__(self, card: "OverlaysCard", overlay_id: str):
        super().__init__()
        self.card, self.overlay_id = card, overlay_id
        self.name = QPushButton()
        self.name.setProperty("role", "add")
        self.name.setToolTip("Opens it on the board. Right-click to move it, switch it off or take it out.")
        self.name.clicked.connect(lambda: card.workshop.open_overlay(overlay_id))
        binding = Binding(card.workshop, Overlay, "amount", lambda _: self.overlay, self._changed)
        row = ValueRow(binding)
        self.amount = row
        self.slider, self.number = row.slider, row.number
        lay_stacked(self, self.name, row.number, row.slider, None)

    @property
    def overlay(self) -> Overlay | None:
        material = self.card.workshop.selected_material
        overlays = material.recipe.overlays if material else ()
        return next((overlay for overlay in overlays if overlay.id == self.overlay_id), None)

    def _changed(self, workshop: Workshop, overlay: Overlay):
        material = workshop.selected_material
        return workshop.project.with_material(material.tuned(material.recipe.with_overlay(overlay)))

    def follow(self) -> None:
        overlay = self.overlay
        metrics = self.name.fontMetrics()
        self.name.setText(metrics.elidedText(overlay.name, Qt.TextElideMode.ElideRight, _NAME_WIDTH))
        self.name.setAccessibleName(f"Open overlay {overlay.name}")
        self.slider.setAccessibleName(f"{overlay.name}, amount")
        for widget in (self.slider, self.number):
            widget.setEnabled(overlay.is_on)
        self.amount.follow()

    def contextMenuEvent(self, event) -> None:
        self.card.open_menu(self.overlay, event.globalPos())


class OverlaysCard(QFrame):
    """The list, the age that scales all of it, and ready overlays to add."""

    def __init__(self, workshop: Workshop, age: QWidget, turn_over):
        super().__init__(objectName="card")
        self.workshop = workshop
        self.rows: dict[str, OverlayRow] = {}
        self.age = age
        heading = QLabel("Overlays")
        heading.setProperty("role", "cardTitle")
        heading.setFixedHeight(HEAD)
        self.relief_button = QPushButton("‹ Relief")
        self.relief_button.setProperty("role", "tag")
        self.relief_button.clicked.connect(turn_over)
        head = QHBoxLayout()
        head.addWidget(heading)
        head.addStretch(1)
        head.addWidget(self.relief_button)
        self._list = QVBoxLayout()
        self._list.setContentsMargins(0, 0, 6, 0)
        self._list.setSpacing(0)
        self.add_button = QPushButton("+ Add an overlay")
        self.add_button.setProperty("role", "add")
        self.add_button.setToolTip("Dust, wear, frost: another material that lies over this one where a mask says so")
        self.add_button.clicked.connect(lambda: self.menu().popup(self.add_button.mapToGlobal(QPoint(0, 0))))
        self._list.addWidget(self.add_button)
        self._list.addWidget(age)
        self._list.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 7, 8, 5)
        layout.setSpacing(2)
        layout.addLayout(head)
        layout.addWidget(scrolling(self._list), 1)

    @property
    def recipe(self) -> Recipe:
        material = self.workshop.selected_material
        return material.recipe if material else Recipe()

    def edit(self, label: str, recipe: Recipe) -> None:
        """Puts other overlays into the material on the board."""
        material = self.workshop.selected_material
        self.workshop.edit(label, self.workshop.project.with_material(material.tuned(recipe)))

    def follow(self) -> None:
        ids = [overlay.id for overlay in reversed(self.recipe.overlays)]
        if list(self.rows) != ids:
            for row in self.rows.values():
                self._list.removeWidget(row)
                row.hide()
                row.deleteLater()
            self.rows = {overlay_id: OverlayRow(self, overlay_id) for overlay_id in ids}
            for place, row in enumerate(self.rows.values()):
                self._list.insertWidget(place, row)
        for row in self.rows.values():
            row.follow()
        self.age.setVisible(bool(ids))
        if ids:
            self.age.follow()

    def menu(self) -> QMenu:
        """What can be added: ready overlays, or a plain one to build up."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for ready in READY_OVERLAYS:
            menu.addAction(ready.name).triggered.connect(lambda _, ready=ready: self.add(ready))
        menu.addSeparator()
        plain = Overlay(id="plain", name="Overlay")
        menu.addAction("A plain one").triggered.connect(lambda: self.add(plain))
        return menu

    def add(self, overlay: Overlay) -> None:
        """Lays an overlay on top."""
        name = free_name(overlay.name, {o.name for o in self.recipe.overlays})
        overlay = overlay.with_(id=new_id("overlay"), name=name)
        self.edit(f"Add {name.lower()}", self.recipe.with_overlay(overlay))

    def move(self, overlay: Overlay, by: int) -> None:
        """Moves an overlay up (1) or down (-1)."""
        overlays = list(self.recipe.overlays)
        place = overlays.index(overlay)
        to = min(max(place + by, 0), len(overlays) - 1)
        if to != place:
            overlays.insert(to, overlays.pop(place))
            self.edit("Move overlay", self.recipe.with_(overlays=tuple(overlays)))

    def open_menu(self, overlay: Overlay, where: QPoint) -> None:
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction("Open").triggered.connect(lambda: self.workshop.open_overlay(overlay.id))
        switched = overlay.with_(is_on=not overlay.is_on)
        menu.addAction("Switch off" if overlay.is_on else "Switch on").triggered.connect(
            lambda: self.edit("Switch overlay", self.recipe.with_overlay(switched))
        )
        menu.addAction("Move up").triggered.connect(lambda: self.move(overlay, 1))
        menu.addAction("Move down").triggered.connect(lambda: self.move(overlay, -1))
        menu.addSeparator()
        menu.addAction("Take out").triggered.connect(
            lambda: self.edit(f"Take out {overlay.name.lower()}", self.recipe.without_overlay(overlay.id))
        )
        menu.popup(where)
