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
from mat_shelf.shelf.library import Shelf

DRAGS, PAUSE_MS = 160, 25
LEFT, PLAIN = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


def measure() -> dict:
    """Drags the roughness of the demo's lacquer in the real window for some seconds.

    Returns
    -------
    dict
        `longest_ms`, `p99_ms`: the time that handling one event, or painting what it changed, took at most, and in 99
        of 100 turns of the event loop; `pictures_per_s`, how many coarse pictures were shown meanwhile.
    """
    app = application()
    with tempfile.TemporaryDirectory() as folder:
        window = Window(Workshop(*demo_project(), Shelf(Path(folder) / "shelf")))
        window.resize(1280, 800)
        window.show()
        while window.hero.frame is None or window.hero.frame.samples < 4:
            QTest.qWait(50)
        window.workshop.select("barrel")
        slider = window.board.rows["specular_roughness"].slider
        QTest.qWait(500)
        shown = []
        window.wall._worker.frame_ready.connect(lambda pane, frame: shown.append(frame.is_coarse))
        held = []
        QTest.mousePress(slider, LEFT, PLAIN, QPoint(round(slider.knob_x()), slider.height() // 2))
        began = time.perf_counter()
        for step in range(DRAGS):
            place = 0.5 + 0.45 * (step % 40 - 20) / 20
            started = time.perf_counter()
            QTest.mouseMove(slider, QPoint(round(place * slider.width()), slider.height() // 2))
            app.processEvents()
            held.append(time.perf_counter() - started)
            until = time.perf_counter() + PAUSE_MS / 1000
            while time.perf_counter() < until:
                started = time.perf_counter()
                app.processEvents()
                held.append(time.perf_counter() - started)
                time.sleep(0.001)
        seconds = time.perf_counter() - began
        QTest.mouseRelease(slider, LEFT, PLAIN, QPoint(slider.width() // 2, slider.height() // 2))
        window.workshop.history.saved = window.workshop.project
        window.close()
    held.sort()
    return {
        "longest_ms": round(held[-1] * 1000, 1),
        "p99_ms": round(held[int(0.99 * len(held))] * 1000, 1),
        "pictures_per_s": round(sum(shown) / seconds, 1),
    }


if __name__ == "__main__":
    print(json.dumps(measure()))
    sys.exit(0)
