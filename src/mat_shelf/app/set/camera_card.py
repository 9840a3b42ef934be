"""The camera of the view in use: lens, focus, where it stands, and how its picture is projected and balanced."""

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from mat_shelf.app.widgets.binding import Binding, of_camera, put_camera
from mat_shelf.app.widgets.rows import row_of
from mat_shelf.app.widgets.small_widgets import small_button
from mat_shelf.app.workshop import Workshop
from mat_shelf.document.camera import Camera
from mat_shelf.document.place import Place
from mat_shelf.scene.placing import place_of, put_at

_BETWEEN = 14
_COLUMNS = (
    ("focal_length", "f_stop", "focus", "blades", "roundness", "sensor"),
    ("azimuth", "height", "distance", "roll", "shift"),
    ("white", "white_tint"),
)
_PLACES = ("azimuth", "height", "distance")


class CameraCard(QWidget):
    """Values of the camera.

    Signals
    -------
    focus_wanted, grey_wanted : bool
        Whether the next click in the picture says what is to be sharp, or what is grey.
    meter_wanted
        The product is to be exposed.
    zone_wanted : bool
        Whether what is sharp is to be tinted in the picture.
    """

    focus_wanted, grey_wanted, meter_wanted = pyqtSignal(bool), pyqtSignal(bool), pyqtSignal()
    zone_wanted = pyqtSignal(bool)

    def __init__(self, workshop: Workshop):
        super().__init__()
        self.workshop = workshop
        self.rows = {}
        self.focus_button = self._pick("Pick focus", "Then click a point of the product; the camera focuses there.")
        self.focus_button.toggled.connect(self.focus_wanted)
        self.grey_button = self._pick("Pick grey", "Then click what should be a neutral grey.")
        self.grey_button.toggled.connect(self.grey_wanted)
        self.meter_button = small_button(
            "Meter", "Exposes the product: its middle tone becomes a middle grey", self.meter_wanted.emit
        )
        self.zone_button = self._pick("Show what is sharp", "Tints what is in focus at this f-stop.")
        self.zone_button.toggled.connect(self.zone_wanted)
        self.boxes = {name: self._box(name) for name in ("keeps_verticals", "is_parallel")}
        columns = QHBoxLayout(self)
        columns.setContentsMargins(0, 0, 0, 0)
        columns.setSpacing(_BETWEEN)
        for names in _COLUMNS:
            column = QVBoxLayout()
            column.setSpacing(0)
            column.addStrut(126)
            columns.addLayout(column, 1)
            for name in names:
                binding = _of_place(workshop, name) if name in _PLACES else of_camera(workshop, name)
                self.rows[name] = row_of(binding, is_stacked=True)
                column.addWidget(self.rows[name])
            if "white" in names:
                for widget in (
                    self.focus_button,
                    self.zone_button,
                    self.grey_button,
                    self.meter_button,
                    *self.boxes.values(),
                ):
                    column.addSpacing(6)
                    column.addWidget(widget)
            column.addStretch(1)

    def _pick(self, words: str, tip: str) -> QPushButton:
        button = QPushButton(words, checkable=True)
        button.setProperty("role", "small")
        button.setToolTip(tip)
        return button

    def _box(self, name: str) -> QCheckBox:
        told = Camera.parameter(name)
        box = QCheckBox(told.title)
        box.setToolTip(told.description)
        box.clicked.connect(partial(self._switch, name))
        return box

    def _switch(self, name: str, is_on: bool) -> None:
        camera = self.workshop.project.view.camera.with_(**{name: is_on})
        self.workshop.edit(Camera.field_label(name), put_camera(self.workshop, camera))

    def let_go(self) -> None:
        """A click in the picture says nothing of the camera any more."""
        self.focus_button.setChecked(False)
        self.grey_button.setChecked(False)

    def leave(self) -> None:
        """The station is left: the picture is shown as it is again."""
        self.let_go()
        self.zone_button.setChecked(False)

    def follow(self) -> None:
        """Shows the camera of the view in use."""
        for row in self.rows.values():
            row.follow()
        camera = self.workshop.project.view.camera
        for name, box in self.boxes.items():
            box.setChecked(getattr(camera, name))


def _of_place(workshop: Workshop, name: str) -> Binding:
    """Place of the camera that is looked through; the free one, while there is one."""
    return Binding(workshop, Place, name, lambda w: place_of(w.camera), _put_place)


def _put_place(workshop: Workshop, changed: Place):
    if workshop.free_camera is not None:
        workshop.explore(put_at(workshop.free_camera, changed))
        return workshop.project
    view = workshop.project.view
    return workshop.project.with_view(view.with_(camera=put_at(view.camera, changed)))
