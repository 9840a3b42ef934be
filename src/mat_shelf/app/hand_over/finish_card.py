"""The finish: tone and colour of the whole picture, or of what one thing shows."""

from functools import partial
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QMenu,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.patterns.curve_row import CurveRow
from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.card import scrolling
from mat_shelf.app.widgets.plain_label import PlainLabel, literal, plain_text
from mat_shelf.app.widgets.rows import row_of
from mat_shelf.app.widgets.small_widgets import small_button
from mat_shelf.app.workshop import HandOverWork
from mat_shelf.commands.hand_over import WHOLE
from mat_shelf.commands.retouching import HEAL, PAINT
from mat_shelf.document.color_table import ColorTable
from mat_shelf.document.finish import STRAIGHT, Adjustment, Finish
from mat_shelf.exchange.cube_file import CUBE_ENDING
from mat_shelf.exchange.print_profile import PROFILE_ENDINGS

_COLUMNS = (("exposure", "contrast", "highlights", "shadows"), ("warmth", "tint", "saturation", "muted"))
_GROUPS = {"part": "Parts", "zone": "Zones", "material": "Materials", "tones": "Tones"}
_EDGES = ("bloom", "bloom_above", "bloom_size", "glare", "glare_rays", "glare_size", "vignette", "sharpening")


class FinishCard(QWidget):
    """Values of the adjustment on the board.

    Signals
    -------
    compare_wanted : bool
        Whether the picture as rendered is shown beside the finished one.
    """

    compare_wanted = pyqtSignal(bool)

    def __init__(self, work: HandOverWork):
        super().__init__()
        self.work = work
        self.rows = {name: row_of(self._bind(name), is_stacked=True) for names in _COLUMNS for name in names}
        self.mask_box = QComboBox()
        self.mask_box.setProperty("role", "small")
        self.mask_box.setAccessibleName("What is adjusted")
        self.mask_box.setToolTip("The whole picture, or one thing in it alone")
        self.mask_box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.mask_box.setMinimumContentsLength(10)
        self.mask_box.activated.connect(lambda: work.choose_adjustment(self.mask_box.currentData()))
        self.add_button = small_button(
            "Add mask", "Adjusts a part, a zone, a material, the backdrop or a range of tones alone"
        )
        self.menu = QMenu(self.add_button)
        self.menu.aboutToShow.connect(self._fill_menu)
        self.add_button.setMenu(self.menu)
        self.remove_button = small_button("Remove", "Removes this mask with its adjustment", work.remove_masked)
        self.looks_button = small_button("Looks", "Finishes of the library, colour tables, and the picture as printed")
        self.looks = QMenu(self.looks_button)
        self.looks.aboutToShow.connect(self._fill_looks)
        self.looks_button.setMenu(self.looks)
        self.reset_button = small_button("Reset", "Takes this adjustment back", work.reset_adjustment)
        self.on_box = QCheckBox("Finish on")
        self.on_box.setToolTip("Applies the finish, in the window and to shots")
        self.on_box.clicked.connect(work.switch_finish)
        self.compare_button = QPushButton("Compare", checkable=True)
        self.compare_button.setProperty("role", "small")
        self.compare_button.setToolTip("Shows the picture as rendered right of a line that can be dragged")
        self.compare_button.toggled.connect(self.compare_wanted)
        head, columns, foot, whole = QHBoxLayout(), QHBoxLayout(), QHBoxLayout(), QVBoxLayout(self)
        head.addWidget(self.mask_box, 1)
        for button in (self.add_button, self.remove_button):
            head.addWidget(button)
        columns.setSpacing(14)
        for names in _COLUMNS:
            column = QVBoxLayout()
            column.setSpacing(0)
            column.addStrut(126)
            for name in names:
                column.addWidget(self.rows[name])
            column.addStretch(1)
            columns.addLayout(column, 1)
        foot.addWidget(self.on_box)
        foot.addStretch(1)
        foot.addWidget(self.looks_button)
        foot.addWidget(self.compare_button)
        foot.addWidget(self.reset_button)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(6)
        for line in (head, columns, self._retouching(), foot):
            whole.addLayout(line)
        whole.setStretch(1, 1)

    def _retouching(self) -> QHBoxLayout:
        """Buttons that heal and paint in the picture."""
        line = QHBoxLayout()
        self.hands = {}
        for hand, words, tip in (
            (HEAL, "Heal spots", "Clicks in the picture fill faulty spots from around them, in this view"),
            (PAINT, "Paint an area", "Drags in the picture paint the part of it that is adjusted, in this view"),
        ):
            button = QPushButton(words, checkable=True)
            button.setProperty("role", "small")
            button.setToolTip(tip)
            button.clicked.connect(lambda is_on, hand=hand: self.work.take(hand if is_on else ""))
            self.hands[hand] = button
            line.addWidget(button)
        self.width_box = QDoubleSpinBox(minimum=0.05, maximum=50, decimals=2, singleStep=0.2, suffix=" mm")
        self.softness_box = QDoubleSpinBox(minimum=0, maximum=100, decimals=0, singleStep=10, suffix=" % soft")
        for box, name, field, unit in (
            (self.width_box, "Width of the brush", "width", 1.0),
            (self.softness_box, "Softness of the brush", "softness", 100.0),
        ):
            box.setAccessibleName(name)
            box.setToolTip(f"{name}{', on film 36 mm wide' if field == 'width' else ''}")
            box.setProperty("role", "tiny")
            box.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
            box.setKeyboardTracking(False)
            box.setValue(getattr(self.work.brush, field) * unit)
            box.valueChanged.connect(
                lambda value, field=field, unit=unit: self.work.set_brush(**{field: round(value / unit, 4)})
            )
            line.addWidget(box, 1)
        return line

    def _bind(self, name: str) -> Binding:
        return Binding(
            self.work.workshop,
            Adjustment,
            name,
            lambda w: self.work.adjustment,
            lambda w, changed: self.work.with_adjustment(changed),
        )

    def _fill_menu(self) -> None:
        """Lists what can be adjusted alone, what is selected first."""
        self.menu.clear()
        work, session = self.work, self.work.session
        part, material = session.selected_part, session.selected_material
        if part is not None:
            self.menu.addAction(f"Part: {literal(part.name)}", partial(work.add_masked, "part", part.id))
        if material is not None:
            self.menu.addAction(
                f"Material: {literal(material.name)}", partial(work.add_masked, "material", material.id)
            )
        if self.menu.actions():
            self.menu.addSeparator()
        groups: dict[str, QMenu] = {}
        for kind, target, words in work.mask_targets():
            if kind in ("product", "backdrop"):
                self.menu.addAction(words, partial(work.add_masked, kind))
                continue
            if kind not in groups:
                groups[kind] = self.menu.addMenu(_GROUPS[kind])
            groups[kind].addAction(literal(words), partial(work.add_masked, kind, target))
        self.menu.addAction("Painted area", self._paint)

    def _paint(self) -> None:
        """Begins another painted area."""
        self.work.add_area()
        self.work.take(PAINT)

    def _fill_looks(self) -> None:
        """Lists the looks of the library."""
        self.looks.clear()
        kept = self.work.kept_looks()
        for path in kept:
            self.looks.addAction(literal(path.stem), partial(self.work.apply_look, path))
        if kept:
            self.looks.addSeparator()
        self.looks.addAction("Save this finish as a look…", self._keep_look).setEnabled(
            not self.work.finish.with_(is_on=True).changes_nothing
        )
        if kept:
            gone = self.looks.addMenu("Delete look")
            for path in kept:
                gone.addAction(literal(path.stem), partial(self.work.forget_look, path))
        self.looks.addSeparator()
        table = self.work.finish.table
        self.looks.addAction("Use a colour table…", self._choose_table)
        if table is not None:
            words = f"Remove colour table {literal(table.name)}"
            self.looks.addAction(words, partial(self.work.set_color_table, None))
        self.looks.addAction("Save this finish as a colour table…", self._save_table)
        self.looks.addSeparator()
        self._fill_print(self.looks.addMenu("Print"))

    def _fill_print(self, menu: QMenu) -> None:
        """Offers the picture as it is printed."""
        work, proof = self.work, self.work.proof
        menu.addAction("Choose a print profile…", self._choose_profile)
        if proof is not None:
            menu.addSeparator()
            name = literal(proof.printed.name)
            for words, is_on, wanted in (
                (f"Show as {name} prints it", proof.is_on, (not proof.is_on, proof.marks)),
                ("Mark what cannot be printed", proof.is_on and proof.marks, (True, not (proof.is_on and proof.marks))),
            ):
                action = menu.addAction(words, partial(work.show_print, *wanted))
                action.setCheckable(True)
                action.setChecked(is_on)
            menu.addAction(f"Remove {name}", partial(work.set_print_profile, None))

    def _keep_look(self) -> None:
        name, is_given = QInputDialog.getText(self, "Save look", "Name")
        if is_given:
            self.work.keep_look(name)

    def _choose_table(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, "Use a colour table", "", f"Colour tables (*{CUBE_ENDING})")
        if chosen:
            self.work.set_color_table(Path(chosen))

    def _choose_profile(self) -> None:
        kinds = f"Print profiles ({' '.join(f'*{ending}' for ending in PROFILE_ENDINGS)})"
        chosen, _ = QFileDialog.getOpenFileName(self, "Choose a print profile", "", kinds)
        if chosen:
            self.work.set_print_profile(Path(chosen))

    def _save_table(self) -> None:
        kinds = f"Colour tables (*{CUBE_ENDING})"
        chosen, _ = QFileDialog.getSaveFileName(self, "Save colour table", f"Finish{CUBE_ENDING}", kinds)
        if chosen:
            self.work.save_color_table(Path(chosen))

    def follow(self) -> None:
        """Shows the adjustment on the board."""
        work = self.work
        choices = [("Whole picture", WHOLE), *((work.mask_words(each), each.id) for each in work.finish.masked)]
        if [(self.mask_box.itemText(k), self.mask_box.itemData(k)) for k in range(self.mask_box.count())] != choices:
            self.mask_box.clear()
            for words, key in choices:
                self.mask_box.addItem(words, key)
        masked = work.masked
        self.mask_box.setCurrentIndex(self.mask_box.findData(masked.id if masked is not None else WHOLE))
        self.remove_button.setEnabled(masked is not None)
        self.reset_button.setEnabled(work.adjustment != Adjustment())
        self.on_box.setChecked(work.finish.is_on)
        for hand, button in self.hands.items():
            button.setChecked(work.hand == hand)
        is_printed = work.proof is not None and work.proof.is_on
        self.looks_button.setText("Looks: print" if is_printed else "Looks")
        for row in self.rows.values():
            row.follow()

    def leave(self) -> None:
        """The station is left: the picture is shown whole again, and the hand is free."""
        self.compare_button.setChecked(False)
        self.work.take("")


class CurveCard(QWidget):
    """The curve of the adjustment on the board."""

    def __init__(self, work: HandOverWork):
        super().__init__()
        find, put = lambda w: work.adjustment, lambda w, changed: work.with_adjustment(changed)
        self.binding = Binding(work.workshop, Adjustment, "curve", find, put)
        self.curve = CurveRow(self.binding)
        self.target = PlainLabel()
        self.target.setProperty("role", "quiet")
        self.reset_button = small_button("Straight", "Takes the curve back", lambda: self.binding.set(STRAIGHT))
        self.work = work
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addWidget(self.target)
        column.addWidget(self.curve)
        column.addWidget(self.reset_button)
        column.addStretch(1)

    def follow(self) -> None:
        """Shows the curve, and what it is of."""
        masked = self.work.masked
        self.target.setText("Whole picture" if masked is None else self.work.mask_words(masked))
        self.reset_button.setEnabled(self.binding.value() != STRAIGHT)
        self.curve.follow()


class EdgesCard(QWidget):
    """Bloom, glare, vignette and sharpening: what looks at the pixels around."""

    def __init__(self, work: HandOverWork):
        super().__init__()
        self.work = work
        self.rows = {name: row_of(self._bind(name), is_stacked=True) for name in _EDGES}
        self.table_row = row_of(
            Binding(
                work.workshop,
                ColorTable,
                "amount",
                lambda w: w.project.finish.table,
                lambda w, changed: w.project.with_finish(w.project.finish.with_(table=changed)),
            ),
            is_stacked=True,
        )
        column = QVBoxLayout()
        column.setContentsMargins(0, 0, 6, 0)
        column.setSpacing(0)
        column.addStrut(126)
        for row in (*self.rows.values(), self.table_row):
            column.addWidget(row)
        column.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(scrolling(column))

    def _bind(self, name: str) -> Binding:
        return Binding(
            self.work.workshop,
            Finish,
            name,
            lambda w: w.project.finish,
            lambda w, changed: w.project.with_finish(changed),
        )

    def follow(self) -> None:
        """Shows the values of the project."""
        table = self.work.finish.table
        self.table_row.setVisible(table is not None)
        if table is not None:
            self.table_row.setToolTip(plain_text(f"Share of the colour table {table.name} in the finished picture"))
        finish = self.work.finish
        spreads = {"bloom_above": finish.bloom + finish.glare, "bloom_size": finish.bloom}
        for name, amount in (spreads | dict.fromkeys(("glare_rays", "glare_size"), finish.glare)).items():
            self.rows[name].setVisible(amount > 0)
        for row in (*self.rows.values(), self.table_row):
            row.follow()
