"""Driving the real window as a hand would, and reading what it shows."""

from pathlib import Path

import numpy as np
from PIL import Image
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDrag, QDragEnterEvent, QDragMoveEvent, QDropEvent, QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from mat_shelf.library.library import LibraryEntry

LEFT, PLAIN = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
SCALE = 0.42
"""Pixels of the picture for each of the window, along each side, where a test asks for no other."""
CONTROL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


def picture_of(qtbot, window, fine: bool = True, samples: int = 2) -> np.ndarray:
    """The newest picture that shows the newest edit, in the shape of the pane, (H, W, 3) uint8.

    A fine one has at least that many samples.
    """

    def is_there():
        frame, room = window.viewport.frame, window.viewport.picture_rect
        if frame is None or frame.revision != window.viewport.revision:
            return False
        height, width = frame.first_hits.part.shape
        if abs(width * room.height() / max(height * room.width(), 1) - 1) > 0.03:
            return False  # it is of the pane's size of before
        return not fine or (not frame.is_coarse and frame.samples >= samples)

    qtbot.waitUntil(is_there, timeout=120_000)
    frame = window.viewport.frame
    height, width = frame.first_hits.part.shape
    return np.asarray(Image.fromarray(frame.pixels).resize((width, height)))


def seen(window, part: str) -> np.ndarray:
    """The pixels, well inside its border (by 3 pixels of the window), in which a part is seen."""
    ids = [p.id for p in window.workshop.project.product.parts]
    mask = window.viewport.frame.first_hits.part == ids.index(part)
    inner = mask.copy()
    margin = max(round(3 * mask.shape[1] / window.viewport.picture_rect.width()), 1)
    for shift in (-margin, margin):
        inner &= np.roll(mask, shift, 0) & np.roll(mask, shift, 1)
    assert inner.any(), part
    return inner


def place_of(window, part: str) -> QPoint:
    """A point of the viewport where a part is seen."""
    ys, xs = np.nonzero(seen(window, part))
    return pixel_place(window, ys[len(ys) // 2], xs[len(ys) // 2])


def pixel_place(window, row: int, column: int) -> QPoint:
    """Where in the viewport a pixel of its picture lies."""
    rect, shape = window.viewport.picture_rect, window.viewport.frame.first_hits.part.shape
    return QPoint(
        round(rect.x() + (column + 0.5) / shape[1] * rect.width()),
        round(rect.y() + (row + 0.5) / shape[0] * rect.height()),
    )


def click_part(window, part: str) -> None:
    QTest.mouseClick(window.viewport, LEFT, PLAIN, place_of(window, part))


def shortcut(qtbot, window, key, modifiers) -> None:
    """Presses keys with the window in front, as it is for a user once a popover has gone."""
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow, timeout=10_000)
    QApplication.processEvents()  # what follows the last edit, as between a hand's deeds
    QTest.keyClick(window, key, modifiers)


def drag_slider(slider, place: float, steps: int = 8) -> None:
    """Drags a slider's knob to a place in [0, 1], as a hand would."""
    middle = slider.height() // 2
    start, end = slider.knob_x(), slider.KNOB + place * (slider.width() - 2 * slider.KNOB)
    QTest.mousePress(slider, LEFT, PLAIN, QPoint(round(start), middle))
    for k in range(1, steps + 1):
        QTest.mouseMove(slider, QPoint(round(start + (end - start) * k / steps), middle))
        QTest.qWait(15)
    QTest.mouseRelease(slider, LEFT, PLAIN, QPoint(round(end), middle))


def make_constant(window, name: str) -> None:
    """Ends what feeds an input, through its chip."""
    QTest.mouseClick(window.board.rows[name].chip, LEFT)
    assert window.board.feed_popover.isVisible()
    QTest.mouseClick(window.board.feed_popover.constant_button, LEFT)
    assert not window.board.feed_popover.isVisible()
    QTest.qWait(60)  # until its row is laid out anew


def drag_swatch(window, monkeypatch, name: str, part: str) -> None:
    """Drags a swatch from the list onto a part. The system's own drag loop is replaced by the events it sends."""
    model, rows = window.library.model, window.library.model.rows
    row = next(i for i, r in enumerate(rows) if isinstance(r, LibraryEntry) and r.name == name)
    window.library.list.setCurrentIndex(model.index(row))
    target = QPointF(place_of(window, part))

    def exec_(drag, action):
        data, viewport = drag.mimeData(), window.viewport
        enter = QDragEnterEvent(target.toPoint(), action, data, LEFT, PLAIN)
        QApplication.sendEvent(viewport, enter)
        assert enter.isAccepted()
        move = QDragMoveEvent(target.toPoint(), action, data, LEFT, PLAIN)
        QApplication.sendEvent(viewport, move)
        assert move.isAccepted()
        lit = grabbed(viewport)
        drop = QDropEvent(target, action, data, LEFT, PLAIN)
        QApplication.sendEvent(viewport, drop)
        window.lit_before_drop = lit
        return action

    monkeypatch.setattr(QDrag, "exec", exec_)
    window.library.list.startDrag(Qt.DropAction.CopyAction)


def grabbed(widget) -> np.ndarray:
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB888)
    rows = np.array(image.constBits().asarray(image.sizeInBytes())).reshape(image.height(), image.bytesPerLine())
    return rows[:, : image.width() * 3].reshape(image.height(), image.width(), 3).astype(int)


def dropped(target, path: Path, at: QPoint | None = None) -> None:
    """Drops a file on a widget, which must take it."""
    at = at or QPoint(600, 60)
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    enter = QDragEnterEvent(at, Qt.DropAction.CopyAction, data, LEFT, PLAIN)
    QApplication.sendEvent(target, enter)
    assert enter.isAccepted()
    QApplication.sendEvent(target, QDropEvent(QPointF(at), Qt.DropAction.CopyAction, data, LEFT, PLAIN))


def close_up_at(window, place: QPoint, modifiers=PLAIN) -> None:
    """Points at the product and presses C."""
    QTest.mouseMove(window.viewport, place)
    QTest.keyClick(window.viewport, Qt.Key.Key_C, modifiers)


def open_card(board, name: str) -> None:
    """Opens a card of the Materials station by its tab, if it is folded."""
    fold = board.folds[name]
    if not fold.card.isVisible():
        QTest.mouseClick(fold.tab, Qt.MouseButton.LeftButton)
    assert fold.card.isVisible() and not fold.tab.isVisible()
