"""Image files read for patterns, aside from the window."""

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import QObject, QThread, pyqtSignal

from mat_shelf.app.image_file import FLATTENED, SeveralLayersError, picture_data
from mat_shelf.document.ids import name_from
from mat_shelf.document.image import ImageRef
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.image_reading import ImageError
from mat_shelf.exchange.texture_set import Taken, recognised


class ImageJob(QThread):
    """Reads picture files into the assets, one after another.

    Parameters
    ----------
    layer : int or None
        Of a single file, as for `picture_data`; several are read as they were saved flattened.

    Signals
    -------
    read : list of Taken
        What was read.
    failed : str
        A file that cannot be used, and why.
    layered : list of str
        The layers of the only file, of which one must be chosen; nothing was read.
    """

    read = pyqtSignal(list)
    failed = pyqtSignal(str)
    layered = pyqtSignal(list)

    def __init__(self, paths: Sequence[Path], assets: Assets, layer: int | None = None, parent: QObject | None = None):
        super().__init__(parent)
        self._paths, self._assets = list(paths), assets
        self._layer = layer if len(self._paths) == 1 else FLATTENED

    def run(self) -> None:
        taken: list[Taken] = []
        for path in self._paths:
            if self.isInterruptionRequested():
                return
            try:
                data, name = picture_data(path, self._layer)
                key, kind = self._assets.add_map(data)
            except SeveralLayersError as several:
                self.layered.emit(several.names)
                return
            except (OSError, ImageError) as fault:
                words = fault.strerror if isinstance(fault, OSError) and fault.strerror else str(fault)
                self.failed.emit(f"{path.name} cannot be used in a pattern: {words}.")
                continue
            picture = ImageRef(name=name_from(name, "Image"), digest=key, kind=kind)
            taken.append(recognised(picture, self._assets.pictures[key]))
        self.read.emit(taken)
