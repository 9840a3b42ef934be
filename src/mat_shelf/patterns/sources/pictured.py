"""Pictures from files."""

from typing import Literal

import numpy as np
from pydantic import Field

from mat_shelf.document.image import ImageRef
from mat_shelf.document.pattern import Placement
from mat_shelf.optics.color import luminance
from mat_shelf.patterns.step import Source, StepInput

_ENDS = ("repeat", "mirror", "hold")
_CHANNELS = ("red", "green", "blue", "alpha")


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

    def finest(self, size: float) -> float:
        return size / 512

    def apply(self, at: StepInput) -> np.ndarray:
        pyramid = at.context.pictures.get(self.picture.digest) if self.picture else None
        if pyramid is None:  # its place is kept; middle grey disturbs least
            return np.full(len(at), 0.5, np.float32)
        x, y = at.coordinates[0], at.coordinates[1]
        if not at.is_whole:
            y = y * np.float32(pyramid.width / pyramid.height)
        if at.is_centred:
            x, y = x + np.float32(0.5), y + np.float32(0.5)
        texel = at.points.footprint / at.size * pyramid.width
        values = pyramid.look_up(x, y, self.space == "colour", _ENDS.index(self.ends), texel)
        return _shown(values, self.shown)


def _shown(values: np.ndarray, shown: str) -> np.ndarray:
    """Channel or colour out of (N, C) values; grey images are grey whatever channel is asked for."""
    channels = values.shape[1]
    if shown == "alpha":
        return np.ascontiguousarray(values[:, -1]) if channels in (2, 4) else np.ones(len(values), np.float32)
    if channels <= 2:
        return np.ascontiguousarray(values[:, 0])
    if shown == "colour":
        return np.ascontiguousarray(values[:, :3])
    if shown == "grey":
        return luminance(values[:, :3])
    return np.ascontiguousarray(values[:, _CHANNELS.index(shown)])
