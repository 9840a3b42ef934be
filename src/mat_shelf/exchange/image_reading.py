"""Image files of any origin, decoded in a process of its own that may crash, run out of memory or never end."""

from collections.abc import Callable

import numpy as np

from mat_shelf.exchange.image_decoding import ImageError, decode_environment, decode_image, decode_map, map_kind
from mat_shelf.system.bounded import FaultError, LimitError, Limits, run_bounded

__all__ = [
    "ImageError",
    "read_artwork",
    "read_svg",
    "layer_names",
    "read_layer",
    "map_kind",
    "page_count",
    "read_page",
    "pixels_per_mm",
    "read_map",
    "read_image",
    "read_environment",
]

_SECONDS, _BYTES_A_SECOND = 18.0, 4e6
"""Time that any file may take to decode, and how much of a larger file each further second stands for."""
_MEMORY = 7 << 28


def read_map(data: bytes) -> np.ndarray:
    """A picture for patterns, with the depth it has; see `pictures.decode_map`. Raises ImageError.

    Parameters
    ----------
    data : bytes
        Content of the file.

    Returns
    -------
    array
    """
    map_kind(data)
    return _decoded(decode_map, data)


def read_environment(data: bytes) -> tuple[np.ndarray, str]:
    """A picture of a room and its kind; see `image_decoding.decode_environment`. Raises ImageError.

    Parameters
    ----------
    data : bytes
        Content of the file.

    Returns
    -------
    tuple[array, str]
    """
    return tuple(_decoded(decode_environment, data))


def read_image(data: bytes) -> tuple[np.ndarray, str]:
    """A photograph and its kind; see `image_decoding.decode_image`. Raises ImageError.

    Parameters
    ----------
    data : bytes
        Content of the file.

    Returns
    -------
    tuple[array, str]
    """
    return tuple(_decoded(decode_image, data))


def read_artwork(data: bytes) -> bytes:
    """A picture whose numbers are sRGB colours; see `artwork_decoding.decode_artwork`. Raises ImageError.

    Parameters
    ----------
    data : bytes
        Content of the file.

    Returns
    -------
    bytes
    """
    from mat_shelf.exchange import artwork_decoding

    return _decoded(artwork_decoding.decode_artwork, data)


def pixels_per_mm(data: bytes) -> float | None:
    """Pixels a millimetre that a picture is meant to be printed at; None where it does not say.

    Parameters
    ----------
    data : bytes
        Content of the file.

    Returns
    -------
    float or None
    """
    from mat_shelf.exchange import artwork_decoding

    try:
        return _decoded(artwork_decoding.decode_pixels_per_mm, data)
    except ImageError:
        return None


def layer_names(data: bytes) -> list[str]:
    """Names of the layers of a PSD that hold pixels; see `artwork_decoding.decode_layer_names`. Raises ImageError.

    Parameters
    ----------
    data : bytes
        Content of the file.

    Returns
    -------
    list of str
    """
    from mat_shelf.exchange import artwork_decoding

    return _decoded(artwork_decoding.decode_layer_names, data)


def read_layer(data: bytes, place: int) -> bytes:
    """One layer of a PSD as a PNG; see `artwork_decoding.decode_layer`. Raises ImageError.

    Parameters
    ----------
    data : bytes
        Content of the file.
    place : int
        Layer, 0 for the lowest.

    Returns
    -------
    bytes
    """
    from mat_shelf.exchange import artwork_decoding

    return _decoded(artwork_decoding.decode_layer, data, place)


def page_count(data: bytes) -> int:
    """Pages of a PDF. Raises ImageError if it cannot be read.

    Parameters
    ----------
    data : bytes
        Content of the file.

    Returns
    -------
    int
    """
    from mat_shelf.exchange import artwork_decoding

    return _decoded(artwork_decoding.decode_page_count, data)


def read_page(data: bytes, place: int) -> bytes:
    """One page of a PDF as a PNG; see `artwork_decoding.decode_page`. Raises ImageError.

    Parameters
    ----------
    data : bytes
        Content of the file.
    place : int
        Page, counted from 0.

    Returns
    -------
    bytes
    """
    from mat_shelf.exchange import artwork_decoding

    return _decoded(artwork_decoding.decode_page, data, place)


def read_svg(svg: bytes) -> bytes:
    """A drawing as a PNG with alpha; see `svg_decoding.decode_svg`. Raises ImageError.

    Parameters
    ----------
    svg : bytes
        Text of the SVG.

    Returns
    -------
    bytes
    """
    from mat_shelf.exchange import svg_decoding

    return _decoded(svg_decoding.decode_svg, svg)


def _decoded(decode: Callable, data: bytes, *rest):
    limits = Limits(_MEMORY, seconds=_SECONDS + len(data) / _BYTES_A_SECOND)
    try:
        return run_bounded(decode, data, *rest, limits=limits)
    except FaultError as fault:
        if fault.kind == ImageError.__name__:
            raise ImageError(str(fault)) from None
        raise ImageError("the image is damaged and cannot be read") from fault
    except LimitError as fault:
        raise ImageError(f"it cannot be read: {fault}; simplify it") from None
