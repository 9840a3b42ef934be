"""The thread that pictures swatches."""

import threading
from queue import LifoQueue

from PyQt6.QtCore import QObject, pyqtSignal

from mat_shelf.document.recipe import Recipe
from mat_shelf.shelf.thumbnails import make_thumbnail, recipe_key


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
        self._wanted: LifoQueue[Recipe | None] = LifoQueue()
        self._asked: set[str] = set()
        self._is_closing = threading.Event()
        self._thread = threading.Thread(target=self._run, name="thumbnails", daemon=True)
        self._thread.start()

    def want(self, key: str, recipe: Recipe) -> None:
        """Asks for the picture of a recipe, once."""
        if key not in self._asked:
            self._asked.add(key)
            self._wanted.put(recipe)

    def has_been_asked(self, key: str) -> bool:
        return key in self._asked

    def close(self) -> None:
        self._is_closing.set()
        self._wanted.put(None)
        self._thread.join(timeout=30)

    def _run(self) -> None:
        while (recipe := self._wanted.get()) is not None and not self._is_closing.is_set():
            try:
                make_thumbnail(recipe, threads=1, progress=lambda done, total: not self._is_closing.is_set())
            except InterruptedError:
                return
            except OSError:
                continue  # a full disk leaves the swatch without a picture, not the shelf without swatches
            self.made.emit(recipe_key(recipe))
