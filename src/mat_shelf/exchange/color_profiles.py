"""Colour spaces that pictures are written in, and their ICC profiles."""

import struct
from functools import cache
from typing import NamedTuple

import numpy as np

from mat_shelf.optics.color import encode_srgb

Curve = tuple[float, ...]
_SRGB_CURVE: Curve = (2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045)
"""Parameters of the curve of IEC 61966-2-1 as ICC's function type 3 has them."""
_D65, _D50 = (0.3127, 0.3290), (0.9642, 1.0, 0.8249)
_BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])


class ColorSpace(NamedTuple):
    """One of them.

    Attributes
    ----------
    name : str
        As it is shown.
    primaries : ((float, float), ...)
        Chromaticities of red, green and blue; the white is D65.
    curve : tuple of float
        One number for an exponent; else as `_SRGB_CURVE`.
    """

    name: str
    primaries: tuple[tuple[float, float], ...]
    curve: Curve


_REC709 = ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06))
COLOR_SPACES = {
    "srgb": ColorSpace("sRGB", _REC709, _SRGB_CURVE),
    "display-p3": ColorSpace("Display P3", ((0.68, 0.32), (0.265, 0.69), (0.15, 0.06)), _SRGB_CURVE),
    "oprgb": ColorSpace("opRGB", ((0.64, 0.33), (0.21, 0.71), (0.15, 0.06)), (563 / 256,)),
}
"""IEC 61966-2-1; SMPTE EG 432-1 primaries with D65 and the sRGB curve; IEC 61966-2-5."""
LINEAR = ColorSpace("Linear Rec.709", _REC709, (1.0,))


def _to_xyz(space: ColorSpace) -> np.ndarray:
    """Matrix from its linear channels to CIE XYZ, (3, 3) float64 (SMPTE RP 177)."""
    columns = np.array([(x / y, 1.0, (1 - x - y) / y) for x, y in space.primaries]).T
    x, y = _D65
    return columns * np.linalg.solve(columns, np.array((x / y, 1.0, (1 - x - y) / y)))


def encoded(linear: np.ndarray, space: ColorSpace) -> np.ndarray:
    """Values of a colour space for display-linear light.

    Parameters
    ----------
    linear : (..., 3) float32
        Linear Rec.709 in [0, 1].
    space : ColorSpace
        The space.

    Returns
    -------
    (..., 3) float32
        In [0, 1].
    """
    if space.primaries != _REC709:
        matrix = np.linalg.solve(_to_xyz(space), _to_xyz(COLOR_SPACES["srgb"])).astype(np.float32)
        linear = np.clip(linear @ matrix.T, 0, 1)
    if space.curve == _SRGB_CURVE:
        return encode_srgb(linear)
    return np.clip(linear, 0, 1) ** np.float32(1 / space.curve[0])


@cache
def icc_profile(space: ColorSpace) -> bytes:
    """The ICC profile of a colour space: version 4, matrix and curves (ICC.1:2010).

    Parameters
    ----------
    space : ColorSpace
        The space.

    Returns
    -------
    bytes
    """
    x, y = _D65
    white = np.array((x / y, 1.0, (1 - x - y) / y))
    gains = (_BRADFORD @ np.array(_D50)) / (_BRADFORD @ white)
    adapted = np.linalg.solve(_BRADFORD, gains[:, None] * _BRADFORD)
    columns = (adapted @ _to_xyz(space)).T
    tags = {
        b"desc": _text(space.name),
        b"cprt": _text("No copyright, use freely"),
        b"wtpt": _xyz(_D50),
        b"chad": b"sf32\0\0\0\0" + b"".join(_fixed(v) for v in adapted.reshape(-1)),
        b"rXYZ": _xyz(columns[0]),
        b"gXYZ": _xyz(columns[1]),
        b"bXYZ": _xyz(columns[2]),
    }
    kind = 3 if len(space.curve) > 1 else 0
    curve = b"para\0\0\0\0" + struct.pack(">HH", kind, 0) + b"".join(_fixed(v) for v in space.curve)
    tags |= dict.fromkeys((b"rTRC", b"gTRC", b"bTRC"), curve)
    body, places, at = b"", {}, 128 + 4 + 12 * len(tags)
    for data in tags.values():
        if data not in places:
            places[data] = at + len(body)
            body += data + bytes(-len(data) % 4)
    table = struct.pack(">I", len(tags))
    table += b"".join(name + struct.pack(">II", places[data], len(data)) for name, data in tags.items())
    head = struct.pack(">I4sI4s4s4s", at + len(body), b"\0\0\0\0", 0x04300000, b"mntr", b"RGB ", b"XYZ ")
    head += struct.pack(">6H", 2026, 1, 1, 0, 0, 0) + b"acsp" + bytes(28)
    head += b"".join(_fixed(v) for v in _D50)
    return head.ljust(128, b"\0") + table + body


def _fixed(value: float) -> bytes:
    return struct.pack(">i", round(float(value) * 65536))


def _xyz(value) -> bytes:
    return b"XYZ \0\0\0\0" + b"".join(_fixed(v) for v in value)


def _text(words: str) -> bytes:
    encoded_words = words.encode("utf-16-be")
    return b"mluc\0\0\0\0" + struct.pack(">II2s2sII", 1, 12, b"en", b"US", len(encoded_words), 28) + encoded_words
