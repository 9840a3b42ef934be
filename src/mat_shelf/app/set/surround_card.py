"""Surround of the set: an even room, an environment image, or a sky."""

from pathlib import Path

from PyQt6.QtWidgets import QCheckBox, QComboBox, QFileDialog, QHBoxLayout, QVBoxLayout, QWidget

from mat_shelf.app.set.sun_dialog import SunDialog
from mat_shelf.app.widgets.binding import Binding, of_set
from mat_shelf.app.widgets.plain_label import plain_text
from mat_shelf.app.widgets.rows import row_of
from mat_shelf.app.widgets.small_widgets import small_button
from mat_shelf.app.workshop import Workshop
from mat_shelf.document.set import Sky
from mat_shelf.system.user_folders import home_folder

ROOM_PICTURES = "Environment images (*.exr *.hdr)"
PLAIN, IMAGE, SKY = "plain", "image", "sky"
_BETWEEN, _COLUMN = 14, 134
_STUDIO_STOPS = -5.0
"""Strength that a sky begins with, so that a set which is exposed for a studio is not flooded by it."""
_KINDS = {PLAIN: "Even room", IMAGE: "Environment (HDR)", SKY: "Sky and sun"}
_ROWS = {
    PLAIN: ("turn", "surround", "ground"),
    IMAGE: ("turn", "room_luminance", "room_tilt", "room_blur", "room_most"),
    SKY: ("sky height", "sky azimuth", "sky haze", "sky strength", "sky floor"),
}


class SurroundCard(QWidget):
    """Kind and values of the surround, rotation of the lights, and the exposure."""

    def __init__(self, workshop: Workshop):
        super().__init__()
        self.workshop = workshop
        self.kind_box = QComboBox()
        self.kind_box.setProperty("role", "small")
        self.kind_box.setAccessibleName("Surround")
        self.kind_box.setToolTip("What lights the set from all around. An environment image can be dropped, too.")
        for kind, words in _KINDS.items():
            self.kind_box.addItem(words, kind)
        self.kind_box.activated.connect(lambda: self._choose(self.kind_box.currentData()))
        names = ("exposure", *dict.fromkeys(name for names in _ROWS.values() for name in names))
        self.rows = {name: row_of(_binding(workshop, name), is_stacked=True) for name in names}
        self.sky_boxes = {name: self._box(name) for name in ("has_sun", "is_overcast")}
        self.date_button = small_button("Sun of a date…", "Puts the sun where it stands then", self._choose_date)
        self.image_button = small_button("Image…", "Chooses another environment image", self.choose_room)
        left, right = QVBoxLayout(), QVBoxLayout()
        columns = QHBoxLayout(self)
        columns.setContentsMargins(0, 0, 0, 0)
        columns.setSpacing(_BETWEEN)
        for column in (left, right):
            column.setSpacing(0)
            column.addStrut(_COLUMN)
            columns.addLayout(column, 1)
        left.addWidget(self.rows["exposure"])
        for widget in (self.kind_box, *self.sky_boxes.values(), self.date_button, self.image_button):
            left.addSpacing(6)
            left.addWidget(widget)
        for name in names[1:]:
            right.addWidget(self.rows[name])
        for column in (left, right):
            column.addStretch(1)

    def _box(self, name: str) -> QCheckBox:
        told = Sky.parameter(name)
        box = QCheckBox(told.title)
        box.setToolTip(told.description)
        box.clicked.connect(lambda is_on: self._put_sky(**{name: is_on}))
        return box

    def _kind(self) -> str:
        studio = self.workshop.project.set
        return SKY if studio.sky is not None else IMAGE if studio.room is not None else PLAIN

    def follow(self) -> None:
        """Shows the surround of the set in use."""
        kind = self._kind()
        self.kind_box.setCurrentIndex(self.kind_box.findData(kind))
        for name, row in self.rows.items():
            row.setVisible(name == "exposure" or name in _ROWS[kind])
            row.follow()
        self.date_button.setVisible(kind == SKY)
        self.image_button.setVisible(kind == IMAGE)
        studio = self.workshop.project.set
        for name, box in self.sky_boxes.items():
            box.setVisible(kind == SKY)
            box.setChecked(studio.sky is not None and getattr(studio.sky, name))
        if studio.room is not None:
            self.image_button.setToolTip(plain_text(f"{studio.room.name} lights the set; chooses another one"))

    def _choose(self, kind: str) -> None:
        if kind == SKY:
            self.workshop.set_sky(Sky(strength=_STUDIO_STOPS))
        elif kind == PLAIN:
            self.workshop.set_plain_room()
        elif self._kind() != IMAGE:
            self.choose_room()
        self.follow()

    def choose_room(self) -> None:
        """Asks for a panorama that lights the set."""
        chosen, _ = QFileDialog.getOpenFileName(self, "Environment (HDR)", str(home_folder()), ROOM_PICTURES)
        if chosen:
            self.workshop.set_room(Path(chosen))

    def _put_sky(self, **changes) -> None:
        self.workshop.set_sky(self.workshop.project.set.sky.with_(**changes))

    def _choose_date(self) -> None:
        dialog = SunDialog(self)
        if dialog.exec():
            height, azimuth = dialog.sun()
            self._put_sky(height=min(max(height, Sky.limits("height")[0]), 90.0), azimuth=azimuth)


def _binding(workshop: Workshop, name: str) -> Binding:
    if not name.startswith("sky "):
        return of_set(workshop, name)
    return Binding(
        workshop,
        Sky,
        name.removeprefix("sky "),
        lambda w: w.project.set.sky,
        lambda w, changed: w.project.with_set(w.project.set.with_(sky=changed)),
    )
