"""Codes that machines read: bar codes of goods and square codes, as pictures of whole modules."""

import io

import numpy as np
import segno
from barcode import get_barcode_class
from barcode.errors import BarcodeError
from PIL import Image

_EAN_MODULES = 95
_QUIET, _EAN_TALL = 11, 60
EAN_WIDTH, EAN_HEIGHT = 37.29, 25.93
"""mm of an EAN-13 code with its quiet zones at full size (GS1 General Specifications, from memory)."""
_MOST_TEXT = 1000


class CodeError(ValueError):
    """Text that no such code can carry; the message says why."""


def ean13(digits: str) -> tuple[bytes, str]:
    """The bar code of an article number, as a PNG on white.

    Parameters
    ----------
    digits : str
        12 digits, to which the check digit is added, or 13.

    Returns
    -------
    data : bytes
    number : str
        All 13 digits.

    Raises
    ------
    CodeError
        If there are not as many digits, or the last is not the check digit of the others.
    """
    plain = "".join(character for character in digits if not character.isspace())
    if not plain.isascii() or not plain.isdigit() or len(plain) not in (12, 13):
        raise CodeError("an EAN-13 number has 12 digits, or 13 with its check digit")
    try:
        code = get_barcode_class("ean13")(plain[:12])
        number, modules = code.get_fullcode(), code.build()[0]
    except BarcodeError as fault:
        raise CodeError(str(fault)) from None
    if len(plain) == 13 and plain != number:
        raise CodeError(f"the check digit of {plain[:12]} is {number[-1]}, not {plain[-1]}")
    bars = np.array([module not in "0 " for module in modules])
    if len(bars) != _EAN_MODULES:
        raise CodeError("the code could not be made")
    row = np.concatenate([np.zeros(_QUIET, bool), bars, np.zeros(_QUIET, bool)])
    return _png(np.tile(row, (_EAN_TALL, 1))), number


def square_code(text: str) -> bytes:
    """A QR code of a text, as a PNG on white, its quiet zone included (ISO/IEC 18004).

    Parameters
    ----------
    text : str
        Text.

    Returns
    -------
    bytes

    Raises
    ------
    CodeError
        If there is no text, or too much.
    """
    if not text.strip() or len(text) > _MOST_TEXT:
        raise CodeError(f"a QR code needs a text of at most {_MOST_TEXT} characters")
    try:
        code = segno.make_qr(text, error="m")
    except segno.DataOverflowError:
        raise CodeError("that is too much text for a QR code") from None
    return _png(np.array([[bool(module) for module in row] for row in code.matrix_iter(border=4)]))


def _png(dark: np.ndarray, pixels: int = 8) -> bytes:
    picture = np.where(dark, 0, 255).astype(np.uint8).repeat(pixels, axis=0).repeat(pixels, axis=1)
    out = io.BytesIO()
    Image.fromarray(picture).save(out, "PNG")
    return out.getvalue()
