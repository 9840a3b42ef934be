"""Views that need not follow each step of a drag."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer

from mat_shelf.app.workshop import Workshop

PACE_MS = 120
"""Time between two times that something follows while a value is dragged."""
HAND_MS = 40
"""Time between two values of a drag that are told: the hand is quicker than any picture."""


class Paced(QObject):
    """Follows edits at once; of a drag only some, and the last one: the picture needs the processor more.

    Parameters
    ----------
    owner : QObject
        What follows.
    workshop : Workshop
        Knows what is dragged.
    follow : callable () -> None
        Called for changes.
    only_rests : bool
        Whether it follows a drag only where the hand rests.
    """

    def __init__(self, owner: QObject, workshop: Workshop, follow: Callable[[], None], only_rests: bool = False):
        super().__init__(owner)
        self._workshop, self._follow, self._is_behind, self._only_rests = workshop, follow, False, only_rests
        self._rest = QTimer(self, singleShot=True, interval=PACE_MS)
        self._rest.timeout.connect(self._catch_up)

    def note(self) -> None:
        """Something changed."""
        if self._rest.isActive() and self._workshop.history.is_in_gesture:
            self._is_behind = True
            if self._only_rests:
                self._rest.start()
            return
        self._is_behind = False
        self._follow()
        self._rest.start()

    def _catch_up(self) -> None:
        if self._is_behind:
            self.note()
