"""The protocol of tools."""

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QPainter


class Tool:
    """Something that the mouse, the keys and drops do on the viewport.

    An event goes to the tools from the last to the first, until one says that it took it. `paint` is called from the
    first to the last.

    Parameters
    ----------
    viewport : Viewport
        It enters itself there.

    Attributes
    ----------
    makes_edits : bool
        Whether each move, while it holds the button, is an edit: then it is told of one every `HAND_MS` at most.
    """

    makes_edits = False

    def __init__(self, viewport):
        self.viewport = viewport
        self.workshop, self.work, self.picker = viewport.workshop, viewport.work, viewport.picker
        viewport.tools.append(self)

    def press(self, event) -> bool:
        """Takes a button that is pressed."""
        return False

    def move(self, event) -> bool:
        """Takes the pointer that moves, with buttons or without."""
        return False

    def release(self, event) -> bool:
        """Takes a button that is let go."""
        return False

    def click(self, event) -> bool:
        """Takes a left button that was pressed and let go in one place, which nothing took before."""
        return False

    def double_click(self, event) -> bool:
        """Takes a double click."""
        return False

    def wheel(self, event) -> bool:
        """Takes the wheel."""
        return False

    def key(self, event) -> bool:
        """Takes a key that is pressed."""
        return False

    def key_release(self, event) -> bool:
        """Takes a key that is let go."""
        return False

    def drag(self, event) -> bool:
        """Takes something that is dragged over the viewport, is dropped, or leaves."""
        return False

    def leave(self) -> None:
        """The pointer has left the viewport."""

    def paint(self, painter: QPainter) -> None:
        """Draws over the picture."""


def has_shift(event) -> bool:
    """True while Shift is held."""
    return bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)


def has_control(event) -> bool:
    """True while Control is held."""
    return bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)


def is_left(event) -> bool:
    """True if the left button was pressed or let go."""
    return event.button() == Qt.MouseButton.LeftButton


DROP, LEAVE = QEvent.Type.Drop, QEvent.Type.DragLeave
