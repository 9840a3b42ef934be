"""The card of a material's relief: rows of height or normal detail, coarse to fine."""

from math import log

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QInputDialog,
    QLineEdit,
    QMenu,
    QPushButton,
    QWidget,
)

from mat_shelf.app.patterns.feed_chip import CHIP, PatternButton
from mat_shelf.app.patterns.painter import Painter
from mat_shelf.app.patterns.pattern_mime import PATTERN_MIME, dropped_pattern
from mat_shelf.app.theme import font
from mat_shelf.app.widgets.card import ListCard
from mat_shelf.app.widgets.elided_label import ElidedLabel
from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.widgets.value_row import Slider, lay_stacked
from mat_shelf.app.workshop import PatternWork
from mat_shelf.document.pattern import Relief

RELIEF_KINDS = {
    "height": "Height",
    "normal": "Normals, green up",
    "normal, green down": "Normals, green down",
}


class ReliefRow(QWidget):
    """One row of relief: its pattern's name, height in mm, and the pattern's chip."""

    def __init__(self, work: PatternWork, painter: Painter, row_id: str):
        super().__init__()
        self.work, self.row_id = work, row_id
        self.name = ElidedLabel()
        self.number = QLineEdit()
        self.number.setProperty("role", "number")
        self.number.setFont(font(13, tabular=True))
        self.number.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.number.setFixedWidth(62)
        unit = PlainLabel("mm")
        unit.setProperty("role", "quiet")
        self.way = QPushButton()
        self.way.setProperty("role", "mini")
        self.way.setFixedWidth(34)
        self.way.clicked.connect(self._turn_way)
        numbers = QHBoxLayout()
        numbers.setSpacing(2)
        numbers.addWidget(self.number)
        numbers.addWidget(unit)
        self.slider = Slider(-1, 1, default=0.5)
        below = QWidget()
        slider_and_way = QHBoxLayout(below)
        slider_and_way.setContentsMargins(0, 0, 0, 0)
        slider_and_way.setSpacing(6)
        slider_and_way.addWidget(self.slider, 1)
        slider_and_way.addWidget(self.way)
        self.chip = PatternButton(work, painter, QSize(CHIP, CHIP), on_drop=self._take)
        self.chip.clicked.connect(lambda: work.open(self.row.pattern))
        lay_stacked(self, self.name, numbers, below, self.chip)
        self.slider.moved.connect(self._moved)
        self.slider.released.connect(work.end_gesture)
        self.number.editingFinished.connect(self._typed)
        self.setToolTip(
            "Height from the pattern's black to its white; left of the middle it goes down.\n"
            "Right-click for its kind, to switch it off or remove it."
        )

    @property
    def row(self) -> Relief:
        return next(row for row in self.work.recipe.relief if row.id == self.row_id)

    def follow(self) -> None:
        row = self.row
        pattern = self.work.recipe.pattern(row.pattern)
        self.name.setText(pattern.name)
        self.name.setEnabled(row.is_on)
        self.slider.setAccessibleName(f"{pattern.name}, height")
        self.number.setAccessibleName(f"{pattern.name}, height, number")
        self.slider.set_value(_place(row.height))
        self.number.setText(f"{row.height:.4f}".rstrip("0").rstrip("."))
        self.number.setModified(False)
        self.chip.show_pattern(pattern)
        is_true = row.is_displaced
        self.way.setVisible(row.kind == "height" and self.work.workshop.overlay is None)
        self.way.setText("True" if is_true else "Bump")
        self.way.setAccessibleName(f"{pattern.name}, {'true relief' if is_true else 'bump'}")
        self.way.setToolTip(
            f"Displaces the surface itself, in triangles of {row.fineness:g} mm; click for bump"
            if is_true
            else "Changes the shading only; click for true relief, which is built in the background"
        )

    def _turn_way(self) -> None:
        self.work.set_relief(self.row.with_(is_displaced=not self.row.is_displaced))

    def _ask_fineness(self) -> None:
        low, high = Relief.limits("fineness")
        value, is_given = QInputDialog.getDouble(
            self, "Fineness of true relief", "Longest side of its triangles, mm", self.row.fineness, low, high, 2
        )
        if is_given:
            self.work.set_relief(self.row.with_(fineness=value))

    def _take(self, pattern_id: str) -> None:
        self.work.set_relief(self.row.with_(pattern=pattern_id))

    def _moved(self, place: float) -> None:
        self.work.set_relief(self.row.with_(height=_height(place)), gesture="drag")

    def _typed(self) -> None:
        if not self.number.isModified():
            return
        try:
            height = float(self.number.text().replace(",", "."))
            self.work.set_relief(self.row.with_(height=height))
        except ValueError:
            self.work.workshop.said.emit("Height must be a number from -1000 to 1000.")
        self.follow()

    def contextMenuEvent(self, event) -> None:
        row, menu = self.row, QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for kind, words in RELIEF_KINDS.items():
            action = QAction(words, menu, checkable=True, checked=row.kind == kind)
            action.triggered.connect(lambda _, kind=kind: self.work.set_relief(row.with_(kind=kind)))
            menu.addAction(action)
        menu.addSeparator()
        if row.kind == "height" and self.work.workshop.overlay is None:
            menu.addAction("Bump" if row.is_displaced else "True relief").triggered.connect(self._turn_way)
            menu.addAction(f"Fineness, {row.fineness:g} mm…").triggered.connect(self._ask_fineness)
        menu.addAction("Switch off" if row.is_on else "Switch on").triggered.connect(
            lambda: self.work.set_relief(row.with_(is_on=not row.is_on))
        )
        menu.addAction("Remove").triggered.connect(lambda: self.work.remove_relief(row.id))
        menu.popup(event.globalPos())


_FINEST, _LARGEST = 1e-4, 3.0
"""mm; ends of each half of the slider."""


def _place(height: float) -> float:
    """Place of a height on the slider: each half is logarithmic, the middle is flat."""
    if height == 0:
        return 0.0
    size = min(max(abs(height), _FINEST), _LARGEST)
    share = 0.05 + 0.95 * log(size / _FINEST) / log(_LARGEST / _FINEST)
    return share if height > 0 else -share


def _height(place: float) -> float:
    share = (abs(place) - 0.05) / 0.95
    if share <= 0:
        return 0.0
    size = _FINEST * (_LARGEST / _FINEST) ** share
    return float(f"{size if place > 0 else -size:.3g}")


class ReliefCard(ListCard):
    """The rows; a pattern that is dropped on the card becomes one more."""

    def __init__(self, title: QWidget, work: PatternWork, painter: Painter, choose):
        super().__init__(title)
        self.work, self._painter = work, painter
        self.setAcceptDrops(True)
        self.add_button = QPushButton("+ Add relief")
        self.add_button.setProperty("role", "add")
        self.add_button.setToolTip("Dents, grain, creases: a pattern as height. Patterns may also be dropped here.")
        self.add_button.clicked.connect(lambda: choose(self))
        self.list.addWidget(self.add_button)
        self.list.addStretch(1)

    def follow(self) -> None:
        rows = [row.id for row in self.work.recipe.relief]
        self.show_rows(rows, lambda row_id: ReliefRow(self.work, self._painter, row_id))

    def dragEnterEvent(self, event) -> None:
        if event.mimeData().hasFormat(PATTERN_MIME):
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:
        pattern_id = dropped_pattern(self.work, event.mimeData())
        if pattern_id is not None:
            event.acceptProposedAction()
            self.work.add_relief(pattern_id)
