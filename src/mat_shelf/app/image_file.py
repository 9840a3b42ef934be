"""Image files as they are chosen or dropped: read, drawn where they are drawings, and one of their layers taken."""

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import QMimeData, Qt
from PyQt6.QtWidgets import QMenu, QWidget

from mat_shelf.app.job import Job
from mat_shelf.app.widgets.plain_label import literal
from mat_shelf.document.ids import name_from
from mat_shelf.document.image import ImageRef
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.image_reading import (
    ImageError,
    layer_names,
    page_count,
    read_artwork,
    read_layer,
    read_page,
    read_svg,
)
from mat_shelf.exchange.materials.material_files import MATERIAL_ENDINGS
from mat_shelf.exchange.texture_set import Taken, recognised
from mat_shelf.system.file_reader import read_file
from mat_shelf.system.file_writer import words_of

PICTURE_ENDINGS = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".exr", ".psd", ".webp", ".svg", ".pdf")
ROOM_ENDINGS = (".exr", ".hdr")
FLATTENED = -1


def dropped_files(data: QMimeData, *endings: str) -> list[Path]:
    """Files with some endings among what is dragged."""
    paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
    return [path for path in paths if path.suffix.lower() in endings]


def dropped_materials(data: QMimeData) -> list[Path]:
    """Files and folders that materials may come out of, among what is dragged."""
    paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
    return [path for path in paths if path.suffix.lower() in MATERIAL_ENDINGS or path.is_dir()]


class SeveralLayersError(Exception):
    """A file of several layers, of which one must be chosen; `names` are theirs, the lowest first."""

    def __init__(self, names: list[str]):
        super().__init__("it has several layers")
        self.names = names


def picture_data(path: Path, layer: int | None = FLATTENED) -> tuple[bytes, str]:
    """A picture file and its name; a drawing, or one layer of several, as a PNG with alpha.

    Parameters
    ----------
    layer : int or None
        Of a PSD: which one, `FLATTENED` as it was saved; of a PDF: which page. None asks.

    Raises
    ------
    OSError
    ImageError
        If it cannot be read, is too large, or refers to what lies outside of it.
    SeveralLayersError
        If `layer` is None and there are several.
    """
    data, ending = read_file(path), path.suffix.lower()
    if ending == ".svg":
        return read_svg(data), f"{path.stem}.png"
    if ending == ".pdf":
        pages = page_count(data)
        if layer is None and pages > 1:
            raise SeveralLayersError([f"Page {number}" for number in range(1, pages + 1)])
        return read_page(
            data, max(layer or 0, 0)
        ), f"{path.stem}, page {max(layer or 0, 0) + 1}.png" if pages > 1 else f"{path.stem}.png"
    if ending == ".psd" and layer != FLATTENED:
        names = layer_names(data)
        if layer is not None:
            return read_layer(data, layer), f"{path.stem}, {names[layer]}.png"
        if len(names) > 1:
            raise SeveralLayersError(names)
    return data, path.name


def read_images(paths: Sequence[Path], assets: Assets, layer: int | None, job: Job) -> tuple[list[Taken], list[str]]:
    """Reads image files for patterns into the assets, one after another; several files are read flattened.

    Returns
    -------
    taken : list of Taken
    refused : list of str
        Files that cannot be used, and why.

    Raises
    ------
    SeveralLayersError
        If `layer` is None, and the only file has several.
    """
    taken, refused = [], []
    for path in paths:
        if job.is_cancelled:
            break
        try:
            data, name = picture_data(path, layer if len(paths) == 1 else FLATTENED)
            key, kind = assets.add_map(data)
        except (OSError, ImageError) as fault:
            refused.append(f"{path.name} cannot be used in a pattern: {words_of(fault)}.")
            continue
        taken.append(recognised(ImageRef(name=name_from(name, "Image"), digest=key, kind=kind), assets.pictures[key]))
    return taken, refused


def read_artwork_file(path: Path, assets: Assets, layer: int | None) -> ImageRef:
    """Reads a file of artwork into the assets, its colours as its profile says; raises as `picture_data` does."""
    data, name = picture_data(path, layer)
    key, kind = assets.add_map(read_artwork(data))
    return ImageRef(name=name_from(name, "Image"), digest=key, kind=kind)


def layer_menu(names: list[str], choose: Callable[[int], None], parent: QWidget) -> QMenu:
    """Asks which layer of a file is meant, the uppermost first, or all of them; or which of its pages."""
    menu = QMenu(parent)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    is_paged = names[0] == "Page 1"
    if not is_paged:
        menu.addAction("All layers, flattened").triggered.connect(lambda: choose(FLATTENED))
        menu.addSeparator()
    for place in range(len(names)) if is_paged else reversed(range(len(names))):
        menu.addAction(literal(names[place])).triggered.connect(lambda _, place=place: choose(place))
    return menu
