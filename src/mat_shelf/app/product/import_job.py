"""Bringing a model in beside the window."""

import threading
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from mat_shelf.document.project import Material, Product
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.models.import_process import import_model
from mat_shelf.exchange.product_import import product_of
from mat_shelf.geometry.mesh import MeshError


class ImportJob(QObject):
    """Reads one model on a thread, into assets of its own.

    Signals
    -------
    progressed : str
    done
        `product`, `materials`, `assets` and `report` are there.
    failed : str
        Empty where it was cancelled.
    """

    progressed = pyqtSignal(str)
    done = pyqtSignal()
    failed = pyqtSignal(str)

    def __init__(self, path: Path):
        super().__init__()
        self.path = path
        self.product: Product | None = None
        self.materials: tuple[Material, ...] = ()
        self.assets = Assets()
        self.report: list[str] = []
        self.up = "y"
        self._is_cancelled = threading.Event()
        self._said = ""
        self._thread = threading.Thread(target=self._run, name="import", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def cancel(self) -> None:
        self._is_cancelled.set()

    def wait(self) -> None:
        self._thread.join(timeout=30)

    def _run(self) -> None:
        try:
            model = import_model(self.path, self._progress)
            self._progress("Adding parts")
            self.product, self.materials = product_of(model, self.assets)
            self.up = model.up
            self.report = [
                f"{part.name}: {', '.join(words)}" for part in model.parts if (words := part.repairs.words())
            ]
        except InterruptedError:
            self.failed.emit("")
        except MeshError as fault:
            self.failed.emit(f"Not imported: {fault}.")
        except Exception as fault:  # whatever ends the thread must be said
            self.failed.emit(f"Not imported: {self.path.name}: {fault}.")
        else:
            if self._is_cancelled.is_set():
                self.failed.emit("")
            else:
                self.done.emit()

    def _progress(self, text: str) -> bool:
        if text != self._said:
            self._said = text
            self.progressed.emit(text)
        return not self._is_cancelled.is_set()
