"""Choice of a render and of its file."""

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QWidget,
)

from mat_shelf.app.widgets.noise_box import NoiseBox
from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.workshop import Workshop
from mat_shelf.commands.hand_over import SIZES
from mat_shelf.document.project import Project
from mat_shelf.document.shot import MOST_SAMPLES, SAMPLES, samples_for
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.image_form import FILE_KINDS, PLAIN, ending_of
from mat_shelf.exchange.layered_image import HELD
from mat_shelf.exchange.project_file import plain_file_name
from mat_shelf.exchange.render_file import RenderSettings
from mat_shelf.rendering.aovs import PASSES
from mat_shelf.rendering.region import PictureRegion
from mat_shelf.scene.part_lights import glowing_parts
from mat_shelf.system.user_folders import home_folder

FORMATS = {name: f".{kind}" for kind, name in FILE_KINDS.items()}
WHOLE, CLEAR, KEPT = "Whole picture", "Region, the rest transparent", "Region, the rest kept from the file"
REGION_WAYS = (WHOLE, CLEAR, KEPT)
_CUSTOM = "Custom"
PASS_NAMES = {
    "albedo": "Albedo",
    "normal": "Normal",
    "depth": "Depth",
    "position": "Position",
    "parts": "Part masks",
    "materials": "Material masks",
    "lights": "Each light",
    "kinds": "Each kind of light",
}


class RenderFields(QWidget):
    """View, set, size, noise, kind of file, passes and path of a render; only what that kind of file can hold."""

    def __init__(self, workshop: Workshop):
        super().__init__()
        self.workshop = workshop
        self.view_box, self.set_box = QComboBox(), QComboBox()
        self.set_box.activated.connect(self.tell_size)
        self.size_box = QComboBox()
        self.size_box.addItems([_CUSTOM, *SIZES])
        self.size_box.textActivated.connect(self._choose_size)
        self.width_box, self.height_box = _spin(16, 16384, 1920, " px"), _spin(16, 16384, 1080, " px")
        for box, pixels in zip((self.width_box, self.height_box), workshop.picture_size, strict=True):
            box.setValue(pixels)
            box.valueChanged.connect(self.tell_size)
        self.samples_box = _spin(1, MOST_SAMPLES, SAMPLES, "")
        self.samples_box.setToolTip("Of each pixel; where a noise is chosen, at most")
        self.noise_box = NoiseBox()
        self.noise_box.chosen.connect(self._choose_noise)
        self._noise = 0.0
        self.minutes_box = _spin(0, 24 * 60, 0, " min")
        self.minutes_box.setSpecialValueText("none")
        self.kind_box = QComboBox()
        self.kind_box.addItems(FORMATS)
        self.kind_box.textActivated.connect(self._choose_kind)
        self.deep_box = QCheckBox("16 bits per channel")
        self.cut_box = QCheckBox("Transparent background")
        self.cut_box.setToolTip(
            "Leaves the backdrop out; the product still reflects it, and clear glass lets the new background through."
        )
        self.shadow_box = QCheckBox("With shadow")
        self.shadow_box.setToolTip("Cuts its shadow out with it, and what a glossy ground mirrors.")
        self.cut_box.toggled.connect(self._follow_kind)
        self.straight_box = QCheckBox("Straight light through glass (no caustics)")
        self.straight_box.setToolTip(
            "Leaves out caustics, and makes shadows of glass too even. Needs fewer samples; less true."
        )
        self.apart_box = QCheckBox()
        self.apart_box.setToolTip(
            "Then the brightness, colour and switch of each light can be changed after the render, and it is written "
            "again without another one. Of whole pictures."
        )
        self.region_box = QComboBox()
        self.region_box.addItems(REGION_WAYS)
        self.region_box.setToolTip("Ctrl+drag in the picture draws a region. The file must hold a render of this size.")
        self.region_box.currentTextChanged.connect(self._follow_kind)
        self.pass_boxes = {name: QCheckBox(PASS_NAMES[name]) for name in PASSES}
        folder = workshop.path.parent if workshop.path else home_folder()
        self.path_field = QLineEdit(str(folder / f"{plain_file_name(workshop.project.name)}.png"))
        self.path_field.textChanged.connect(self._follow_kind)
        browse = QPushButton("Choose…")
        browse.clicked.connect(self._choose)
        self._lay_out(browse)
        workshop.project_replaced.connect(self.fill_choices)
        workshop.region_changed.connect(self.offer_region)
        self._follow_kind()

    def _lay_out(self, browse: QPushButton) -> None:
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(10)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        lines = (
            (("View", self.view_box), ("Set", self.set_box)),
            (("Size", self.size_box), ("Format", self.kind_box)),
            (("Width", self.width_box), ("Height", self.height_box)),
            (("Noise", self.noise_box), ("Samples", self.samples_box)),
            (("Time limit", self.minutes_box),),
        )
        for row, line in enumerate(lines):
            for column, (text, widget) in enumerate(line):
                widget.setAccessibleName(text)
                grid.addWidget(PlainLabel(text), row, column * 2)
                grid.addWidget(widget, row, column * 2 + 1)
        self.region_label = PlainLabel("Area")
        self.region_box.setAccessibleName("Area")
        grid.addWidget(self.region_label, 5, 0)
        grid.addWidget(self.region_box, 5, 1, 1, 3)
        grid.addWidget(self.cut_box, 6, 1)
        grid.addWidget(self.shadow_box, 6, 3)
        grid.addWidget(self.straight_box, 7, 1)
        grid.addWidget(self.deep_box, 7, 3)
        grid.addWidget(self.apart_box, 8, 1, 1, 3)
        passes = QGridLayout()
        passes.setHorizontalSpacing(12)
        for place, box in enumerate(self.pass_boxes.values()):
            passes.addWidget(box, place // 3, place % 3)
        self.passes_label = PlainLabel("Passes")
        grid.addWidget(self.passes_label, 9, 0, Qt.AlignmentFlag.AlignTop)
        grid.addLayout(passes, 9, 1, 1, 3)
        file_line = QHBoxLayout()
        file_line.setSpacing(8)
        file_line.addWidget(self.path_field, 1)
        file_line.addWidget(browse)
        grid.addWidget(PlainLabel("File"), 10, 0)
        grid.addLayout(file_line, 10, 1, 1, 3)

    @property
    def path(self) -> Path:
        """The file."""
        return Path(self.path_field.text()).expanduser()

    def fill_choices(self) -> None:
        """Offers the project's views and sets, the ones in use chosen."""
        project = self.workshop.project
        for box, things, current in (
            (self.view_box, project.views, project.current_view),
            (self.set_box, project.sets, project.current_set),
        ):
            box.clear()
            for thing in things:
                box.addItem(thing.name, thing.id)
            box.setCurrentIndex(box.findData(current))

    def offer_region(self) -> None:
        """Offers the region that is drawn in the picture, where there is one."""
        has_region = self.workshop.region is not None
        self.region_label.setVisible(has_region)
        self.region_box.setVisible(has_region)
        if not has_region:
            self.region_box.setCurrentText(WHOLE)

    def _choose_size(self, name: str) -> None:
        if name in SIZES:
            width, height, _ = SIZES[name]
            self.width_box.setValue(width)
            self.height_box.setValue(height)

    def _choose_noise(self, noise: float) -> None:
        self.samples_box.setValue(samples_for(noise, self._noise, self.samples_box.value()))
        self._noise = noise

    def tell_size(self) -> None:
        """Names the size: marks are sharp or not for it, the crop frame has its shape, and lights take its memory."""
        size = self.width_box.value(), self.height_box.value()
        project = self.workshop.project
        chosen = next((each for each in project.sets if each.id == self.set_box.currentData()), project.set)
        layers = len(chosen.lights) + len(glowing_parts(project)) + 3
        self.apart_box.setText(f"Keep lights apart (takes {_memory(size, layers)})")
        self.size_box.setCurrentText(next((name for name, known in SIZES.items() if known[:2] == size), _CUSTOM))
        if size != self.workshop.picture_size:
            self.workshop.picture_size = size
            self.workshop.picture_size_changed.emit()

    def _choose_kind(self, name: str) -> None:
        self.path_field.setText(str(Path(self.path_field.text()).with_suffix(FORMATS[name])))

    def _follow_kind(self) -> None:
        """Offers only what the kind of file can hold."""
        try:
            ending = ending_of(Path(self.path_field.text()))
        except ImageError:
            return
        self.kind_box.setCurrentText(next(name for name, own in FORMATS.items() if own == ending))
        self.cut_box.setEnabled(ending != ".jpg")
        self.shadow_box.setEnabled(self.cut_box.isEnabled() and self.cut_box.isChecked())
        self.deep_box.setEnabled(ending in (".png", ".tiff", ".ora"))
        self.passes_label.setToolTip(
            "Passes are channels of an EXR, or layers of an OpenRaster file, of whole pictures."
        )
        for widget in (self.passes_label, *self.pass_boxes.values()):
            widget.setEnabled(ending in (".exr", ".ora") and self.region_box.currentText() == WHOLE)
        for name, box in self.pass_boxes.items():
            box.setEnabled(box.isEnabled() and (ending == ".exr" or name in HELD))

    def project(self) -> Project | None:
        """The project in the chosen view and set; None where one of them was thrown out meanwhile."""
        project = self.workshop.project
        views, sets = {view.id for view in project.views}, {studio.id for studio in project.sets}
        view, studio = self.view_box.currentData(), self.set_box.currentData()
        if view not in views or studio not in sets:
            return None
        return project.with_(current_view=view, current_set=studio)

    def settings(self) -> RenderSettings:
        """The choice. Raises ImageError where the kind of file cannot hold it."""
        wanted = [name for name, box in self.pass_boxes.items() if box.isEnabled() and box.isChecked()]
        cut_out = self.cut_box.isEnabled() and self.cut_box.isChecked()
        bits = 16 if self.deep_box.isEnabled() and self.deep_box.isChecked() else 8
        part, place = self.region_box.currentText(), self.workshop.region
        region = None
        if part != WHOLE and place is not None:
            region = PictureRegion.of_film(place, self.width_box.value(), self.height_box.value())
        ending_of(self.path, cut_out or (region is not None and part == CLEAR), bits, bool(wanted))
        return RenderSettings(
            self.width_box.value(),
            self.height_box.value(),
            self.samples_box.value(),
            seconds=self.minutes_box.value() * 60.0 or None,
            noise=self.noise_box.noise or None,
            cut_out=cut_out,
            has_shadow=cut_out and self.shadow_box.isChecked(),
            straight=self.straight_box.isChecked(),
            form=PLAIN._replace(bits=bits),
            passes=wanted,
            region=region,
            keep_rest=part == KEPT,
            keeps_apart=self.apart_box.isChecked() and region is None,
        )

    def _choose(self) -> None:
        kinds = f"Images ({' '.join(f'*{ending}' for ending in FORMATS.values())})"
        chosen, _ = QFileDialog.getSaveFileName(self, "Render to", self.path_field.text(), kinds)
        if chosen:
            self.path_field.setText(chosen)


def _spin(low: int, high: int, value: int, unit: str) -> QSpinBox:
    box = QSpinBox()
    box.setRange(low, high)
    box.setValue(value)
    box.setSuffix(unit)
    box.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)  # arrow keys and the wheel step
    return box


def _memory(size: tuple[int, int], layers: int) -> str:
    """Memory of the layers of a film, and of what is kept of bright paths, in words."""
    megabytes = size[0] * size[1] * layers * 3 * 4 * 2 / 1e6
    return f"{megabytes:.0f} MB" if megabytes < 1000 else f"{megabytes / 1000:.1f} GB"
