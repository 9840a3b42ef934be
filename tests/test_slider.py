"""A slider tells its values as often as a picture can follow, and always the last one."""

import time

from driving import LEFT, PLAIN
from PyQt6.QtCore import QPoint
from PyQt6.QtTest import QTest

from mat_shelf.app.widgets.paced import HAND_MS
from mat_shelf.app.widgets.value_row import Slider


def test_a_drag_is_told_now_and_then_and_where_it_ends(themed, qtbot):
    slider = Slider(0.0, 1.0)
    qtbot.addWidget(slider)
    slider.resize(400, 20)
    slider.show()
    qtbot.waitExposed(slider)
    told: list = []
    slider.moved.connect(told.append)
    slider.released.connect(lambda: told.append("released"))
    QTest.mousePress(slider, LEFT, PLAIN, QPoint(20, 10))
    assert len(told) == 1  # at once
    began = time.monotonic()
    for x in range(30, 330, 2):
        QTest.mouseMove(slider, QPoint(x, 10))
        assert abs(slider.knob_x() - x) < 1  # the knob stays under the hand
    assert 1 <= len(told) <= 3 + (time.monotonic() - began) * 1000 / HAND_MS
    QTest.mouseMove(slider, QPoint(326, 10))
    QTest.mouseMove(slider, QPoint(328, 10))
    slider.set_value(0.1)  # something else changed, and the row follows the value told last
    qtbot.wait(80)  # it is told also while it is held
    assert abs(told[-1] - slider.value_at((328 - slider.KNOB) / (400 - 2 * slider.KNOB))) < 1e-6
    QTest.mouseMove(slider, QPoint(340, 10))
    QTest.mouseMove(slider, QPoint(380, 10))
    QTest.mouseRelease(slider, LEFT, PLAIN, QPoint(380, 10))
    assert told[-1] == "released" and told[-2] == slider.value_at((380 - slider.KNOB) / (400 - 2 * slider.KNOB))
