"""Swatches and materials as they are dragged."""

from PyQt6.QtCore import QMimeData

from mat_shelf.commands.materials import Wearable

_MIMES = {"swatch": "application/x-mat-shelf-swatch", "material": "application/x-mat-shelf-material"}


def wearable_mime(what: Wearable) -> QMimeData:
    """Data of a swatch or material."""
    data = QMimeData()
    data.setData(_MIMES[what.kind], what.id.encode())
    return data


def dragged_wearable(data: QMimeData) -> Wearable | None:
    """The swatch or material that is dragged, if one is."""
    for kind, mime in _MIMES.items():
        if data.hasFormat(mime):
            return Wearable(kind, bytes(data.data(mime)).decode(errors="replace"))
    return None
