"""Art read for marks, aside from the window."""

from pathlib import Path

from PyQt6.QtCore import QObject, QThread, pyqtSignal

from mat_shelf.app.image_file import SeveralLayersError, picture_data
from mat_shelf.document.ids import name_from
from mat_shelf.document.image import ImageRef
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.image_reading import ImageError, read_artwork


class ArtworkJob(QThread):
    """Reads one file into the assets, its colours as its profile says.

    Parameters
    ----------
    layer : int or None
        As for `picture_data`.

    Signals
    -------
    read : ImageRef
        Its file and layer are `path` and `layer`.
    layered : list of str
        The layers of which one must be chosen; nothing was read.
    failed : str
        Why it cannot be used.
    """

    read = pyqtSignal(object)
    layered = pyqtSignal(list)
    failed = pyqtSignal(str)

    def __init__(self, path: Path, assets: Assets, layer: int | None = None, parent: QObject | None = None):
        super().__init__(parent)
        self.path, self.layer, self._assets = path, layer, assets

    def run(self) -> None:
        try:
            data, name = picture_data(self.path, self.layer)
            key, kind = self._assets.add_map(read_artwork(data))
        except SeveralLayersError as several:
            self.layered.emit(several.names)
            return
        except (OSError, ImageError) as fault:
            words = fault.strerror if isinstance(fault, OSError) and fault.strerror else str(fault)
            self.failed.emit(f"{self.path.name} cannot be used as artwork: {words}.")
            return
        self.read.emit(ImageRef(name=name_from(name, "Image"), digest=key, kind=kind))
