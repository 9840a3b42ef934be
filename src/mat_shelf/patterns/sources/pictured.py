"""Pictures from files."""

from typing import Literal

from pydantic import Field

from mat_shelf.document.image import ImageRef
from mat_shelf.document.pattern import Placement
from mat_shelf.numerics.kernels import F, inline
from mat_shelf.numerics.memory import bytes3, floats1, floats3, shorts3
from mat_shelf.optics.color import luminance_of
from mat_shelf.patterns.mipmap import DEPTHS, Mipmap, bilinear, decoding
from mat_shelf.patterns.operation import operation
from mat_shelf.patterns.step import Source, StepInput, Value

_ENDS = ("repeat", "mirror", "hold")
_CHANNELS = ("red", "green", "blue")
_COLOR, _GREY, _FULL = 4, 5, 6


class Pictured(Source):
    """A picture. Its size is its width."""

    label = "Image"
    tip = "An image file: a photographed surface, a map, artwork."
    span = 1.0
    usual = Placement(size=50, projection="box")

    kind: Literal["picture"] = "picture"
    picture: ImageRef | None = Field(None, title="Image", description="The image file.")
    shown: Literal["colour", "grey", "red", "green", "blue", "alpha"] = Field(
        "colour", title="Output", description="The colours, their luminance, or one channel."
    )
    space: Literal["colour", "plain"] = Field(
        "colour",
        title="Encoding",
        description="sRGB for colours; linear for maps of roughness, height and normals.",
        json_schema_extra={"words": {"colour": "sRGB", "plain": "Linear"}},
    )
    ends: Literal["repeat", "mirror", "hold"] = Field(
        "repeat", title="Beyond the edge", description="Repeat, mirror, or extend the border."
    )

    scratch = 2

    def finest(self, size: float) -> float:
        return size / 512

    def emit(self, at: StepInput) -> Value:
        mipmap = self._mipmap(at)
        if mipmap is None:  # its place is kept; middle grey disturbs least
            return at.code.filled((0.5,))
        return at.run(given=3 if self.shown == "colour" and mipmap.channels > 2 else 1)

    def _mipmap(self, at: StepInput) -> Mipmap | None:
        return at.pictures.get(self.picture.digest) if self.picture else None

    def constants(self, at: StepInput) -> tuple[float, ...]:
        mipmap = self._mipmap(at)
        pixels = mipmap.level(at.footprint / at.size * mipmap.width)
        table = decoding(pixels.dtype.name, self.space == "colour")
        depth = DEPTHS.index(pixels.dtype.name)
        row = at.code.resource((pixels.ctypes.data, *pixels.shape, depth, table.ctypes.data, len(table)), pixels, table)
        tall = 1.0 if at.is_whole else mipmap.width / mipmap.height
        return row, tall, 0.5 if at.is_centred else 0.0, _ENDS.index(self.ends), self._channel(mipmap.channels)

    def _channel(self, channels: int) -> int:
        """Channel that is shown, or `_COLOR`, `_GREY`, `_FULL`; grey images are grey whatever is asked for."""
        if self.shown == "alpha":
            return channels - 1 if channels in (2, 4) else _FULL
        if channels <= 2:
            return 0
        return {"colour": _COLOR, "grey": _GREY}.get(self.shown) or _CHANNELS.index(self.shown)

    @operation
    def run(c, n, coordinates, before, out, at):
        row, tall, shift, ends, channel = int(c[0]), c[1], c[2], int(c[3]), int(c[4])
        address, height, width = at.resources[row, 0], at.resources[row, 1], at.resources[row, 2]
        channels, depth = at.resources[row, 3], at.resources[row, 4]
        table = floats1(at.resources[row, 5], at.resources[row, 6])
        if depth == 0:
            _show(bytes3(address, height, width, channels), table, n, coordinates, tall, shift, ends, channel, out)
        elif depth == 1:
            _show(shorts3(address, height, width, channels), table, n, coordinates, tall, shift, ends, channel, out)
        else:
            _show(floats3(address, height, width, channels), table, n, coordinates, tall, shift, ends, channel, out)


@inline
def _show(pixels, table, n, coordinates, tall, shift, ends, channel, out):
    first = 0 if channel in (_COLOR, _GREY) else channel
    shown = 3 if channel in (_COLOR, _GREY) else 1
    for k in range(shown):
        for i in range(n):
            x, y = coordinates[0, i] + shift, coordinates[1, i] * tall + shift
            out[k, i] = F(1) if channel == _FULL else bilinear(pixels, table, x, y, ends, first + k)
    if channel == _GREY:
        for i in range(n):
            out[0, i] = luminance_of(out[0, i], out[1, i], out[2, i])
