"""Selecting parts and zones, and the outlines of what is selected, hovered or about to take a drop."""

import numpy as np
from PyQt6.QtCore import QPointF, Qt, QTimer
from PyQt6.QtGui import QColor, QImage, QPainter

from mat_shelf.app.theme import OUTLINE
from mat_shelf.app.wall.outline import outline_image
from mat_shelf.app.wall.tools.tool import Tool

_AGAIN_MS = 250
_SAME_PLACE = 3
"""Pixels within which a second click selects what lies behind."""


class Select(Tool):
    """A click selects the part under it; the same place clicked again, the part behind that.

    Attributes
    ----------
    is_outlined : bool
        Whether the selection has a line round it.
    is_light_judged : bool
        True in the Set station, where it has none.
    """

    def __init__(self, viewport):
        super().__init__(viewport)
        self.under_drop: tuple[tuple[str, str | np.ndarray | None], ...] = ()
        self.is_outlined, self.is_light_judged = True, False
        self._look_again = QTimer(viewport, singleShot=True, interval=_AGAIN_MS)
        self._look_again.timeout.connect(viewport.update)
        self._last_click: QPointF | None = None
        self._under_pointer: str | None = None
        self._hovered: tuple = ()
        self._hover_image: QImage | None = None
        self._outlined: tuple = (None,)
        self._outline: QImage | None = None

    def click(self, event) -> bool:
        point = event.position()
        part, zone = self.picker.part_at(point), self.picker.zone_at(point)
        again = self._last_click is not None and (point - self._last_click).manhattanLength() <= _SAME_PLACE
        self._last_click = point
        if again and self.workshop.selected is not None:
            line = self.picker.parts_behind(point)
            if self.workshop.selected in line and len(line) > 1:
                after = line[(line.index(self.workshop.selected) + 1) % len(line)]
                part, zone = after, zone if after == part else None
        self.workshop.select(part, zone)
        return True

    def move(self, event) -> bool:
        if event.buttons():
            return False
        over = self.picker.part_at(event.position())
        if over != self._under_pointer:
            self._under_pointer = over
            self.viewport.update()
        self.viewport.setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)
        return True

    def leave(self) -> None:
        self._under_pointer = None
        self.viewport.update()

    def key(self, event) -> bool:
        steps = {Qt.Key.Key_PageDown: 1, Qt.Key.Key_PageUp: -1}
        if event.key() == Qt.Key.Key_H and self.workshop.selected:
            self.work.toggle_hidden(self.workshop.selected)
        elif event.key() == Qt.Key.Key_O and not event.modifiers():
            self.show_outline(not self.is_outlined)
        elif event.key() == Qt.Key.Key_R and not event.modifiers():
            self.workshop.dress_next()
        elif event.key() == Qt.Key.Key_Escape and self.workshop.overlay is not None:
            self.workshop.open_overlay(None)
        elif event.key() == Qt.Key.Key_Escape:
            self.workshop.select(None)
        elif event.key() in steps:
            self.select_beside(steps[event.key()])
        else:
            return False
        return True

    def select_beside(self, step: int) -> None:
        """Selects the next part of the list, or with -1 the previous one."""
        ids = [part.id for part in self.workshop.project.product.parts]
        if ids:
            at = ids.index(self.workshop.selected) + step if self.workshop.selected else min(step, 0)
            self.workshop.select(ids[at % len(ids)])

    def show_outline(self, is_shown: bool) -> None:
        """Shows the line round the selection, or leaves it to the list of parts."""
        self.is_outlined = is_shown
        self.viewport.update()

    def _hides_outline(self) -> bool:
        """True while colours and lights are judged, which a line would disturb."""
        if self.workshop.history.is_in_gesture:
            self._look_again.start()  # the end of a drag changes nothing that is told
            return True
        return not self.is_outlined or self.is_light_judged

    def paint(self, painter: QPainter) -> None:
        is_hidden = self._hides_outline() and not self.under_drop and self.work.chosen is None
        for image in (self._hover_outline(), None if is_hidden else self._outline_now()):
            if image is not None:
                painter.drawImage(self.viewport.picture_rect, image)

    def light_up(self, *lit: tuple[str, str | np.ndarray | None]) -> None:
        """Outlines what would take a drop, parts, zones or faces; nothing ends that."""
        if [(part, id(faces)) for part, faces in lit] != [(part, id(faces)) for part, faces in self.under_drop]:
            self.under_drop = lit
            self.viewport.update()

    def _outline_now(self) -> QImage | None:
        """Outline of what would take a drop, else of the selected faces, else of the selection."""
        workshop, chosen = self.workshop, self.work.chosen
        if self.under_drop:
            what, fill = self.under_drop[0], 0.28
        elif chosen is not None:
            what, fill = chosen, 0.4
        elif workshop.selected:
            what, fill = (workshop.selected, workshop.selected_zone_id), 0.0
        else:
            return None
        key = (
            id(self.viewport.frame.first_hits),
            what[0],
            id(what[1]) if isinstance(what[1], np.ndarray) else what[1],
            self.under_drop and tuple(part for part, _ in self.under_drop),
            workshop.also_selected,
            fill,
            workshop.project.product,
        )
        if self._outlined[:-1] != key[:-1] or self._outlined[-1] is not key[-1]:
            mask = self.picker.mask_of(*what)
            others = () if self.under_drop else workshop.also_selected * (what[0] == workshop.selected)
            if mask is not None:
                for other in (*others, *(part for part, _ in self.under_drop[1:])):
                    more = self.picker.mask_of(other, None)
                    mask = mask | more if more is not None else mask
            self._outline = _image(mask, QColor(OUTLINE), fill)
            self._outlined = key
        return self._outline

    def _hover_outline(self) -> QImage | None:
        """A faint outline of the part under the pointer, if that is not the selected one."""
        part = self._under_pointer
        if part is None or part == self.workshop.selected or self.under_drop or self.viewport.navigate.is_busy:
            return None
        key = (id(self.viewport.frame.first_hits), part)
        if self._hovered != key:
            self._hover_image = _image(self.picker.mask_of(part, None), QColor(255, 255, 255), 0.0, strength=0.55)
            self._hovered = key
        return self._hover_image


def _image(mask: np.ndarray | None, color: QColor, fill: float, **options) -> QImage | None:
    return outline_image(mask, color, fill, **options) if mask is not None and mask.any() else None
