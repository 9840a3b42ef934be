"""Files dropped on the window: a project is opened, a model imported, materials go to the library, a room is set up."""

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QMimeData

from mat_shelf.app.image_file import dropped_files
from mat_shelf.app.library.swatch_drag import dragged_wearable
from mat_shelf.exchange.models.formats import MODEL_ENDINGS
from mat_shelf.exchange.project_file import PROJECT_ENDING
from mat_shelf.exchange.swatch_file import SWATCH_ENDING

if TYPE_CHECKING:
    from mat_shelf.app.window import Window

_MATERIALS_ALONE = (".mtlx", ".zip")
"""Endings of files that hold materials and no model."""
_DROPPED = (PROJECT_ENDING, SWATCH_ENDING, ".exr", ".hdr", *_MATERIALS_ALONE, *MODEL_ENDINGS)


def dropped_file(data: QMimeData) -> Path | None:
    """A project, model, swatch or room picture that is dragged, if one is."""
    if dragged_wearable(data) is not None:
        return None  # a swatch on its way to a part; its file is for other windows
    return next(iter(dropped_files(data, *_DROPPED)), None)


def take_dropped(window: "Window", data: QMimeData, path: Path) -> None:
    """Does with a dropped file, or with all swatches among several, what they are for."""
    swatches = dropped_files(data, SWATCH_ENDING, *_MATERIALS_ALONE)
    ending = path.suffix.lower()
    if swatches:
        window.workshop.take_swatches(swatches)
    elif ending in MODEL_ENDINGS:
        window.model_import.start(path)
    elif ending != PROJECT_ENDING:
        window.workshop.set_room(path)
    elif window.files.may_leave():
        window.files.open(path)
