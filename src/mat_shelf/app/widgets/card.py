"""A card of the board."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLayout, QScrollArea, QVBoxLayout, QWidget

from mat_shelf.app.widgets.plain_label import PlainLabel

_BETWEEN = 18
_HEAD = 22
"""Height of a card's head, pixels, whatever stands in it."""
CARD_MARGIN = 28
"""Width of a card beyond that of its column."""
WIDEST = 340
"""Widest column of rows, pixels: on a slider that is longer a value is far from its name."""


def scrolling(inside: QLayout) -> QScrollArea:
    """An area that scrolls up and down where its content does not fit."""
    content = QWidget()
    content.setLayout(inside)
    area = QScrollArea()
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setWidget(content)
    return area


def sideways(inside: QWidget | None = None) -> QScrollArea:
    """An area that scrolls from left to right where its content does not fit."""
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # what is inside takes the focus, and is scrolled to
    if inside is not None:
        area.setWidget(inside)
    return area


class ListCard(QFrame):
    """A card with a title and a list that scrolls under it.

    Parameters
    ----------
    title : str or QWidget
    beside : QWidget, optional
        Stands at the right end of the title's line.

    Attributes
    ----------
    list : QVBoxLayout
    rows : dict
        Those of `show_rows`, by the id of what they show.
    """

    def __init__(self, title: str | QWidget, beside: QWidget | None = None):
        super().__init__(objectName="card")
        self.rows: dict[str, QWidget] = {}
        self.list = QVBoxLayout()
        self.list.setContentsMargins(0, 0, 6, 0)
        self.list.setSpacing(0)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 7, 8, 5)
        layout.setSpacing(2)
        layout.addLayout(_head(title, beside))
        layout.addWidget(scrolling(self.list), 1)

    def show_rows(self, ids: list[str], make: Callable[[str], QWidget]) -> None:
        """Lets the list begin with a row for each id, and each row follow what it shows."""
        if list(self.rows) != ids:
            for row in self.rows.values():
                self.list.removeWidget(row)
                row.hide()  # until it is deleted it would show through the others
                row.deleteLater()
            self.rows = {name: make(name) for name in ids}
            for place, row in enumerate(self.rows.values()):
                self.list.insertWidget(place, row)
        for row in self.rows.values():
            row.follow()


def titled_card(title: str, columns: list[list[QWidget]]) -> QFrame:
    """A card: one idea, its rows in columns."""
    return card_of(title, [column_of(rows) for rows in columns])


def column_of(rows: list[QWidget]) -> QWidget:
    """Rows one under another."""
    column = QWidget()
    inside = QVBoxLayout(column)
    inside.setContentsMargins(0, 0, 0, 0)
    inside.setSpacing(0)
    for row in rows:
        inside.addWidget(row)
    inside.addStretch(1)
    return column


def card_of(title: str | QWidget, columns: list[QWidget], beside: QWidget | None = None) -> QFrame:
    """A card of ready columns, no wider than those; `beside` stands at the right end of its title's line."""
    card = QFrame(objectName="card")
    outer = QVBoxLayout(card)
    outer.setContentsMargins(14, 7, 12, 5)
    outer.setSpacing(2)
    outer.addLayout(_head(title, beside))
    body = QHBoxLayout()
    body.setSpacing(_BETWEEN)
    for column in columns:
        body.addWidget(column, 1)
    outer.addLayout(body)
    outer.addStretch(1)
    bound(card, len(columns))
    return card


def bound(card: QFrame, columns: int) -> None:
    """Lets a card be no wider than some columns of rows need."""
    card.setMaximumWidth(columns * WIDEST + (columns - 1) * _BETWEEN + CARD_MARGIN)


def _head(title: str | QWidget, beside: QWidget | None) -> QHBoxLayout:
    heading = title
    if isinstance(title, str):
        heading = PlainLabel(title)
        heading.setProperty("role", "cardTitle")
    heading.setFixedHeight(_HEAD)
    head = QHBoxLayout()
    head.addWidget(heading)
    head.addStretch(1)
    if beside is not None:
        beside.setFixedHeight(_HEAD)
        head.addWidget(beside)
    return head
