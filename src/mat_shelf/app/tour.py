"""A tour of six steps over the demo, done by hand, that can be left at any time."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QPoint, QRect, Qt, QTimer
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from mat_shelf.app.theme import OUTLINE
from mat_shelf.app.widgets.plain_label import PlainLabel

if TYPE_CHECKING:
    from mat_shelf.app.window import Window

_WIDTH, _MARGIN, _PAD = 340, 12, 14


@dataclass(frozen=True)
class TourStep:
    """One thing to do.

    Attributes
    ----------
    text : str
        The deed, and what comes of it.
    anchor : callable () -> QWidget
        Where it is done.
    state : callable () -> object
        The step is done once this is another than when it began.
    prepare : callable, optional
        Brings the window to where the step can be done.
    """

    text: str
    anchor: Callable[[], QWidget]
    state: Callable[[], object]
    prepare: Callable[[], object] = lambda: None


class _Ring(QWidget):
    """A line round what a step is about; the mouse goes through it."""

    def __init__(self, parent: QWidget):
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(OUTLINE), 3))
        painter.drawRoundedRect(self.rect().adjusted(2, 2, -2, -2), 6, 6)


class Tour(QFrame):
    """Says what to do beside where it is done, and goes on by itself when it was."""

    def __init__(self, window: "Window"):
        super().__init__(window.centralWidget())
        self.setObjectName("notice")
        self.setFixedWidth(_WIDTH)
        self.setAccessibleName("Tour")
        self.window_ = window
        self.steps = _steps(window)
        self.number = 0
        self._begun: object = None
        self._ring = _Ring(window.centralWidget())
        self.text = PlainLabel()
        self.text.setWordWrap(True)
        self.back_button, self.next_button, self.leave_button = (
            QPushButton(name) for name in ("Back", "Next", "Leave the tour")
        )
        self.back_button.clicked.connect(lambda: self.go_to(self.number - 1))
        self.next_button.clicked.connect(lambda: self.go_to(self.number + 1))
        self.leave_button.clicked.connect(self.leave)
        buttons = QHBoxLayout()
        buttons.addWidget(self.leave_button)
        buttons.addStretch(1)
        buttons.addWidget(self.back_button)
        buttons.addWidget(self.next_button)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(_PAD, 12, _PAD, 12)
        layout.setSpacing(10)
        layout.addWidget(self.text)
        layout.addLayout(buttons)
        workshop = window.workshop
        for signal in (workshop.project_changed, workshop.selection_changed, workshop.close_up_changed):
            signal.connect(self._look)
        window.board.patterns.opened.connect(self._look)
        window.centralWidget().installEventFilter(self)
        self._soon = QTimer(self, singleShot=True, interval=60)
        self._soon.timeout.connect(self._place)
        self.hide()
        self._ring.hide()

    def begin(self) -> None:
        """Begins at the first step."""
        self.go_to(0)

    def leave(self) -> None:
        """Ends it."""
        self.hide()
        self._ring.hide()

    def go_to(self, number: int) -> None:
        """Shows a step; behind the last one the tour is over."""
        if not 0 <= number < len(self.steps):
            self.leave()
            return
        self.number = number
        step = self.steps[number]
        step.prepare()
        self._begun = step.state()
        self.text.setText(f"{number + 1} of {len(self.steps)}.  {step.text}")
        self.text.setFixedHeight(self.text.heightForWidth(_WIDTH - 2 * _PAD))
        self.back_button.setEnabled(number > 0)
        self.next_button.setText("Next" if number < len(self.steps) - 1 else "Done")
        self.show()
        self._ring.show()
        self._place()
        self._soon.start()  # once what was prepared is laid out

    def _look(self) -> None:
        """Goes on where the step was done."""
        if self.isVisible():
            self._soon.start()
            if self.steps[self.number].state() != self._begun:
                QTimer.singleShot(700, lambda number=self.number: self._go_on(number))

    def _go_on(self, number: int) -> None:
        if self.isVisible() and self.number == number:
            self.go_to(number + 1)

    def _place(self) -> None:
        if self.isHidden():
            return
        whole, anchor = self.parentWidget(), self.steps[self.number].anchor()
        place = QRect(anchor.mapTo(whole, QPoint(0, 0)), anchor.size()).intersected(whole.rect())
        self._ring.setGeometry(place.adjusted(-4, -4, 4, 4))
        self._ring.raise_()
        self.adjustSize()
        self.move(self._beside(place, whole.rect()))
        self.raise_()

    def _beside(self, place: QRect, room: QRect) -> QPoint:
        """Place of the words: above or below what they are about, else inside of it."""
        x = min(max(place.center().x() - self.width() // 2, _MARGIN), room.width() - self.width() - _MARGIN)
        if place.top() - self.height() - _MARGIN > 0:
            return QPoint(x, place.top() - self.height() - _MARGIN)
        if place.bottom() + self.height() + _MARGIN < room.height():
            return QPoint(x, place.bottom() + _MARGIN)
        return QPoint(x, place.bottom() - self.height() - 2 * _MARGIN)

    def eventFilter(self, watched, event) -> bool:
        if event.type() == QEvent.Type.Resize and self.isVisible():
            self._soon.start()
        return False

    def keyPressEvent(self, event) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.leave()
        else:
            super().keyPressEvent(event)


def _steps(window: "Window") -> tuple[TourStep, ...]:
    workshop, board = window.workshop, window.board
    barrel = "barrel"

    def with_barrel() -> None:
        window.stations.show(board)
        if barrel in {part.id for part in workshop.project.product.parts} and workshop.selected_material is None:
            workshop.select(barrel)

    def roughness() -> object:
        layer = workshop.layer
        return layer and (layer.specular_roughness, layer.feed("specular_roughness"))

    return (
        TourStep(
            "Click a part of the product, the pen's barrel for instance. Its material comes to the board below.",
            lambda: window.viewport,
            lambda: workshop.selected,
            lambda: (window.stations.show(board), workshop.select(None)),
        ),
        TourStep(
            "Drag the slider of Roughness. The part changes at once; the rest of the picture stays clean.",
            lambda: board.rows["specular_roughness"],
            roughness,
            with_barrel,
        ),
        TourStep(
            "Drag a swatch from the library onto another part. What would take it lights up before you let go.",
            lambda: window.library_pane,
            lambda: workshop.worn_last,
            lambda: window.panes.fold_library(False),
        ),
        TourStep(
            "Point at the leather sleeve and press C. The close-up shows its grain; its wheel shows less or more.",
            lambda: window.wall.close_up,
            lambda: workshop.close_up_point,
        ),
        TourStep(
            "The ring at the end of a row feeds it with a pattern. Click it, choose one, and its strip of steps opens.",
            lambda: board.rows["base_color"],
            lambda: board.patterns.pattern,
            with_barrel,
        ),
        TourStep(
            "Render writes the finished picture to a file. F1 lists keys, Ctrl+Shift+P finds any command.",
            lambda: window.top_bar.render_button,
            lambda: None,
        ),
    )
