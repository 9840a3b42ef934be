"""The thread that pictures swatches."""

import threading
import time
from queue import LifoQueue

from PyQt6.QtCore import QObject, pyqtSignal

from mat_shelf.app.fault_report import report
from mat_shelf.document.recipe import Recipe
from mat_shelf.library.thumbnails import make_thumbnail, recipe_key

STAND_BACK_S = 1.0


class ThumbnailWorker(QObject):
    """Renders missing thumbnails one after another, what was asked for last first.

    Signals
    -------
    made : str
        Key of the recipe whose picture is there now.
    """

    made = pyqtSignal(str)

    def __init__(self):
        super().__init__()
        self._wanted: LifoQueue[tuple[Recipe, dict[str, bytes]] | None] = LifoQueue()
        self._asked: set[str] = set()
        self._is_closing = threading.Event()
        self._resumes = 0.0
        self._thread = threading.Thread(target=self._run, name="thumbnails", daemon=True)
        self._thread.start()

    def want(self, key: str, recipe: Recipe, pictures: dict[str, bytes]) -> None:
        """Asks for the picture of a recipe, once."""
        if key not in self._asked:
            self._asked.add(key)
            self._wanted.put((recipe, pictures))

    def has_been_asked(self, key: str) -> bool:
        return key in self._asked

    def stand_back(self) -> None:
        """Leaves the machine to the picture on the wall for a moment."""
        self._resumes = time.monotonic() + STAND_BACK_S

    def _may_go_on(self, done: int, total: int) -> bool:
        while time.monotonic() < self._resumes and not self._is_closing.is_set():
            time.sleep(0.05)
        return not self._is_closing.is_set()

    def close(self) -> None:
        self._is_closing.set()
        self._wanted.put(None)
        self._thread.join(timeout=30)

    def _run(self) -> None:
        while (wanted := self._wanted.get()) is not None and not self._is_closing.is_set():
            recipe, pictures = wanted
            try:
                make_thumbnail(recipe, 1, self._may_go_on, pictures)
            except InterruptedError:
                return
            except OSError:
                continue  # a full disk leaves the swatch without a picture, not the library without swatches
            except Exception as fault:  # nor does one swatch leave the others without
                report(fault)
                continue
            self.made.emit(recipe_key(recipe))
