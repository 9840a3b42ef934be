"""Picture files of any origin, decoded in a process of its own that may crash, run out of memory or never end."""

from collections.abc import Callable

import numpy as np

from mat_shelf.exchange.pictures import PictureError, decode_map, decode_picture, decode_room, map_kind
from mat_shelf.system.bounded import FaultError, LimitError, Limits, run

__all__ = [
    "PictureError",
    "as_art",
    "drawn",
    "layer_names",
    "layer_picture",
    "map_kind",
    "page_count",
    "page_picture",
    "pixels_per_mm",
    "read_map",
    "read_picture",
    "read_room",
]

_SECONDS, _BYTES_A_SECOND = 18.0, 4e6
"""Time that any file may take to decode, and how much of a larger file each further second stands for."""
_MEMORY = 7 << 28


def read_map(data: bytes) -> np.ndarray:
    """A picture for patterns, with the depth it has; see `pictures.decode_map`. Raises PictureError."""
    map_kind(data)
    return _decoded(decode_map, data)


def read_room(data: bytes) -> tuple[np.ndarray, str]:
    """A picture of a room and its kind; see `pictures.decode_room`. Raises PictureError."""
    return tuple(_decoded(decode_room, data))


def read_picture(data: bytes) -> tuple[np.ndarray, str]:
    """A photograph and its kind; see `pictures.decode_picture`. Raises PictureError."""
    return tuple(_decoded(decode_picture, data))


def as_art(data: bytes) -> bytes:
    """A picture whose numbers are sRGB colours; see `art.as_art`. Raises PictureError."""
    from mat_shelf.exchange import art

    return _decoded(art.as_art, data)


def pixels_per_mm(data: bytes) -> float | None:
    """Pixels a millimetre that a picture is meant to be printed at; None where it does not say."""
    from mat_shelf.exchange import art

    try:
        return _decoded(art.pixels_per_mm, data)
    except PictureError:
        return None


def layer_names(data: bytes) -> list[str]:
    """Names of the layers of a PSD that hold pixels; see `art.layer_names`. Raises PictureError."""
    from mat_shelf.exchange import art

    return _decoded(art.layer_names, data)


def layer_picture(data: bytes, place: int) -> bytes:
    """One layer of a PSD as a PNG; see `art.layer_picture`. Raises PictureError."""
    from mat_shelf.exchange import art

    return _decoded(art.layer_picture, data, place)


def page_count(data: bytes) -> int:
    """Pages of a PDF. Raises PictureError if it cannot be read."""
    from mat_shelf.exchange import art

    return _decoded(art.page_count, data)


def page_picture(data: bytes, place: int) -> bytes:
    """One page of a PDF as a PNG; see `art.page_picture`. Raises PictureError."""
    from mat_shelf.exchange import art

    return _decoded(art.page_picture, data, place)


def drawn(svg: bytes) -> bytes:
    """A drawing as a PNG with alpha; see `drawings.drawn`. Raises PictureError."""
    from mat_shelf.exchange import drawings

    return _decoded(drawings.drawn, svg)


def _decoded(decode: Callable, data: bytes, *rest):
    limits = Limits(_MEMORY, seconds=_SECONDS + len(data) / _BYTES_A_SECOND)
    try:
        return run(decode, data, *rest, limits=limits)
    except FaultError as fault:
        if fault.kind == PictureError.__name__:
            raise PictureError(str(fault)) from None
        raise PictureError("the image is damaged and cannot be read") from fault
    except LimitError as fault:
        raise PictureError(f"it cannot be read: {fault}; simplify it") from None
