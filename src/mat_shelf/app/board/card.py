"""A card of the board."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QLayout, QScrollArea, QVBoxLayout, QWidget


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
    card = QFrame(objectName="card")
    outer = QVBoxLayout(card)
    outer.setContentsMargins(14, 10, 12, 8)
    outer.setSpacing(4)
    heading = QLabel(title)
    heading.setProperty("role", "cardTitle")
    outer.addWidget(heading)
    body = QHBoxLayout()
    body.setSpacing(18)
    for rows in columns:
        column = QVBoxLayout()
        column.setSpacing(0)
        for row in rows:
            column.addWidget(row)
        column.addStretch(1)
        body.addLayout(column, 1)
    outer.addLayout(body)
    outer.addStretch(1)
    return card
