"""Small buttons, quiet labels and answers, as cards and dialogs use them."""

from collections.abc import Callable

from PyQt6.QtWidgets import QDialog, QHBoxLayout, QLabel, QPushButton

from mat_shelf.app.widgets.plain_label import PlainLabel


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
    label = PlainLabel(text)
    label.setProperty("role", "quiet")
    return label


def answers(dialog: QDialog, confirm: Callable[[], object], text: str = "OK") -> tuple[QPushButton, QHBoxLayout]:
    """The button that confirms a dialog, and the line at its foot that it stands in, beside Cancel."""
    button, cancel = QPushButton(text), QPushButton("Cancel")
    button.setProperty("role", "main")
    button.setDefault(True)
    button.clicked.connect(lambda: confirm())
    cancel.clicked.connect(dialog.reject)
    line = QHBoxLayout()
    line.addStretch(1)
    line.addWidget(cancel)
    line.addWidget(button)
    return button, line
