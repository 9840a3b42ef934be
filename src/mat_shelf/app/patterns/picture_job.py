"""Picture files read for patterns, aside from the window."""

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import QObject, QThread, pyqtSignal

from mat_shelf.document.picture import Picture
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.package import LARGEST_ENTRY
from mat_shelf.exchange.pictures import PictureError
from mat_shelf.exchange.texture_set import Taken, recognised

MAP_ENDINGS = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".exr", ".psd", ".webp")


class PictureJob(QThread):
    """Reads picture files into the assets, one after another.

    Signals
    -------
    read : list of Taken
        What was read.
    failed : str
        A file that cannot be used, and why.
    """

    read = pyqtSignal(list)
    failed = pyqtSignal(str)

    def __init__(self, paths: Sequence[Path], assets: Assets, parent: QObject | None = None):
        super().__init__(parent)
        self._paths, self._assets = list(paths), assets

    def run(self) -> None:
        taken: list[Taken] = []
        for path in self._paths:
            if self.isInterruptionRequested():
                return
            try:
                if path.stat().st_size > LARGEST_ENTRY:
                    raise PictureError("it is larger than half a gigabyte")
                key, kind = self._assets.add_map(path.read_bytes())
            except (OSError, PictureError) as fault:
                words = fault.strerror if isinstance(fault, OSError) and fault.strerror else str(fault)
                self.failed.emit(f"{path.name} cannot be used in a pattern: {words}.")
                continue
            picture = Picture(name=path.name[:120], digest=key, kind=kind)
            taken.append(recognised(picture, self._assets.pictures[key]))
        self.read.emit(taken)
