"""The overlays of the material on the board: what lies over it, the uppermost first."""

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QMenu, QPushButton, QWidget

from mat_shelf.app.library.swatch_drag import dragged_wearable
from mat_shelf.app.widgets.binding import Binding, of_material
from mat_shelf.app.widgets.card import ListCard
from mat_shelf.app.widgets.plain_label import literal
from mat_shelf.app.widgets.reorder import Reorder
from mat_shelf.app.widgets.value_row import ValueRow
from mat_shelf.app.workshop import Workshop
from mat_shelf.commands.command import command
from mat_shelf.commands.materials import Wearable
from mat_shelf.document.ids import free_name, new_id
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Overlay, Recipe
from mat_shelf.library.shipped import READY_OVERLAYS

_NAME_WIDTH = 112


class OverlayRow(ValueRow):
    """An overlay's name, which opens it, and its amount."""

    def __init__(self, card: "OverlaysCard", overlay_id: str):
        self.card, self.overlay_id = card, overlay_id
        self.name = QPushButton()
        self.name.setProperty("role", "name")
        self.name.clicked.connect(lambda: card.workshop.open_overlay(overlay_id))
        binding = Binding(card.workshop, Overlay, "amount", lambda _: self.overlay, lambda _, o: card.with_overlay(o))
        super().__init__(binding, is_stacked=True, name=self.name)
        self.name.setToolTip("Click to open it. Drag it up or down; right-click to switch it off or remove it.")
        card.order.take(overlay_id, self.name)

    @property
    def overlay(self) -> Overlay | None:
        return next((overlay for overlay in self.card.recipe.overlays if overlay.id == self.overlay_id), None)

    def follow(self) -> None:
        super().follow()
        overlay, metrics = self.overlay, self.name.fontMetrics()
        self.name.setText(literal(metrics.elidedText(overlay.name, Qt.TextElideMode.ElideRight, _NAME_WIDTH)))
        self.name.setAccessibleName(f"Open overlay {overlay.name}")
        self.slider.setAccessibleName(f"{overlay.name}, amount")
        self.number.setAccessibleName(f"{overlay.name}, amount, number")
        for widget in (self.slider, self.number):
            widget.setEnabled(overlay.is_on)

    def contextMenuEvent(self, event) -> None:
        self.card.open_menu(self.overlay, event.globalPos())


class OverlaysCard(ListCard):
    """The list, the age that scales all of it, and ready overlays to add."""

    def __init__(self, title: QWidget, workshop: Workshop):
        super().__init__(title)
        self.workshop = workshop
        self.order = Reorder(self, self.move_to)
        self.age = ValueRow(of_material(workshop, "age"), is_stacked=True)
        self.add_button = QPushButton("+ Add overlay")
        self.add_button.setProperty("role", "add")
        self.add_button.setToolTip(
            "Dust, wear, frost: another material over this one, limited by a mask.\nOr drop a swatch or material here."
        )
        self.add_button.clicked.connect(lambda: self.menu().popup(self.add_button.mapToGlobal(QPoint(0, 0))))
        self.list.addWidget(self.add_button)
        self.list.addWidget(self.age)
        self.list.addStretch(1)
        self.setAcceptDrops(True)

    def dragEnterEvent(self, event) -> None:
        if dragged_wearable(event.mimeData()) is not None and self.workshop.selected_material is not None:
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:
        what = dragged_wearable(event.mimeData())
        if what is not None:
            event.acceptProposedAction()
            self.workshop.lay_over(what)

    @property
    def recipe(self) -> Recipe:
        material = self.workshop.selected_material
        return material.recipe if material else Recipe()

    def with_overlay(self, overlay: Overlay) -> Project:
        """The project with an overlay changed, or laid on top of the material on the board."""
        material = self.workshop.selected_material
        return self.workshop.project.with_material(material.tuned(material.recipe.with_overlay(overlay)))

    def edit(self, label: str, recipe: Recipe) -> None:
        """Puts other overlays into the material on the board."""
        material = self.workshop.selected_material
        self.workshop.edit(label, self.workshop.project.with_material(material.tuned(recipe)))

    def follow(self) -> None:
        ids = [overlay.id for overlay in reversed(self.recipe.overlays)]
        self.show_rows(ids, lambda overlay_id: OverlayRow(self, overlay_id))
        self.age.setVisible(bool(ids))
        self.age.follow()

    def menu(self) -> QMenu:
        """Overlays to add."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for ready in READY_OVERLAYS:
            menu.addAction(ready.name).triggered.connect(lambda _, ready=ready: self.add(ready))
        menu.addSeparator()
        own, others = self.workshop.selected_material, menu.addMenu("A material of the project")
        for material in self.workshop.project.materials:
            if own is None or material.id != own.id:
                others.addAction(literal(material.name)).triggered.connect(
                    lambda _, m=material: self.workshop.lay_over(Wearable("material", m.id))
                )
        others.setEnabled(not others.isEmpty())
        return menu

    @command
    def add(self, overlay: Overlay) -> None:
        """Lays an overlay on top."""
        name = free_name(overlay.name, {o.name for o in self.recipe.overlays})
        overlay = overlay.with_(id=new_id("overlay"), name=name)
        self.workshop.edit(f"Add {name.lower()}", self.with_overlay(overlay))

    @command
    def move(self, overlay: Overlay, by: int) -> None:
        """Moves an overlay up (1) or down (-1)."""
        overlays = list(self.recipe.overlays)
        place = overlays.index(overlay)
        to = min(max(place + by, 0), len(overlays) - 1)
        if to != place:
            overlays.insert(to, overlays.pop(place))
            self.edit("Move overlay", self.recipe.with_(overlays=tuple(overlays)))

    @command
    def move_to(self, overlay_id: str, place: int) -> None:
        """Lays an overlay at a place among the others, counted from the uppermost."""
        moved = next(overlay for overlay in self.recipe.overlays if overlay.id == overlay_id)
        others = [overlay for overlay in self.recipe.overlays if overlay.id != overlay_id]
        others.insert(len(others) - place, moved)
        self.edit("Move overlay", self.recipe.with_(overlays=tuple(others)))

    def open_menu(self, overlay: Overlay, where: QPoint) -> None:
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction("Open").triggered.connect(lambda: self.workshop.open_overlay(overlay.id))
        switched = overlay.with_(is_on=not overlay.is_on)
        menu.addAction("Switch off" if overlay.is_on else "Switch on").triggered.connect(
            lambda: self.workshop.edit("Switch overlay", self.with_overlay(switched))
        )
        menu.addAction("Save to library").triggered.connect(lambda: self.workshop.save_overlay(overlay.id))
        menu.addAction("Move up").triggered.connect(lambda: self.move(overlay, 1))
        menu.addAction("Move down").triggered.connect(lambda: self.move(overlay, -1))
        menu.addSeparator()
        menu.addAction("Remove").triggered.connect(
            lambda: self.edit(f"Remove {overlay.name.lower()}", self.recipe.without_overlay(overlay.id))
        )
        menu.popup(where)
