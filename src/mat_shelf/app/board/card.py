"""A card of the board."""

from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QVBoxLayout, QWidget


def titled_card(title: str, columns: list[list[QWidget]]) -> QFrame:
    """A card: one idea, its rows in columns."""
    card = QFrame(objectName="card")
    outer = QVBoxLayout(card)
    outer.setContentsMargins(16, 10, 16, 8)
    outer.setSpacing(4)
    heading = QLabel(title)
    heading.setProperty("role", "cardTitle")
    outer.addWidget(heading)
    body = QHBoxLayout()
    body.setSpacing(28)
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
