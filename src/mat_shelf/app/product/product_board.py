"""The board of the Product station: size, parts, place, zones, and what wears nothing yet."""

import math

from PyQt6.QtCore import QPoint, Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QComboBox,
    QDoubleSpinBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMenu,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.board.binding import of_product
from mat_shelf.app.board.card import titled_card
from mat_shelf.app.board.value_row import Slider, ValueRow
from mat_shelf.app.product.coordinate_view import VIEWS
from mat_shelf.app.product.product_work import WAYS, ProductWork
from mat_shelf.app.theme import font
from mat_shelf.geometry.size import UNIT_NAMES, length_words

PART, ZONE, GROUP = (Qt.ItemDataRole.UserRole + k for k in range(3))


class ProductBoard(QFrame):
    """Cards from left to right, in the order of the work.

    Signals
    -------
    mode_wanted : str
        What a click in the hero view does from now on: "" selects, "faces" chooses faces, "measure" measures.
    import_wanted
    view_wanted : str
        How the coordinates are to be shown, a key of `coordinate_view.VIEWS`.
    """

    mode_wanted = pyqtSignal(str)
    import_wanted = pyqtSignal()
    view_wanted = pyqtSignal(str)

    def __init__(self, work: ProductWork):
        super().__init__()
        self.setObjectName("board")
        self.work = work
        self.size_card, self.parts_card = _SizeCard(work), _PartsCard(work)
        self.place_card, self.zones_card = _PlaceCard(work), _ZonesCard(work)
        self.coverage_card, self.coordinates_card = _CoverageCard(work), _CoordinatesCard(work)
        self.coordinates_card.view_wanted.connect(self.view_wanted)
        self.cards = (
            self.size_card,
            self.parts_card,
            self.place_card,
            self.zones_card,
            self.coverage_card,
            self.coordinates_card,
        )
        self.size_card.measure_button.toggled.connect(self._measure)
        self.size_card.import_button.clicked.connect(self.import_wanted)
        self.zones_card.mode_changed.connect(self._faces)
        cards = QHBoxLayout(self)
        cards.setContentsMargins(16, 14, 16, 14)
        cards.setSpacing(8)
        for title, card, share in (
            ("Size", self.size_card, 17),
            ("Parts", self.parts_card, 32),
            ("Place", self.place_card, 17),
            ("Zones", self.zones_card, 22),
        ):
            cards.addWidget(titled_card(title, [[card]]), share)
        last = QVBoxLayout()
        last.setSpacing(8)
        last.addWidget(titled_card("Bare faces", [[self.coverage_card]]), 1)
        last.addWidget(titled_card("Coordinates", [[self.coordinates_card]]), 1)
        cards.addLayout(last, 22)
        for signal in (work.workshop.project_changed, work.workshop.selection_changed, work.faces_changed):
            signal.connect(self.follow)
        work.gap_changed.connect(self.coverage_card.follow)
        self.follow()

    def follow(self) -> None:
        if not self.isVisible():
            return
        for card in self.cards:
            card.follow()

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self.follow()

    def hideEvent(self, event) -> None:
        super().hideEvent(event)
        self.size_card.measure_button.setChecked(False)
        self.zones_card.let_go()
        self.coordinates_card.let_go()

    def _measure(self, is_on: bool) -> None:
        if is_on:
            self.zones_card.let_go()
        self.mode_wanted.emit("measure" if is_on else "")

    def _faces(self, is_on: bool) -> None:
        if is_on:
            self.size_card.measure_button.setChecked(False)
        self.mode_wanted.emit("faces" if is_on else "")


def _plain(text: str, tip: str, run=None) -> QPushButton:
    button = QPushButton(text)
    button.setProperty("role", "small")
    button.setToolTip(tip)
    if run is not None:
        button.clicked.connect(lambda: run())
    return button


def _quiet(text: str = "") -> QLabel:
    label = QLabel(text)
    label.setProperty("role", "quiet")
    return label


def _box_words(bounds) -> str:
    size = bounds[1] - bounds[0]
    return " × ".join(f"{x:.3g}" if x < 1000 else f"{x:.0f}" for x in size) + " mm"


class _SizeCard(QWidget):
    def __init__(self, work: ProductWork):
        super().__init__()
        self.work = work
        self.whole, self.piece, self.piece_name = QLabel(), QLabel(), _quiet()
        for label in (self.whole, self.piece):
            label.setFont(font(13, tabular=True))
        self.unit_box = QComboBox()
        self.unit_box.setAccessibleName("Unit of the model's file")
        self.unit_box.setToolTip("What the numbers of the model's file are taken for; changing it scales the product.")
        for unit, name in UNIT_NAMES.items():
            self.unit_box.addItem(name, unit)
        self.unit_box.activated.connect(lambda: work.read_as(self.unit_box.currentData()))
        self.measure_button = QPushButton("Measure", checkable=True)
        self.measure_button.setProperty("role", "small")
        self.measure_button.setToolTip("Then click two points of the product.")
        self.distance = _quiet("two points")
        self.known = QLineEdit(placeholderText="is really … mm")
        self.known.setAccessibleName("Known length, mm")
        self.known.setToolTip("What the measured distance is in truth: the whole product is scaled to fit.")
        self.known.returnPressed.connect(self._scale)
        self.import_button = _plain("Import a model…", "STEP, glTF, OBJ, STL or PLY; or drop one on the window")
        self.measured = 0.0
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(5)
        grid.addWidget(_quiet("Product, w × h × d"), 0, 0, 1, 2)
        grid.addWidget(self.whole, 1, 0, 1, 2)
        grid.addWidget(self.piece_name, 2, 0, 1, 2)
        grid.addWidget(self.piece, 3, 0, 1, 2)
        grid.addWidget(_quiet("File's unit"), 4, 0)
        grid.addWidget(self.unit_box, 4, 1)
        grid.addWidget(self.measure_button, 5, 0)
        grid.addWidget(self.distance, 5, 1)
        grid.addWidget(self.known, 6, 0, 1, 2)
        self.contact = ValueRow(of_product(work.workshop, "contact"), is_stacked=True)
        grid.addWidget(self.contact, 7, 0, 1, 2)
        self.priority_box = QComboBox()
        self.priority_box.setAccessibleName("Priority")
        self.priority_box.setToolTip(
            "Where bodies that light goes into overlap, the higher one fills the space: glass 5, liquid 3. Usually the "
            "part's material says so. Select a part that is clear or soft."
        )
        self.priority_box.addItem("as material", None)
        for priority in range(10):
            self.priority_box.addItem(str(priority), priority)
        self.priority_box.activated.connect(lambda: work.prioritise(self.priority_box.currentData()))
        self.priority_label = _quiet("Priority")
        grid.addWidget(self.priority_label, 8, 0)
        grid.addWidget(self.priority_box, 8, 1)
        grid.addWidget(self.import_button, 9, 0, 1, 2)
        self.known.setVisible(False)

    def follow(self) -> None:
        product, part = self.work.project.product, self.work.workshop.selected_part
        self.whole.setText(_box_words(self.work.bounds()) if product.parts else "nothing yet")
        self.piece_name.setText(part.name if part else "")
        self.piece.setText(_box_words(self.work.bounds([part])) if part else "")
        self.unit_box.setCurrentIndex(self.unit_box.findData(product.unit))
        self.unit_box.setEnabled(bool(product.parts))
        self.contact.follow()
        self.priority_box.setEnabled(part is not None and self.work.has_inside(part))
        self.priority_box.setCurrentIndex(0 if part is None or part.priority is None else part.priority + 1)

    def show_distance(self, mm: float) -> None:
        """Shows what was measured between two points; 0 where there is only one yet."""
        self.measured = mm
        self.distance.setText(f"{mm:.2f} mm" if mm else "one more point")
        self.known.setVisible(mm > 0)
        for other in (self.priority_label, self.priority_box):
            other.setVisible(mm <= 0)

    def _scale(self) -> None:
        try:
            wanted = float(self.known.text().replace(",", ".").replace("mm", ""))
        except ValueError:
            wanted = math.nan
        if not 0 < wanted < 1e6:
            self.work.workshop.said.emit("The length must be a number of millimetres above 0.")
            return
        self.work.scale_to(wanted / self.measured, "Scale to a known length")
        self.known.clear()
        self.show_distance(wanted)


ALIGNMENTS = (
    ("Middles, across", 0, 0.5),
    ("Left sides", 0, 0.0),
    ("Right sides", 0, 1.0),
    ("Feet", 1, 0.0),
    ("Middles, upwards", 1, 0.5),
    ("Tops", 1, 1.0),
    ("Middles, near and far", 2, 0.5),
    ("Backs", 2, 0.0),
    ("Fronts", 2, 1.0),
)
"""What may be lined up: words, axis, and which end of the parts."""


class _PartsCard(QWidget):
    def __init__(self, work: ProductWork):
        super().__init__()
        self.work = work
        self.tree = QTreeWidget(columnCount=2, headerHidden=True, uniformRowHeights=True)
        self.tree.setAccessibleName("Parts and zones")
        self.tree.setIndentation(14)
        self.tree.setMinimumWidth(176)
        self.tree.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.tree.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.tree.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.tree.setToolTip("Untick a part to hide it. Double-click a name to change it. Ctrl-click selects more.")
        self.tree.header().setStretchLastSection(True)
        self.tree.itemClicked.connect(self._select)
        self.tree.itemChanged.connect(self._changed)
        self._shown: tuple = ()
        self.alone_button = _plain("Alone", "Shows the selected part alone, or all again", work.isolate)
        self.all_button = _plain("Show all", "Shows every part", lambda: work.hide(set(), "Show all"))
        buttons = QHBoxLayout()
        buttons.setSpacing(6)
        buttons.addWidget(self.alone_button)
        self.group_button = _plain("Group", "Makes a group of the selected parts, or dissolves theirs", self._group)
        buttons.addWidget(self.all_button)
        buttons.addWidget(self.group_button)
        buttons.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(self.tree)
        layout.addLayout(buttons)

    def follow(self) -> None:
        project = self.work.project
        names = {m.id: m.name for m in project.materials} | {None: "bare"}
        lines = tuple((p.id, p.name, p.material, p.zones, p.is_hidden, p.group) for p in project.product.parts)
        shown = (lines, tuple(names.items()))
        self.tree.blockSignals(True)
        if shown != self._shown:
            self._shown = shown
            self.tree.clear()
            groups: dict[str, QTreeWidgetItem] = {}
            for part in project.product.parts:
                item = self._item(part.name, names[part.material], part.id, None)
                item.setCheckState(0, Qt.CheckState.Unchecked if part.is_hidden else Qt.CheckState.Checked)
                item.addChildren([self._item(z.name, names[z.material], part.id, z.id) for z in part.zones])
                if part.group is None:
                    self.tree.addTopLevelItem(item)
                else:
                    if part.group not in groups:
                        groups[part.group] = heading = self._item(part.group, "", None, None)
                        self.tree.addTopLevelItem(heading)
                        heading.setExpanded(True)
                    groups[part.group].addChild(item)
                item.setExpanded(True)
            self.tree.setColumnWidth(0, round(self.tree.viewport().width() * 0.68))
        workshop = self.work.workshop
        self.tree.clearSelection()
        wanted = {(workshop.selected, workshop.selected_zone_id), *((i, None) for i in workshop.also_selected)}
        for item in self._items():
            if item.data(0, PART) is not None and (item.data(0, PART), item.data(0, ZONE)) in wanted:
                item.setSelected(True)
                self.tree.scrollToItem(item)
        self.tree.blockSignals(False)
        self.alone_button.setEnabled(workshop.selected is not None)
        part = workshop.selected_part
        self.group_button.setText("Ungroup" if part is not None and part.group is not None else "Group")
        self.group_button.setEnabled(bool(workshop.also_selected) or (part is not None and part.group is not None))
        self.all_button.setEnabled(any(part.is_hidden for part in project.product.parts))

    def _group(self) -> None:
        part = self.work.workshop.selected_part
        (self.work.ungroup if part is not None and part.group is not None else self.work.group)()

    def _items(self):
        """Every line of the list: groups, parts and zones."""
        waiting = [self.tree.topLevelItem(row) for row in range(self.tree.topLevelItemCount())]
        while waiting:
            item = waiting.pop()
            yield item
            waiting += [item.child(k) for k in range(item.childCount())]

    @staticmethod
    def _item(name: str, material: str, part_id: str | None, zone_id: str | None) -> QTreeWidgetItem:
        item = QTreeWidgetItem([name, material])
        item.setData(0, GROUP, name if part_id is None else None)
        item.setData(0, PART, part_id)
        item.setData(0, ZONE, zone_id)
        item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
        item.setToolTip(0, name)
        item.setToolTip(1, material)
        return item

    def _select(self, item: QTreeWidgetItem) -> None:
        workshop = self.work.workshop
        if item.data(0, GROUP) is not None:
            workshop.select_group(item.data(0, GROUP))
        elif QApplication.keyboardModifiers() & Qt.KeyboardModifier.ControlModifier and item.data(0, ZONE) is None:
            workshop.select_also(item.data(0, PART))
        else:
            workshop.select(item.data(0, PART), item.data(0, ZONE))

    def _changed(self, item: QTreeWidgetItem, column: int) -> None:
        """Takes over a new name or tick once Qt is done with the item, which the new list replaces."""
        if item.data(0, GROUP) is not None:
            old, new = item.data(0, GROUP), item.text(0)
            QTimer.singleShot(0, lambda: self.work.rename_group(old, new))
            return
        said = item.data(0, PART), item.data(0, ZONE), item.text(0), item.checkState(0) == Qt.CheckState.Unchecked
        QTimer.singleShot(0, lambda: self._take_over(*said))

    def _take_over(self, part_id: str, zone_id: str | None, name: str, is_hidden: bool) -> None:
        part = next((p for p in self.work.project.product.parts if p.id == part_id), None)
        if part is None or (zone_id is not None and zone_id not in {z.id for z in part.zones}):
            return
        old = part.zone(zone_id).name if zone_id else part.name
        if name != old:
            self._shown = ()
            self.work.rename(part_id, zone_id, name)
        elif zone_id is None and is_hidden != part.is_hidden:
            self.work.toggle_hidden(part_id)
        self.follow()


class _PlaceCard(QWidget):
    def __init__(self, work: ProductWork):
        super().__init__()
        self.work = work
        self.middle = [self._box(f"{axis}, mm", 1e5, 2) for axis in "XYZ"]
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(6)
        grid.setHorizontalSpacing(6)
        self.what = _quiet()
        grid.addWidget(self.what, 0, 0, 1, 2)
        for row, (name, box) in enumerate(zip(("Across", "Up", "Near"), self.middle, strict=True), 1):
            box.setToolTip("Where the middle of its foot stands; Up is the height of its foot.")
            grid.addWidget(_quiet(name), row, 0)
            grid.addWidget(box, row, 1)
            box.editingFinished.connect(self._moved)
        self.turn_buttons = [
            _plain("↺ 15°", "Turns it to the left as seen from above", lambda: work.turn(1, 15)),
            _plain("15° ↻", "Turns it to the right as seen from above", lambda: work.turn(1, -15)),
        ]
        self.floor_button = _plain("On floor", "Stands it on the floor", work.stand_on_floor)
        self.down_button = _plain("Set down", "Lets it sink until it touches what is below it", work.set_down)
        self.centre_button = _plain("Centre", "Puts it over the middle of the set", work.centre)
        self.upright_button = _plain("Upright", "Stands up what was made with z upward", work.upright)
        self.copy_button = _plain("Duplicate", "A second one beside it", work.duplicate)
        self.align_button = _plain("Align…", "Lines the other selected parts up with the first", self._offer_ways)
        self.remove_button = _plain("Take out", "Takes the part out of the product", work.remove)
        buttons = (
            *self.turn_buttons,
            self.floor_button,
            self.down_button,
            self.centre_button,
            self.upright_button,
            self.copy_button,
            self.remove_button,
            self.align_button,
        )
        lines = QGridLayout()
        lines.setSpacing(6)
        for place, button in enumerate(buttons):
            lines.addWidget(button, place // 2, place % 2)
        grid.addLayout(lines, 4, 0, 1, 2)
        grid.setColumnStretch(1, 1)

    def align_menu(self) -> QMenu:
        """The ways in which parts are lined up."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for name, axis, at in ALIGNMENTS:
            menu.addAction(name).triggered.connect(lambda _, axis=axis, at=at: self.work.align(axis, at))
        return menu

    def _offer_ways(self) -> None:
        self.align_menu().popup(self.align_button.mapToGlobal(QPoint(0, self.align_button.height())))

    @staticmethod
    def _box(name: str, reach: float, decimals: int) -> QDoubleSpinBox:
        box = QDoubleSpinBox()
        box.setRange(-reach, reach)
        box.setDecimals(decimals)
        box.setMinimumWidth(40)
        box.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        box.setAccessibleName(name)
        box.setSuffix(" mm")
        return box

    def _foot(self):
        low, high = self.work.bounds(self.work.picked())
        return (low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2

    def follow(self) -> None:
        part, has_parts = self.work.workshop.selected_part, bool(self.work.project.product.parts)
        more = len(self.work.workshop.also_selected)
        self.what.setText(f"{part.name} and {more} more" if part and more else part.name if part else "Whole product")
        self.align_button.setEnabled(more > 0)
        foot = self._foot()
        for box, value in zip(self.middle, foot, strict=True):
            box.blockSignals(True)
            box.setValue(float(value))
            box.blockSignals(False)
            box.setEnabled(has_parts)
        for button in (self.copy_button, self.remove_button, self.down_button):
            button.setEnabled(part is not None)

    def _moved(self) -> None:
        by = [round(box.value() - float(value), 2) for box, value in zip(self.middle, self._foot(), strict=True)]
        if any(abs(x) >= 0.01 for x in by):
            self.work.shift(self.work.picked(), by)


class _ZonesCard(QWidget):
    mode_changed = pyqtSignal(bool)

    def __init__(self, work: ProductWork):
        super().__init__()
        self.work = work
        self.way_buttons = {}
        lines = QHBoxLayout(), QHBoxLayout()
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(6)
        for place, (way, (name, tip)) in enumerate(WAYS.items()):
            button = QPushButton(name, checkable=True)
            button.setProperty("role", "small")
            button.setToolTip(f"{tip}. Shift adds, Ctrl takes away.")
            button.toggled.connect(lambda is_on, way=way: self._toggled(way, is_on))
            self.way_buttons[way] = button
            lines[place >= 2].addWidget(button)
        for row, line in enumerate(lines):
            line.setSpacing(6)
            grid.addLayout(line, row, 0, 1, 2)
        self.angle = Slider(1, 90, default=18)
        self.angle.setAccessibleName("Angle")
        self.angle.setToolTip("How sharp an edge must be to stop a region, or how far faces may turn away.")
        self.angle.set_value(work.degrees)
        self.angle_words = _quiet()
        self.angle.moved.connect(self._turned)
        angle_line = QHBoxLayout()
        angle_line.addWidget(_quiet("Angle"))
        angle_line.addWidget(self.angle, 1)
        angle_line.addWidget(self.angle_words)
        grid.addLayout(angle_line, 3, 0, 1, 2)
        self.count = _quiet()
        grid.addWidget(self.count, 4, 0, 1, 2)
        change = QHBoxLayout()
        change.setSpacing(6)
        self.change_buttons = {}
        for how, name in (("grow", "Grow"), ("shrink", "Shrink"), ("invert", "Invert")):
            button = _plain(name, f"{name}s the choice", lambda how=how: work.change_chosen(how))
            self.change_buttons[how] = button
            change.addWidget(button)
        grid.addLayout(change, 5, 0, 1, 2)
        self.make_button = _plain("Make a zone", "The chosen faces get a material of their own", work.make_zone)
        self.dissolve_button = _plain("Dissolve", "Gives the selected zone back to its part", work.dissolve_zone)
        grid.addWidget(self.make_button, 6, 0)
        grid.addWidget(self.dissolve_button, 6, 1)
        self._turned(work.degrees)

    def _toggled(self, way: str, is_on: bool) -> None:
        if is_on:
            self.work.way = way
            for other, button in self.way_buttons.items():
                if other != way and button.isChecked():
                    button.blockSignals(True)
                    button.setChecked(False)
                    button.blockSignals(False)
        self.mode_changed.emit(any(button.isChecked() for button in self.way_buttons.values()))

    def let_go(self) -> None:
        for button in self.way_buttons.values():
            button.setChecked(False)

    def _turned(self, degrees: float) -> None:
        self.work.degrees = degrees
        self.angle_words.setText(f"{degrees:.0f}°")

    def follow(self) -> None:
        chosen = self.work.chosen
        if chosen is None:
            self.count.setText("No faces chosen")
        else:
            self.count.setText(f"{int(chosen[1].sum()):,} of {len(chosen[1]):,} faces chosen")
        for button in (*self.change_buttons.values(), self.make_button):
            button.setEnabled(chosen is not None)
        self.dissolve_button.setEnabled(self.work.workshop.selected_zone is not None)


class _CoverageCard(QWidget):
    def __init__(self, work: ProductWork):
        super().__init__()
        self.work = work
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.here = _quiet()
        self.here.setWordWrap(True)
        self.next_button = _plain("Next", "Walks to the next bare piece", lambda: work.show_gap(1))
        self.previous_button = _plain("Previous", "Walks to the one before", lambda: work.show_gap(-1))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(self.words)
        layout.addWidget(self.here)
        buttons = QGridLayout()
        buttons.setSpacing(6)
        buttons.addWidget(self.previous_button, 0, 0)
        buttons.addWidget(self.next_button, 0, 1)
        layout.addLayout(buttons)
        layout.addStretch(1)
        self._shown = None

    def follow(self) -> None:
        product = self.work.project.product
        if product is not self._shown:
            self._shown = product
            self.work.find_gaps()
        found = self.work.gaps
        faces = sum(len(gap.faces) for gap in found)
        slivers = sum(gap.is_sliver for gap in found)
        if not product.parts:
            self.words.setText("No product yet.")
        elif not found:
            self.words.setText("Every face wears a material.")
        else:
            pieces = "1 piece is bare" if len(found) == 1 else f"{len(found)} pieces are bare"
            text = f"{pieces}: {faces:,} faces"
            self.words.setText(text + (f", {slivers} of them slivers." if slivers else "."))
        shown = self.work.gap_shown
        if shown is None or shown >= len(found):
            self.here.setText("")
        else:
            gap = found[shown]
            name = self.work.project.part(gap.part_id).name
            side = max(gap.area, 0) ** 0.5
            self.here.setText(
                f"{shown + 1} of {len(found)}: {name}, {len(gap.faces):,} faces, {length_words(side)} wide"
            )
        for button in (self.next_button, self.previous_button):
            button.setEnabled(bool(found))


class _CoordinatesCard(QWidget):
    view_wanted = pyqtSignal(str)

    def __init__(self, work: ProductWork):
        super().__init__()
        self.work = work
        self.view_box = QComboBox()
        self.view_box.setAccessibleName("What the hero view shows")
        self.view_box.setToolTip("How texture coordinates lie on the product, in place of the picture")
        for view, name in VIEWS.items():
            self.view_box.addItem(name, view)
        self.view_box.currentIndexChanged.connect(lambda: self.view_wanted.emit(self.view_box.currentData()))
        self.texel = QDoubleSpinBox(minimum=0.005, maximum=50.0, value=0.1, decimals=3, suffix=" mm")
        self.texel.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.texel.setAccessibleName("Side of a texel")
        self.texel.setToolTip("Side of a texel on the surface; the same for every part unwrapped with it")
        self.unwrap_button = _plain(
            "Unwrap", "Gives the selected part, or all, coordinates without overlap", self._unwrap
        )
        self.words = _quiet()
        self.words.setWordWrap(True)
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(5)
        grid.addWidget(self.view_box, 0, 0, 1, 2)
        grid.addWidget(self.texel, 1, 0)
        grid.addWidget(self.unwrap_button, 1, 1)
        grid.addWidget(self.words, 2, 0, 1, 2)
        work.unwrapping_changed.connect(self.follow, Qt.ConnectionType.QueuedConnection)

    def let_go(self) -> None:
        self.view_box.setCurrentIndex(0)

    def _unwrap(self) -> None:
        if self.work.unwrapping:
            self.work.cancel_unwrap()
        else:
            self.work.unwrap(self.texel.value())

    def follow(self) -> None:
        busy, parts = self.work.unwrapping, self.work.picked()
        self.unwrap_button.setText("Cancel" if busy else "Unwrap")
        self.unwrap_button.setEnabled(bool(parts))
        meshes = self.work.workshop.assets.meshes
        have = sum(meshes[part.mesh].uv is not None for part in parts)
        self.words.setText(
            busy
            or (
                f"{have} of {len(parts)} parts have them"
                if len(parts) != 1
                else "It has them"
                if have
                else "It has none yet"
            )
        )
