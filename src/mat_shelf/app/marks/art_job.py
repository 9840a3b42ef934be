"""Art read for marks, aside from the window; drawings are made into pictures."""

from pathlib import Path

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QObject, QSize, Qt, QThread, pyqtSignal
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtSvg import QSvgRenderer

from mat_shelf.app.patterns.picture_job import MAP_ENDINGS
from mat_shelf.document.picture import Picture
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.package import LARGEST_ENTRY
from mat_shelf.exchange.pictures import PictureError

ART_ENDINGS = (*MAP_ENDINGS, ".svg")
SVG_PIXELS = 4096
"""Longer side of the picture that a drawing becomes."""
_LARGEST_SVG = 20_000_000
_REFUSED = (b"<!entity", b"<!doctype", b"<script", b"<foreignobject")


class ArtJob(QThread):
    """Reads one file into the assets.

    Signals
    -------
    read : Picture
    failed : str
        Why it cannot be used.
    """

    read = pyqtSignal(object)
    failed = pyqtSignal(str)

    def __init__(self, path: Path, assets: Assets, parent: QObject | None = None):
        super().__init__(parent)
        self._path, self._assets = path, assets

    def run(self) -> None:
        try:
            if self._path.stat().st_size > LARGEST_ENTRY:
                raise PictureError("it is larger than half a gigabyte")
            data = self._path.read_bytes()
            name = self._path.name
            if self._path.suffix.lower() == ".svg":
                data, name = drawn(data), f"{self._path.stem}.png"
            key, kind = self._assets.add_map(data)
        except (OSError, PictureError) as fault:
            words = fault.strerror if isinstance(fault, OSError) and fault.strerror else str(fault)
            self.failed.emit(f"{self._path.name} cannot be used as art: {words}.")
            return
        self.read.emit(Picture(name=name[:120], digest=key, kind=kind))


def drawn(svg: bytes) -> bytes:
    """A drawing as a PNG with alpha, its longer side `SVG_PIXELS` wide.

    Raises
    ------
    PictureError
        If it is no drawing, is too large, or refers to what lies outside of it.
    """
    small = svg[:_LARGEST_SVG].lower()
    if len(svg) > _LARGEST_SVG:
        raise PictureError("the drawing is larger than 20 MB; simplify it")
    if any(word in small for word in _REFUSED):
        raise PictureError("the drawing holds entities, scripts or foreign parts; save it as plain SVG")
    for link in (b'href="', b"href='"):
        for piece in small.split(link)[1:]:
            if not piece.startswith((b"#", b"data:image/")):
                raise PictureError("the drawing refers to another file; embed it where it was made")
    renderer = QSvgRenderer(QByteArray(svg))
    size = renderer.defaultSize()
    if not renderer.isValid() or size.isEmpty():
        raise PictureError("it is no drawing that can be read")
    whole = size.scaled(QSize(SVG_PIXELS, SVG_PIXELS), Qt.AspectRatioMode.KeepAspectRatio)
    if whole.isEmpty():
        raise PictureError("the drawing is a line without width")
    image = QImage(whole, QImage.Format.Format_ARGB32_Premultiplied)
    image.fill(0)
    painter = QPainter(image)
    renderer.render(painter)
    painter.end()
    out = QBuffer()
    out.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(out, "PNG")
    return bytes(out.data())
