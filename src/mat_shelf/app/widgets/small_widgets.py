"""Small buttons and quiet labels, as cards use them."""

from collections.abc import Callable

from PyQt6.QtWidgets import QLabel, QPushButton


def small_button(text: str, tip: str, run: Callable[[], object] | None = None) -> QPushButton:
    """A small button with a tooltip, which calls `run` when it is clicked."""
    button = QPushButton(text)
    button.setProperty("role", "small")
    button.setToolTip(tip)
    if run is not None:
        button.clicked.connect(lambda: run())
    return button


def quiet_label(text: str = "") -> QLabel:
    """A label in the quiet colour and size."""
    label = QLabel(text)
    label.setProperty("role", "quiet")
    return label
