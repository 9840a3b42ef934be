"""Tables of colours as they are shown by colours as they would be shown without: looks made elsewhere."""

import base64
import binascii
import zlib
from functools import lru_cache
from typing import Annotated, Self

import numpy as np
from pydantic import Field, model_validator

from mat_shelf.document.ids import Name
from mat_shelf.document.parameter import Frozen, number

MOST_NODES = 33
"""Nodes along each side of a table."""
_LEVELS = 65535
_MOST_TEXT = 400_000


class ColorTable(Frozen):
    """A cube of colours, between whose nodes there is a mean.

    Attributes
    ----------
    name : str
        Name of the file that it came in.
    size : int
        Nodes along each side.
    data : str
        Colours of the nodes, packed.
    """

    name: Name
    size: Annotated[int, Field(ge=2, le=MOST_NODES)]
    data: Annotated[str, Field(max_length=_MOST_TEXT)]
    amount: float = number(1.0, 0, 1, label="Colour table", tip="Share of the colour table in the finished picture.")

    @classmethod
    def of(cls, name: str, colors: np.ndarray) -> "ColorTable":
        """A table of some colours.

        Parameters
        ----------
        name : str
            Its name.
        colors : (N, N, N, 3) float
            sRGB-coded colours by coded red, green and blue, in [0, 1].

        Returns
        -------
        ColorTable
        """
        levels = np.round(np.clip(colors, 0, 1) * _LEVELS).astype("<u2")
        return cls(name=name, size=len(levels), data=base64.b64encode(zlib.compress(levels.tobytes(), 9)).decode())

    @model_validator(mode="after")
    def _is_whole(self) -> Self:
        _unpacked(self.size, self.data)
        return self

    def colors(self) -> np.ndarray:
        """Its colours.

        Returns
        -------
        (N, N, N, 3) float32
            sRGB-coded, by coded red, green and blue; read only.
        """
        return _unpacked(self.size, self.data)


@lru_cache(maxsize=8)
def _unpacked(size: int, data: str) -> np.ndarray:
    count = size**3 * 3
    try:
        unpacking = zlib.decompressobj()
        packed = unpacking.decompress(base64.b64decode(data, validate=True), 2 * count + 1)
    except (binascii.Error, zlib.error) as fault:
        raise ValueError("the colours of a table cannot be unpacked") from fault
    if len(packed) != 2 * count or not unpacking.eof:
        raise ValueError("a table has other colours than its size says")
    colors = (np.frombuffer(packed, "<u2").astype(np.float32) / _LEVELS).reshape(size, size, size, 3)
    colors.setflags(write=False)
    return colors
