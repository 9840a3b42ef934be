"""Picture files as they are chosen or dropped: read, drawn where they are drawings, and one of their layers taken."""

import re
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QSize, Qt
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtSvg import QSvgRenderer
from PyQt6.QtWidgets import QMenu, QWidget

from mat_shelf.exchange.art import layer_names, layer_picture, page_count, page_picture
from mat_shelf.exchange.package import LARGEST_ENTRY
from mat_shelf.exchange.pictures import PictureError

PICTURE_ENDINGS = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".exr", ".psd", ".webp", ".svg", ".pdf")
SVG_PIXELS = 4096
"""Longer side of the picture that a drawing becomes."""
FLATTENED = -1
_LARGEST_SVG = 20_000_000
_LINK = re.compile(rb"href\s*=\s*[\"']?\s*([^\"'>\s]*)")
_REFUSED = (b"<!entity", b"<!doctype", b"<script", b"<foreignobject")


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
    PictureError
        If it cannot be read, is too large, or refers to what lies outside of it.
    SeveralLayersError
        If `layer` is None and there are several.
    """
    if path.stat().st_size > LARGEST_ENTRY:
        raise PictureError("it is larger than half a gigabyte")
    data, ending = path.read_bytes(), path.suffix.lower()
    if ending == ".svg":
        return drawn(data), f"{path.stem}.png"
    if ending == ".pdf":
        pages = page_count(data)
        if layer is None and pages > 1:
            raise SeveralLayersError([f"Page {number}" for number in range(1, pages + 1)])
        return page_picture(
            data, max(layer or 0, 0)
        ), f"{path.stem}, page {max(layer or 0, 0) + 1}.png" if pages > 1 else f"{path.stem}.png"
    if ending == ".psd" and layer != FLATTENED:
        names = layer_names(data)
        if layer is not None:
            return layer_picture(data, layer), f"{path.stem}, {names[layer]}.png"
        if len(names) > 1:
            raise SeveralLayersError(names)
    return data, path.name


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
    if b"\0" in small:
        raise PictureError("the drawing is not written in UTF-8; save it so")
    for link in _LINK.finditer(small):
        if not link.group(1).startswith((b"#", b"data:image/")):
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


def layer_menu(names: list[str], choose: Callable[[int], None], parent: QWidget) -> QMenu:
    """Asks which layer of a file is meant, the uppermost first, or all of them; or which of its pages."""
    menu = QMenu(parent)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    is_paged = names[0] == "Page 1"
    if not is_paged:
        menu.addAction("All layers, flattened").triggered.connect(lambda: choose(FLATTENED))
        menu.addSeparator()
    for place in range(len(names)) if is_paged else reversed(range(len(names))):
        menu.addAction(names[place].replace("&", "&&")).triggered.connect(lambda _, place=place: choose(place))
    return menu
