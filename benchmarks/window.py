"""How long the interface thread is held up while a value is dragged; run as a program, it prints JSON."""

import json
import statistics
import sys
import tempfile
import time
from pathlib import Path

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from benchmarks.calibration import Calibration
from mat_shelf.app.start import application
from mat_shelf.app.wall.render_worker import MAIN, RenderWorker
from mat_shelf.app.window import Window
from mat_shelf.app.workshop import Workshop
from mat_shelf.demo.desk_set import demo_project
from mat_shelf.document.pattern import Placement
from mat_shelf.library.library import Library
from mat_shelf.patterns.sources import Noise
from mat_shelf.patterns.steps import Levels

TURNS, STEPS, PAUSE_MS, REST_MS = 4, 40, 25, 4
"""Of a drag the ways of the hand and the steps of each, time between them, and time that the event loop rests after
each of its turns, as one that waits does."""
TAKES, IDLE_MS = 5, 200
"""Measurements of the machine between two ways, and time in which the program did next to nothing before them."""
STEPS_IN_STRIP = 8
LEFT, PLAIN = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


def measure_window() -> dict:
    """Drags values of the demo in the real window for some seconds each.

    Returns
    -------
    dict
        Of the roughness of the plum stick: `longest_ms`, `p99_ms`, the time that handling one event, or painting what
        it changed, took at most, and in 99 of 100 turns of the event loop; `pictures_per_s`, how many pictures of newer
        states were shown meanwhile; `coarse_pixels`, of these, squares of pixels that share what one of them saw
        counted once; `shown_pixels`, of these; `slowness` of the machine meanwhile: times and paces are told as if it
        were calm (see `benchmarks.calibration`). `felt_...`: of the colour of the felt. `pattern_...` and `strip_...`:
        the same while the black point of a pattern of `STEPS_IN_STRIP` steps that feeds the roughness is dragged, with
        its strip closed and open. `mark_...`: while the bottle's front label is carried about. `light_...`: while a
        softbox is moved. `level_...`: while the level of the ink in its bottle is dragged; `level_ms`, time a picture.
    """
    app = application()
    with tempfile.TemporaryDirectory() as folder:
        window = Window(Workshop(*demo_project(), Library(Path(folder) / "shelf")))
        window.resize(1280, 800)
        window.show()
        _wait_for(window, 16)
        QTest.qWait(3000)  # maps of shapes may come in, which begin the picture anew
        _wait_for(window, 16)
        window.workshop.select("second-stick")
        slider = window.board.rows["specular_roughness"].slider
        QTest.qWait(500)
        QTest.mousePress(slider, LEFT, PLAIN, QPoint(round(slider.knob_x()), slider.height() // 2))
        held, plum = _dragged(
            app,
            window,
            lambda share: QTest.mouseMove(slider, QPoint(round(share * slider.width()), slider.height() // 2)),
        )
        QTest.mouseRelease(slider, LEFT, PLAIN, QPoint(slider.width() // 2, slider.height() // 2))
        _wait_for(window, 16)
        felt = window.workshop.project.material("wool-felt")

        def color(share: float) -> None:
            recipe = felt.recipe.with_(base_color=(round(share, 4), 0.2, 0.3))
            window.workshop.edit(
                "Base colour", window.workshop.project.with_material(felt.with_(recipe=recipe)), "felt"
            )

        _, colored = _dragged(app, window, color)
        _wait_for(window, 16)
        window.workshop.select("barrel")
        work = window.board.patterns
        steps = (Noise(), *(Levels() for _ in range(STEPS_IN_STRIP - 1)))
        pattern_id = work.begin(steps, "Long", Placement(size=8.0))
        work.feed("specular_roughness", pattern_id)

        def drag_black(share: float) -> None:
            pattern = work.recipe.pattern(pattern_id)
            work.put(pattern.with_step(1, Levels(black=round(0.4 * share, 4))), "Levels", "bench")

        _wait_for(window, 16)
        _, closed = _dragged(app, window, drag_black)
        work.open(pattern_id)
        _wait_for(window, 16)
        _, opened = _dragged(app, window, drag_black)
        work.open(None)
        marks, label = window.marks, window.workshop.project.mark("front-label")

        def carry(share: float) -> None:
            point = (label.point[0] + 4 * (share - 0.5), *label.point[1:])
            marks.put("Move mark", label.with_(point=point), "bench mark")

        _wait_for(window, 16)
        _, carried = _dragged(app, window, carry)
        _wait_for(window, 16)
        window.stations.buttons()[4].click()
        window.workshop.select_light(0)
        light = window.workshop.light

        def move_light(share: float) -> None:
            x, y, z = light.position
            window.workshop.move_light((x + 300 * (share - 0.5), y, z), "bench light")

        _, lit = _dragged(app, window, move_light)
        window.stations.show(window.fill_board)
        window.workshop.select("bottle")
        _wait_for(window, 16)

        QTest.qWait(1000)  # the line appears once the liquid is reported
        section, start = window.fills.section, window.level_handle.line()[1].toPoint() - QPoint(4, 0)
        QTest.mousePress(window.viewport, LEFT, PLAIN, start)

        def drag_level(share: float) -> None:
            level = section.bottom + 14.0 + 12.0 * share
            place = window.viewport.picker.seen_place(section.origin + section.up * level)
            QTest.mouseMove(window.viewport, QPoint(start.x(), round(place.y())))

        _, poured = _dragged(app, window, drag_level)
        QTest.mouseRelease(window.viewport, LEFT, PLAIN, start)
        window.workshop.history.saved = window.workshop.project
        window.close()
    held.sort()
    return {
        "longest_ms": round(held[-1] * 1000, 1),
        "p99_ms": round(held[int(0.99 * len(held))] * 1000, 1),
        **{
            f"{name}{key}": value
            for name, found in (
                ("", plum),
                ("felt_", colored),
                ("pattern_", closed),
                ("strip_", opened),
                ("mark_", carried),
                ("light_", lit),
                ("level_", poured),
            )
            for key, value in found.items()
        },
        "level_ms": round(1000 / poured["pictures_per_s"]),
    }


def _wait_for(window: Window, samples: int) -> None:
    """Waits for a clean picture of the newest state."""
    while True:
        QTest.qWait(50)
        frame = window.viewport.frame
        if frame is not None and frame.revision == window.viewport.revision and frame.samples >= samples:
            return


def _dragged(app, window: Window, move) -> tuple[list[float], dict[str, float]]:
    """Drags along a way some times, by shares of it. Times of turns of the event loop, and what there is to tell.

    The machine is measured between the ways too, since it is quick and slow for seconds at a time.
    """
    shown: dict[int, tuple[int, int]] = {}
    machine, worker = Calibration(), window.wall._worker
    arrived = 0.0

    def note(pane, frame) -> None:
        nonlocal arrived
        if pane == MAIN:
            count = frame.pixels.shape[0] * frame.pixels.shape[1]
            shown[frame.revision] = count // frame.stride**2, count
            arrived = time.perf_counter()

    _calibrate(window, machine)
    worker.pause(False)
    _wait_for(window, 4)
    worker.frame_ready.connect(note)
    seconds, held = 0.0, []
    for _ in range(TURNS):
        began = time.perf_counter()
        held += _moved(app, worker, move)
        _calibrate(window, machine)
        seconds += arrived - began
    worker.pause(False)
    worker.frame_ready.disconnect(note)
    traced, whole = (int(statistics.median(counts)) for counts in zip(*shown.values(), strict=True))
    return [each / machine.slowness for each in held], {
        "pictures_per_s": round(len(shown) / seconds * machine.slowness, 1),
        "coarse_pixels": traced,
        "shown_pixels": whole,
        "slowness": round(machine.slowness, 2),
    }


def _moved(app, worker: RenderWorker, move) -> list[float]:
    """Times of the turns of the event loop while a hand goes along its way, from when the pictures go on."""
    held = []
    for step in range(STEPS):
        started = time.perf_counter()
        move(0.5 + 0.45 * (step - STEPS // 2) / (STEPS // 2))
        app.processEvents()
        held.append(time.perf_counter() - started)
        worker.pause(False)  # after the first step only, or the picture would be refined before it
        until = time.perf_counter() + PAUSE_MS / 1000
        while time.perf_counter() < until:
            started = time.perf_counter()
            app.processEvents()
            held.append(time.perf_counter() - started)
            time.sleep(REST_MS / 1000)
    return held


def _calibrate(window: Window, machine: Calibration) -> None:
    """Measures the machine while the window renders nothing, and leaves it so."""
    window.wall._worker.pause(True)
    used = -1.0
    while time.process_time() - used > 0.1 * IDLE_MS / 1000:
        used = time.process_time()
        QTest.qWait(IDLE_MS)
    for _ in range(TAKES):
        machine.take()


if __name__ == "__main__":
    print(json.dumps(measure_window()))
    sys.exit(0)
