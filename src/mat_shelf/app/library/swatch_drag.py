"""Swatches as they are dragged."""

from PyQt6.QtCore import QMimeData

MIME = "application/x-mat-shelf-swatch"


def swatch_mime(swatch_id: str) -> QMimeData:
    data = QMimeData()
    data.setData(MIME, swatch_id.encode())
    return data


def dragged_swatch(data: QMimeData) -> str | None:
    """Id of the swatch that is dragged, if one is."""
    return bytes(data.data(MIME)).decode(errors="replace") if data.hasFormat(MIME) else None
