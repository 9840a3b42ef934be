"""A picture file taken into the project, aside from the window."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, QThread, pyqtSignal

from mat_shelf.document.ids import name_from
from mat_shelf.document.image import ImageRef
from mat_shelf.exchange.image_reading import ImageError
from mat_shelf.system.file_reader import read_file


class ImageTakeJob(QThread):
    """Reads one file into assets.

    Parameters
    ----------
    add : callable (bytes) -> (digest, kind)
        Of the assets.
    use : str
        What it is to be, for messages: "a reference".

    Signals
    -------
    taken : ImageRef
    failed : str
    """

    taken = pyqtSignal(object)
    failed = pyqtSignal(str)

    def __init__(self, path: Path, add: Callable[[bytes], tuple[str, str]], use: str, parent: QObject):
        super().__init__(parent)
        self.path, self._add, self._use = path, add, use

    def run(self) -> None:
        try:
            key, kind = self._add(read_file(self.path))
        except (OSError, ImageError) as fault:
            words = fault.strerror if isinstance(fault, OSError) and fault.strerror else str(fault)
            self.failed.emit(f"{self.path.name} cannot be {self._use}: {words}.")
            return
        self.taken.emit(ImageRef(name=name_from(self.path.name, "Image"), digest=key, kind=kind))
