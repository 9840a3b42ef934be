"""Codes against an independent decoder and the rule of the check digit."""

import io

import numpy as np
import pytest
import zxingcpp
from PIL import Image

from mat_shelf.marks.codes import CodeError, ean13, square_code


def read(data: bytes) -> list[tuple[str, str]]:
    found = zxingcpp.read_barcodes(Image.open(io.BytesIO(data)).convert("RGB"))
    return [(one.format.name, one.text) for one in found]


def test_article_numbers_get_their_check_digit_and_are_read_back():
    """GS1: from the right, digits count three times and once in turn; the sum is filled up to a ten."""
    rng = np.random.default_rng(5)
    for _ in range(5):
        digits = "".join(str(d) for d in rng.integers(0, 10, 12))
        weighed = sum(int(d) * (3 if place % 2 == 0 else 1) for place, d in enumerate(reversed(digits)))
        data, number = ean13(digits)
        assert number == digits + str(-weighed % 10)
        ((kind, text),) = read(data)
        assert kind.replace("_", "").upper().startswith("EAN13") and text == number
        assert ean13(number)[1] == number


def test_square_codes_are_read_back():
    for text in ("Gannet & Reed, Blue-black", "https://example.com/ink?n=50", "Tinte, ä ö ü"):
        ((kind, got),) = read(square_code(text))
        assert "QR" in kind.upper() and got == text


@pytest.mark.parametrize("digits", ["", "123", "12345678901x", "4006381333932", "1" * 14, "١٢٣٤٥٦٧٨٩٠١٢"])
def test_numbers_that_are_none_are_refused_in_words(digits):
    with pytest.raises(CodeError, match="digit"):
        ean13(digits)


def test_too_much_text_is_refused():
    for text in ("", "  ", "x" * 1001):
        with pytest.raises(CodeError):
            square_code(text)
