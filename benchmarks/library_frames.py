"""Time of one frame while a library of ten thousand swatches scrolls; run as a program, it prints JSON."""

import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

SWATCHES, FRAMES, STEP = 10_000, 150, 37


def library_frames(say) -> dict:
    """List and grid scrolled without a display, in a process of their own.

    Returns
    -------
    dict
        `list_ms`, `grid_ms`: median time to scroll on and paint; `list_slowest_ms`, `grid_slowest_ms`; `open_ms`, time
        to show the panel. Empty where no window can be opened here.
    """
    say("library frames")
    done = subprocess.run(
        [sys.executable, "-m", "benchmarks.library_frames"],
        cwd=Path(__file__).parents[1],
        env=os.environ | {"QT_QPA_PLATFORM": "offscreen"},
        capture_output=True,
        text=True,
    )
    return json.loads(done.stdout) if done.returncode == 0 else {}


def _measured() -> dict:
    from PyQt6.QtWidgets import QApplication

    from mat_shelf.app.library.library_panel import LibraryPanel
    from mat_shelf.app.start import application
    from mat_shelf.app.workshop import Workshop
    from mat_shelf.demo.desk_set import demo_project
    from mat_shelf.document.swatch import FAMILIES
    from mat_shelf.library.library import Library
    from mat_shelf.library.shipped import SHIPPED

    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_CONFIG_HOME"] = folder  # the user's own arrangement stays as it is
        app = application()
        library = Library(Path(folder) / "shelf")
        library.fill_index(
            SHIPPED[k % len(SHIPPED)].with_(id=f"swatch-{k}", name=f"Swatch {k}", family=FAMILIES[k % len(FAMILIES)])
            for k in range(SWATCHES)
        )
        workshop = Workshop(*demo_project(), library)
        began = time.perf_counter()
        panel = LibraryPanel(workshop)
        panel.resize(232, 700)
        panel.show()
        app.processEvents()
        result = {"open_ms": round((time.perf_counter() - began) * 1000, 1)}
        for arrangement, name in (("List", "list"), ("Grid", "grid")):
            panel.arrange(arrangement)
            for _ in range(200):  # until all of it is laid out, in batches
                app.processEvents()
                time.sleep(0.005)
            bar, times = panel.list.verticalScrollBar(), []
            for k in range(FRAMES):
                started = time.perf_counter()
                bar.setValue((k * STEP * 20) % max(bar.maximum(), 1))
                panel.list.viewport().repaint()
                QApplication.processEvents()
                times.append((time.perf_counter() - started) * 1000)
            result |= {
                f"{name}_ms": round(statistics.median(times), 2),
                f"{name}_slowest_ms": round(max(times), 1),
            }
        panel.model.worker.close()
    return result


if __name__ == "__main__":
    print(json.dumps(_measured()), flush=True)
    os._exit(0)  # without waiting for what still renders
