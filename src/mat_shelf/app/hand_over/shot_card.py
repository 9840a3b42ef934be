"""The shot on the board: what it is of, how large it is, and the form of its file."""

from functools import partial

from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMenu,
    QPushButton,
    QSpinBox,
    QWidget,
)

from mat_shelf.app.hand_over.add_shots_dialog import GROUNDS
from mat_shelf.app.render_fields import PASS_NAMES
from mat_shelf.app.widgets.noise_box import NoiseBox
from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.workshop import HandOverWork
from mat_shelf.commands.hand_over import SIZES
from mat_shelf.document.shot import LEAST_SIDE, MOST_SAMPLES, MOST_SIDE, TURN_KINDS, Crop, Shot, samples_for
from mat_shelf.document.turn import FEWEST_FRAMES, MOST_FRAMES
from mat_shelf.exchange.color_profiles import COLOR_SPACES
from mat_shelf.exchange.image_form import FILE_KINDS
from mat_shelf.exchange.layered_image import HELD, layered_passes

_BITS = {"png": (8, 16), "tiff": (8, 16, 32), "jpg": (8,), "webp": (8,), "avif": (8,), "exr": (16, 32), "ora": (8, 16)}
_NARROW, _COLUMN = 140, 214
"""Least widths of the two columns, for the longest choice of a box to be read, pixels."""
_CUSTOM = "Custom"
_CROPS = {"whole": "Whole picture", "close": "Product alone", "shape": "Product, framed", "region": "Region drawn"}


class ShotCard(QWidget):
    """Fields of the shot on the board, in two columns."""

    def __init__(self, work: HandOverWork):
        super().__init__()
        self.work = work
        self.name_field = QLineEdit()
        self.name_field.setAccessibleName("Name of the shot")
        self.name_field.setMaxLength(120)
        self.name_field.editingFinished.connect(self._rename)
        self.view_box = self._choice("View", "View of the shot", "view")
        self.set_box = self._choice("Set", "Set of the shot", "set")
        self.swap_box = self._choice("Variant", "Variant of the shot", "swap")
        self.ground_box = self._choice("Background", "Background of the shot", "background")
        self.ground_box.setToolTip(
            "As lit, with the set's backdrop; the product alone with alpha; or alone on white.\n"
            "With shadow: its shadow and reflection on the ground are cut out with it.\n"
            "Alone, its clear glass lets the new background through, and keeps its tint."
        )
        for key, words in GROUNDS.items():
            self.ground_box.addItem(words, key)
        self.finish_box = QCheckBox("With the finish")
        self.finish_box.setToolTip("Applies the finish; passes stay as rendered")
        self.finish_box.clicked.connect(lambda is_on: self._change("Finish of the shot", is_finished=is_on))
        self.crop_box, self.margin_box = QComboBox(), QSpinBox(minimum=0, maximum=200, suffix=" %")
        self.crop_box.setToolTip(
            "What is kept of the finished picture: the product in its middle with a margin round it,\n"
            "alone, or framed in the shape that the picture has;\n"
            "or the region that is drawn with Ctrl+drag in the picture."
        )
        self.margin_box.setToolTip("Room round the product, of the longer side that it takes")
        self.margin_box.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.margin_box.setKeyboardTracking(False)
        self.crop_box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        for key, words in _CROPS.items():
            self.crop_box.addItem(words, key)
        self.crop_box.activated.connect(lambda: self._crop(self.crop_box.currentData()))
        self.margin_box.valueChanged.connect(self._set_margin)
        for box, words in ((self.crop_box, "Crop of the shot"), (self.margin_box, "Margin round the product")):
            box.setAccessibleName(words)
        self.size_box = QComboBox()
        self.size_box.addItems([_CUSTOM, *SIZES])
        self.size_box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.size_box.setMinimumContentsLength(14)
        self.size_box.textActivated.connect(self._choose_size)
        self.width_box = self._spin(LEAST_SIDE, MOST_SIDE, " px", "Width", "width")
        self.height_box = self._spin(LEAST_SIDE, MOST_SIDE, " px", "Height", "height")
        self.dpi_box = self._spin(1, 10000, " dpi", "Pixels per inch", "dpi")
        self.noise_box = NoiseBox()
        self.noise_box.chosen.connect(self._choose_noise)
        self.frames_box = self._spin(FEWEST_FRAMES, MOST_FRAMES, " frames", "Frames", "frames")
        self.seconds_box = self._spin(1, 3600, " s", "Length", "seconds")
        self.turn_boxes = _side_by_side(self.frames_box, self.seconds_box)
        self.sampling_label = PlainLabel("Noise")
        self.samples_box = self._spin(1, MOST_SAMPLES, " samples", "Samples", "samples")
        self.minutes_box = self._spin(0, 7 * 24 * 60, " min", "Time limit", "minutes")
        self.minutes_box.setSpecialValueText("no limit")
        self.kind_box = self._choice("Format", "Format of the shot", "kind")
        self.bits_box = self._choice("Bits", "Bits of the shot", "bits")
        self.profile_box = self._choice("Colours", "Colours of the shot", "profile")
        self.profile_box.setToolTip("Colour profile of the file; an EXR has linear light instead")
        for key, space in COLOR_SPACES.items():
            self.profile_box.addItem(space.name, key)
        self.passes_button = QPushButton("Passes")
        self.passes_button.setProperty("role", "small")
        self.passes_button.setToolTip(
            "Passes and Cryptomatte masks beside the picture, in an EXR; or layers for retouching, in OpenRaster"
        )
        self.passes_menu = QMenu(self.passes_button)
        self.passes_menu.setToolTipsVisible(True)
        self.passes_menu.aboutToShow.connect(self._fill_passes)
        self.passes_button.setMenu(self.passes_menu)
        self._lay_out()

    def _lay_out(self) -> None:
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(6)
        left = (
            ("Name", self.name_field),
            ("View", self.view_box),
            ("Set", self.set_box),
            ("Variant", self.swap_box),
            ("Background", self.ground_box),
            ("Crop", self.crop_box),
            ("Margin", self.margin_box),
        )
        right = (
            ("Size", self.size_box),
            ("Pixels", _side_by_side(self.width_box, self.height_box)),
            (self.sampling_label, self.noise_box),
            ("At most", _side_by_side(self.samples_box, self.minutes_box)),
            ("Format", _side_by_side(self.kind_box, self.bits_box)),
            ("Colours", _side_by_side(self.profile_box, self.dpi_box)),
            ("", _side_by_side(self.finish_box, self.passes_button)),
        )
        for column, rows in ((0, left), (2, right)):
            grid.setColumnMinimumWidth(column + 1, _NARROW if column == 0 else _COLUMN)
            grid.setColumnStretch(column + 1, 1)
            for row, (words, widget) in enumerate(rows):
                grid.addWidget(words if isinstance(words, QLabel) else PlainLabel(words), row, column)
                grid.addWidget(widget, row, column + 1)
        grid.addWidget(self.turn_boxes, 2, 3)  # in the place of noise, which a turn has none of
        grid.setRowStretch(len(right), 1)
        self.view_box.setAccessibleName("View")

    def _choice(self, name: str, label: str, field: str) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(name)
        box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        box.setMinimumContentsLength(6)
        box.activated.connect(lambda: self._change(label, **{field: box.currentData()}))
        return box

    def _spin(self, low: int, high: int, unit: str, name: str, field: str) -> QSpinBox:
        box = QSpinBox()
        box.setRange(low, high)
        box.setSuffix(unit)
        box.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        box.setAccessibleName(name)
        box.setKeyboardTracking(False)
        box.valueChanged.connect(lambda value: self._change(f"{name} of the shot", f"shot {field}", **{field: value}))
        return box

    def _change(self, label: str, gesture: str | None = None, **fields) -> None:
        shot = self.work.shot
        if shot is None:
            return
        turn = {name: fields.pop(name) for name in ("frames", "seconds") if name in fields}
        if turn and shot.turn is not None:
            fields["turn"] = shot.turn.with_(**turn)
        if "kind" in fields and shot.turn is None and shot.bits not in _BITS[fields["kind"]]:
            fields["bits"] = _BITS[fields["kind"]][0]
        if fields.get("kind") == "jpg" and shot.background.startswith("transparent"):
            fields["background"] = shot.background.replace("transparent", "white")
            self.work.session.said.emit("A JPEG has no alpha; the product stands on white.")
        if fields.get("background", "").startswith("transparent") and shot.kind == "jpg":
            fields["kind"] = "png"
            self.work.session.said.emit("A JPEG has no alpha; the shot becomes a PNG.")
        self.work.change_shot(label, gesture, **fields)
        self.follow()

    def _choose_noise(self, noise: float) -> None:
        shot = self.work.shot
        if shot is not None:
            self._change("Noise of the shot", noise=noise, samples=samples_for(noise, shot.noise, shot.samples))

    def _crop(self, kind: str) -> None:
        place = self.work.workshop.region
        if kind == "region" and place is None:
            self.work.session.said.emit("Draw a region first: Ctrl+drag in the picture.")
            self.follow()
            return
        kept = self.work.shot.crop if self.work.shot is not None and self.work.shot.crop is not None else Crop()
        made = {
            "whole": None,
            "close": kept.with_(place=None, keeps_shape=False),
            "shape": kept.with_(place=None, keeps_shape=True),
            "region": kept.with_(place=place),
        }
        self._change("Crop of the shot", crop=made[kind])

    def _set_margin(self, percent: int) -> None:
        shot = self.work.shot
        if shot is not None and shot.crop is not None:
            self._change("Margin of the shot", "shot margin", crop=shot.crop.with_(margin=percent / 100))

    def _rename(self) -> None:
        name = self.name_field.text().strip()
        if name:
            self._change("Rename shot", name=name)
        self.follow()

    def _choose_size(self, name: str) -> None:
        if name in SIZES:
            width, height, dpi = SIZES[name]
            self._change("Size of the shot", width=width, height=height, dpi=dpi)

    def _fill_passes(self) -> None:
        shot, menu = self.work.shot, self.passes_menu
        menu.clear()
        if shot is None:
            return
        if shot.kind == "exr":
            action = menu.addAction("Cryptomatte", lambda: self._change("Cryptomatte", has_ids=not shot.has_ids))
            action.setCheckable(True)
            action.setChecked(shot.has_ids)
            apart = menu.addAction("Each pass a part", lambda: self._change("Parts", has_parts=not shot.has_parts))
            apart.setToolTip("Each pass is a part of its own in the file, instead of channels beside the picture")
            packed = menu.addAction("Small file (DWAA)", partial(self._pack, shot))
            packed.setToolTip("Colours several times smaller, changed a little; masks and lengths stay exact")
            for action, is_on in ((apart, shot.has_parts), (packed, shot.packing == "dwaa")):
                action.setCheckable(True)
                action.setChecked(is_on)
            menu.addSeparator()
        always = layered_passes(()) if shot.kind == "ora" else ()
        for key, words in PASS_NAMES.items():
            if shot.kind == "exr" or key in HELD:
                action = menu.addAction(words, partial(self._switch_pass, key))
                action.setCheckable(True)
                action.setChecked(key in shot.passes or key in always)
                action.setEnabled(key not in always)

    def _pack(self, shot: Shot) -> None:
        self._change("Packing of the shot", packing="zip" if shot.packing == "dwaa" else "dwaa")

    def _switch_pass(self, key: str) -> None:
        passes = self.work.shot.passes
        wanted = tuple(name for name in PASS_NAMES if (name in passes) != (name == key))
        self._change("Passes of the shot", passes=wanted)

    def follow(self) -> None:
        """Shows the shot on the board."""
        shot, project = self.work.shot, self.work.project
        self.setEnabled(shot is not None)
        boxes = (self.width_box, self.height_box, self.dpi_box, self.samples_box, self.minutes_box)
        boxes = (*boxes, self.frames_box, self.seconds_box, self.margin_box)
        for box in boxes:
            box.blockSignals(True)
        if shot is not None:
            if not self.name_field.hasFocus():
                self.name_field.setText(shot.name)
                self.name_field.setCursorPosition(0)
            _fill(self.view_box, [(view.name, view.id) for view in project.views], shot.view)
            _fill(self.set_box, [(studio.name, studio.id) for studio in project.sets], shot.set)
            swaps = [("As it is", None), *self.work.swaps()]
            if shot.swap is not None and shot.swap not in [swap for _, swap in swaps]:
                swaps.append(("Not in the project", shot.swap))
            _fill(self.swap_box, swaps, shot.swap)
            turn, kinds = shot.turn, FILE_KINDS if shot.turn is None else TURN_KINDS
            bits = _BITS.get(shot.kind, (8,)) if turn is None else (8,)
            _fill(self.kind_box, [(words, kind) for kind, words in kinds.items()], shot.kind)
            _fill(self.bits_box, [(f"{each} bits", each) for each in bits], max(shot.bits, bits[0]))
            for box, value in (
                (self.ground_box, shot.background),
                (self.profile_box, shot.profile),
            ):
                box.setCurrentIndex(box.findData(value))
            of_turn = (turn.frames, turn.seconds) if turn is not None else (36, 6.0)
            values = (shot.width, shot.height, shot.dpi, shot.samples, shot.minutes, *of_turn)
            for box, value in zip(boxes[:-1], values, strict=True):
                box.setValue(round(value))
            self.noise_box.setVisible(turn is None)
            self.turn_boxes.setVisible(turn is not None)
            self.sampling_label.setText("Noise" if turn is None else "Turn")
            self.minutes_box.setEnabled(turn is None)
            self.dpi_box.setEnabled(turn is None)
            self.noise_box.show_noise(shot.noise)
            crop = shot.crop
            of_product = "shape" if crop is not None and crop.keeps_shape else "close"
            kind = "whole" if crop is None else "region" if crop.place is not None else of_product
            self.crop_box.setCurrentIndex(self.crop_box.findData(kind))
            self.crop_box.setEnabled(turn is None)
            self.margin_box.setEnabled(turn is None and kind in ("close", "shape"))
            self.margin_box.setValue(round(100 * (crop or Crop()).margin))
            size = (shot.width, shot.height, shot.dpi)
            self.size_box.setCurrentText(next((name for name, each in SIZES.items() if each == size), _CUSTOM))
            self.finish_box.setChecked(shot.is_finished)
            self.profile_box.setEnabled(shot.kind != "exr" and turn is None)
            self.bits_box.setEnabled(len(bits) > 1)
            self.passes_button.setEnabled(shot.kind in ("exr", "ora"))
            count = len(shot.passes) + shot.has_ids if shot.kind == "exr" else len(layered_passes(shot.passes))
            self.passes_button.setText(f"Passes: {count}" if count and self.passes_button.isEnabled() else "Passes")
        for box in boxes:
            box.blockSignals(False)


def _fill(box: QComboBox, choices: list, current) -> None:
    if [(box.itemText(k), box.itemData(k)) for k in range(box.count())] != choices:
        box.clear()
        for words, value in choices:
            box.addItem(words, value)
    box.setCurrentIndex(next((k for k, (_, value) in enumerate(choices) if value == current), -1))


def _side_by_side(*widgets: QWidget, shares: tuple[int, ...] = (1, 1)) -> QWidget:
    both = QWidget()
    line = QHBoxLayout(both)
    line.setContentsMargins(0, 0, 0, 0)
    line.setSpacing(6)
    for widget, share in zip(widgets, shares, strict=True):
        line.addWidget(widget, share)
    return both
