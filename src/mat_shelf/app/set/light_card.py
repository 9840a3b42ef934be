"""Values of the selected light."""

from functools import partial
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QFileDialog, QHBoxLayout, QMenu, QPushButton, QVBoxLayout, QWidget

from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.plain_label import plain_text
from mat_shelf.app.widgets.rows import row_of
from mat_shelf.app.widgets.small_widgets import small_button
from mat_shelf.app.workshop import Workshop
from mat_shelf.document.light import KINDS, SHAPE_FIELDS, SHOWS_IMAGES, Light
from mat_shelf.document.parameter import Frozen, number
from mat_shelf.scene.light_images import IMAGES
from mat_shelf.system.user_folders import home_folder

_BETWEEN = 14
_COLUMNS = 146, 128, 122
"""Least widths of the columns, pixels."""
IMAGE_FILES = "Images (*.png *.jpg *.jpeg *.tif *.tiff *.webp *.exr *.hdr)"
DISTRIBUTION_FILES = "Light distributions (*.ies *.IES)"


class _Output(Frozen):
    """Light that a lamp gives off as a whole, as `LightCommands.light_power` has it."""

    lumens: float = number(
        0.0,
        0,
        1e9,
        label="Power",
        unit="lm",
        tip="All the light that it gives off. Changing it changes its luminance.",
        usual=(10, 100_000),
        log=True,
    )
    lux: float = number(
        0.0,
        0,
        1e9,
        label="Illuminance",
        unit="lx",
        tip="On what faces it. Changing it changes its luminance.",
        usual=(10, 150_000),
        log=True,
    )


HIGHLIGHT, AIM, SHADOW = "highlight", "aim", "shadow"
WAYS = {
    HIGHLIGHT: ("Highlight here", "Then click or drag on the product: the light moves to where it is mirrored there"),
    AIM: ("Light here", "Then click or drag on the product: the light faces that point from where it is"),
    SHADOW: ("Shadow there", "Then drag from what casts the shadow to where it should fall: the light moves behind it"),
}
"""What a click in the picture does to the selected light, and its words."""


class LightCard(QWidget):
    """Values of the selected light: its light, its shape, and ways to aim it by pointing.

    Signals
    -------
    way_wanted : str
        What a click in the picture does to it, a key of `WAYS`; empty for nothing.
    """

    way_wanted = pyqtSignal(str)

    def __init__(self, workshop: Workshop):
        super().__init__()
        self.workshop = workshop
        self.rows = {name: row_of(_of_light(workshop, name), is_stacked=True) for name in _LIGHT_FIELDS}
        power = [row_of(Binding(workshop, _Output, name, _output, _put_output), is_stacked=True) for name in _UNITS]
        self.rows |= dict(zip(_UNITS, power, strict=True))
        self.kind_box = QComboBox()
        self.kind_box.setProperty("role", "small")
        self.kind_box.setAccessibleName("Kind of light")
        for kind, words in KINDS.items():
            self.kind_box.addItem(words, kind)
        self.kind_box.activated.connect(lambda: workshop.set_light_kind(self.kind_box.currentData()))
        shapes = dict.fromkeys(name for names in SHAPE_FIELDS.values() for name in names)
        self.shape_rows = {name: row_of(_of_light(workshop, name), is_stacked=True) for name in shapes}
        self.rows |= self.shape_rows
        self.boxes = {name: self._box(name) for name in ("keeps_power", "is_seen")}
        self.image_button = small_button("Image", "What it shows, or throws")
        self.image_button.setMenu(self._image_menu())
        self.parts_button = small_button("Lights all", "")
        parts = QMenu(self.parts_button)
        parts.addAction("Everything", partial(workshop.light_only, ()))
        self.only_action = parts.addAction("Only the selected parts", self._light_selected)
        self.parts_button.setMenu(parts)
        self.file_button = small_button("IES…", "", self._choose_distribution)
        self.way_buttons = {way: self._way_button(way) for way in WAYS}
        columns = QHBoxLayout(self)
        columns.setContentsMargins(0, 0, 0, 0)
        columns.setSpacing(_BETWEEN)
        left, middle, right = QVBoxLayout(), QVBoxLayout(), QVBoxLayout()
        for column, share in zip((left, middle, right), _COLUMNS, strict=True):
            column.setSpacing(0)
            columns.addLayout(column, share)
            column.addStrut(share)
        for name in (*_LIGHT_FIELDS, *_UNITS):
            left.addWidget(self.rows[name])
        middle.addWidget(self.kind_box)
        middle.addSpacing(4)
        for row in self.shape_rows.values():
            middle.addWidget(row)
        for widget in (*self.way_buttons.values(), self.parts_button, self.image_button, self.file_button):
            right.addWidget(widget)
            right.addSpacing(6)
        for box in self.boxes.values():
            right.addWidget(box)
        for column in (left, middle, right):
            column.addStretch(1)

    def _way_button(self, way: str) -> QPushButton:
        words, tip = WAYS[way]
        button = QPushButton(words, checkable=True)
        button.setProperty("role", "small")
        button.setToolTip(f"{tip}. The wheel changes its distance.")
        button.toggled.connect(partial(self._toggled, way))
        return button

    def _toggled(self, way: str, is_on: bool) -> None:
        if is_on:
            for other, button in self.way_buttons.items():
                if other != way:
                    button.setChecked(False)
        checked = [key for key, button in self.way_buttons.items() if button.isChecked()]
        self.way_wanted.emit(checked[0] if checked else "")

    def let_go(self) -> None:
        """A click in the picture does nothing to it any more."""
        for button in self.way_buttons.values():
            button.setChecked(False)

    def _box(self, name: str) -> QCheckBox:
        told = Light.parameter(name)
        box = QCheckBox(told.title)
        box.setToolTip(told.description)
        box.clicked.connect(partial(self.workshop.set_light_switch, name))
        return box

    def _image_menu(self) -> QMenu:
        menu = QMenu(self)
        for name in IMAGES:
            menu.addAction(name, partial(self.workshop.set_light_image, name))
        menu.addAction("From a file…", self._choose_image)
        menu.addSeparator()
        self.no_image = menu.addAction("None", partial(self.workshop.set_light_image, None))
        return menu

    def _light_selected(self) -> None:
        chosen = dict.fromkeys(part for part, _ in self.workshop.selected_wearers)
        if not chosen:
            self.workshop.said.emit("Select the parts first that this light should light.")
            return
        self.workshop.light_only(tuple(chosen))

    def _choose_image(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, "Image of the light", str(home_folder()), IMAGE_FILES)
        if chosen:
            self.workshop.set_light_image(Path(chosen))

    def _choose_distribution(self) -> None:
        light = self.workshop.light
        if light is not None and light.distribution is not None:
            self.workshop.set_light_distribution(None)
            return
        chosen, _ = QFileDialog.getOpenFileName(self, "Light distribution", str(home_folder()), DISTRIBUTION_FILES)
        if chosen:
            self.workshop.set_light_distribution(Path(chosen))

    def follow(self) -> None:
        """Shows the selected light."""
        light = self.workshop.light
        kind = light.kind if light is not None else "rectangle"
        has_file = light is not None and light.distribution is not None
        shown = set(SHAPE_FIELDS[kind]) - ({"cone", "edge"} if has_file else set())
        for name, row in self.shape_rows.items():
            row.setVisible(name in shown)
        self.rows["lumens"].setVisible(kind != "distant")
        self.rows["lux"].setVisible(kind == "distant")
        for row in self.rows.values():
            row.follow()
        self.kind_box.setCurrentIndex(self.kind_box.findData(kind))
        for widget in (self.kind_box, *self.way_buttons.values()):
            widget.setEnabled(light is not None)
        for name, box in self.boxes.items():
            box.setEnabled(light is not None)
            box.setChecked(light is not None and getattr(light, name))
        names = [p.name for p in self.workshop.project.product.parts if light is not None and p.id in light.only_parts]
        is_limited = light is not None and bool(light.only_parts)
        self.parts_button.setEnabled(light is not None)
        self.parts_button.setText("Lights some" if is_limited else "Lights all")
        told = f"It lights {', '.join(names) or 'no part of this product'}"
        self.parts_button.setToolTip(told if is_limited else "Which parts it lights")
        self.image_button.setVisible(kind in SHOWS_IMAGES)
        self.image_button.setEnabled(light is not None)
        image = light.image if light is not None else None
        self.image_button.setToolTip(plain_text(f"It shows {image.name}" if image else "What it shows, or throws"))
        self.no_image.setEnabled(image is not None)
        self.file_button.setVisible(kind == "spot")
        self.file_button.setText("Remove IES" if has_file else "IES…")
        self.file_button.setToolTip(
            f"{light.distribution.name} says how it shines; removes it"
            if has_file
            else "Lets it shine as a file of candela by angle (LM-63) says"
        )


_LIGHT_FIELDS = ("strength", "temperature", "tint", "color", "luminance")
_UNITS = ("lumens", "lux")


def _of_light(workshop: Workshop, name: str) -> Binding:
    return Binding(
        workshop, Light, name, lambda w: w.light, lambda w, changed: w.project.with_set(w.with_light(changed))
    )


def _output(workshop: Workshop) -> _Output | None:
    light = workshop.light
    if light is None:
        return None
    power = min(workshop.light_power(light), 1e9)
    return _Output(lumens=power, lux=power)


def _put_output(workshop: Workshop, changed: _Output):
    light = workshop.light
    wanted = changed.lux if light.kind == "distant" else changed.lumens
    return workshop.project.with_set(workshop.with_light(workshop.with_power(light, wanted)))
