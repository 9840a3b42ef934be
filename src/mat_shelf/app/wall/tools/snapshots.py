"""Snapshots of the picture to flip between."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage

from mat_shelf.app.wall.tools.tool import Tool

_LETTERS = {Qt.Key.Key_A: "A", Qt.Key.Key_B: "B"}


class Snapshots(Tool):
    """Alt with a letter takes one, the letter alone shows it.

    Attributes
    ----------
    taken : dict of QImage, by letter
    shown : str or None
    """

    def __init__(self, viewport):
        super().__init__(viewport)
        self.taken: dict[str, QImage] = {}
        self.shown: str | None = None

    def take(self, name: str) -> None:
        """Takes one of the picture as it is now."""
        if self.viewport.image is not None:
            self.taken[name] = self.viewport.image.copy()
            self.workshop.said.emit(f"Snapshot {name} taken. {name} shows it, {name} or Escape returns to the render.")

    def has(self, name: str) -> bool:
        """True if there is a snapshot of this name."""
        return name in self.taken

    def flip(self, name: str | None) -> None:
        """Shows a snapshot, or the render again."""
        if name is not None and name not in self.taken:
            self.workshop.said.emit(
                f"There is no snapshot {name} yet; Alt+{name} takes one of the picture as it is now."
            )
            return
        self.shown = None if name == self.shown else name
        self.viewport.update()

    def key(self, event) -> bool:
        if event.key() in _LETTERS:
            is_taking = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
            (self.take if is_taking else self.flip)(_LETTERS[event.key()])
        elif event.key() == Qt.Key.Key_Escape and self.shown:
            self.flip(None)
        else:
            return False
        return True
