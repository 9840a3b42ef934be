"""Words as they are: names come from files, and what looks like markup in them is to be read, not followed."""

from html import escape

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel


class PlainLabel(QLabel):
    """A label that shows just its text."""

    def __init__(self, text: str = ""):
        super().__init__(text)
        self.setTextFormat(Qt.TextFormat.PlainText)


def literal(name: str) -> str:
    """A name as buttons and menus take it: they would leave an ampersand out, and underline what follows it."""
    return name.replace("&", "&&")


def plain_text(text: str) -> str:
    """A text as tooltips and message boxes take it, which show just its words then."""
    return f"<p style='white-space: pre-wrap'>{escape(text)}</p>" if Qt.mightBeRichText(text) else text
