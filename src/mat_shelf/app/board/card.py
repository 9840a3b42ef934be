"""A card of the board."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QLayout, QScrollArea, QVBoxLayout, QWidget

HEAD = 22
"""Height of a card's head, pixels, whatever stands in it."""


def scrolling(inside: QLayout) -> QScrollArea:
    """What scrolls up and down where it does not fit."""
    content = QWidget()
    content.setLayout(inside)
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setWidget(content)
    return area


def sideways(inside: QWidget) -> QScrollArea:
    """What scrolls from left to right where it does not fit."""
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setWidget(inside)
    return area


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


def card_of(title: str, columns: list[QWidget], beside: QWidget | None = None) -> QFrame:
    """A card of ready columns; `beside` stands at the right end of its title's line."""
    card = QFrame(objectName="card")
    outer = QVBoxLayout(card)
    outer.setContentsMargins(14, 7, 12, 5)
    outer.setSpacing(2)
    heading = QLabel(title)
    heading.setProperty("role", "cardTitle")
    heading.setFixedHeight(HEAD)
    head = QHBoxLayout()
    head.addWidget(heading)
    head.addStretch(1)
    if beside is not None:
        beside.setFixedHeight(HEAD)
        head.addWidget(beside)
    outer.addLayout(head)
    body = QHBoxLayout()
    body.setSpacing(18)
    for column in columns:
        body.addWidget(column, 1)
    outer.addLayout(body)
    outer.addStretch(1)
    return card
