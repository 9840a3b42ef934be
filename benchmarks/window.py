"""How long the interface thread is held up while a value is dragged; run as a program, it prints JSON."""

import json
import sys
import tempfile
import time
from pathlib import Path

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from mat_shelf.app.start import application
from mat_shelf.app.window import Window
from mat_shelf.app.workshop import Workshop
from mat_shelf.demo.desk_set import demo_project
from mat_shelf.document.pattern import Placement
from mat_shelf.library.library import Library
from mat_shelf.patterns.sources import Noise
from mat_shelf.patterns.steps import Levels

DRAGS, PAUSE_MS = 160, 25
STEPS_IN_STRIP = 8
LEFT, PLAIN = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


def measure_window() -> dict:
    """Drags values of the demo in the real window for some seconds each.

    Returns
    -------
    dict
        Of the lacquer's roughness: `longest_ms`, `p99_ms`, the time that handling one event, or painting what it
        changed, took at most, and in 99 of 100 turns of the event loop; `pictures_per_s`, how many coarse pictures were
        shown meanwhile. `pattern_pictures_per_s` and `strip_pictures_per_s`: the same while the black point of a
        pattern of `STEPS_IN_STRIP` steps that feeds the roughness is dragged, with its strip closed and open.
        `mark_pictures_per_s`: while the bottle's front label is carried about.
    """
    app = application()
    with tempfile.TemporaryDirectory() as folder:
        window = Window(Workshop(*demo_project(), Library(Path(folder) / "shelf")))
        window.resize(1280, 800)
        window.show()
        while window.viewport.frame is None or window.viewport.frame.samples < 4:
            QTest.qWait(50)
        window.workshop.select("barrel")
        slider = window.board.rows["specular_roughness"].slider
        QTest.qWait(500)
        QTest.mousePress(slider, LEFT, PLAIN, QPoint(round(slider.knob_x()), slider.height() // 2))
        held, rate = _dragged(
            app,
            window,
            lambda share: QTest.mouseMove(slider, QPoint(round(share * slider.width()), slider.height() // 2)),
        )
        QTest.mouseRelease(slider, LEFT, PLAIN, QPoint(slider.width() // 2, slider.height() // 2))
        work = window.board.patterns
        steps = (Noise(), *(Levels() for _ in range(STEPS_IN_STRIP - 1)))
        pattern_id = work.begin(steps, "Long", Placement(size=8.0))
        work.feed("specular_roughness", pattern_id)

        def drag_black(share: float) -> None:
            pattern = work.recipe.pattern(pattern_id)
            work.put(pattern.with_step(1, Levels(black=round(0.4 * share, 4))), "Levels", "bench")

        _, closed = _dragged(app, window, drag_black)
        work.open(pattern_id)
        QTest.qWait(1000)
        _, opened = _dragged(app, window, drag_black)
        work.open(None)
        marks, label = window.marks, window.workshop.project.mark("front-label")

        def carry(share: float) -> None:
            point = (label.point[0] + 4 * (share - 0.5), *label.point[1:])
            marks.put("Move mark", label.with_(point=point), "bench mark")

        _, carried = _dragged(app, window, carry)
        window.workshop.history.saved = window.workshop.project
        window.close()
    held.sort()
    return {
        "longest_ms": round(held[-1] * 1000, 1),
        "p99_ms": round(held[int(0.99 * len(held))] * 1000, 1),
        "pictures_per_s": round(rate, 1),
        "pattern_pictures_per_s": round(closed, 1),
        "strip_pictures_per_s": round(opened, 1),
        "mark_pictures_per_s": round(carried, 1),
    }


def _dragged(app, window: Window, move) -> tuple[list[float], float]:
    """Drags to and fro; `move` gets shares of the way. Times of all turns of the event loop, and pictures a second."""
    shown: list[bool] = []

    def note(pane, frame) -> None:
        shown.append(frame.is_coarse)

    window.wall._worker.frame_ready.connect(note)
    held = []
    began = time.perf_counter()
    for step in range(DRAGS):
        started = time.perf_counter()
        move(0.5 + 0.45 * (step % 40 - 20) / 20)
        app.processEvents()
        held.append(time.perf_counter() - started)
        until = time.perf_counter() + PAUSE_MS / 1000
        while time.perf_counter() < until:
            started = time.perf_counter()
            app.processEvents()
            held.append(time.perf_counter() - started)
            time.sleep(0.001)
    seconds = time.perf_counter() - began
    window.wall._worker.frame_ready.disconnect(note)
    return held, sum(shown) / seconds


if __name__ == "__main__":
    print(json.dumps(measure_window()))
    sys.exit(0)
