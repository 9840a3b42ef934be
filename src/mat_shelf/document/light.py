"""Lights of a set: softboxes, tubes, spots, and what shines from afar."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from mat_shelf.document.ids import Digest, Id, Name
from mat_shelf.document.image import ImageRef
from mat_shelf.document.parameter import Color, Frozen, Point, color, number

Kind = Literal["rectangle", "disc", "tube", "spot", "distant"]
KINDS: dict[str, str] = {
    "rectangle": "Softbox",
    "disc": "Round softbox",
    "tube": "Tube",
    "spot": "Spot",
    "distant": "Distant light",
}
"""Words for the kinds of light."""
_FACE = ("width", "height", "roll", "edge", "fade", "grid")
SHAPE_FIELDS: dict[str, tuple[str, ...]] = {
    "rectangle": _FACE,
    "disc": _FACE,
    "tube": ("length", "diameter", "roll"),
    "spot": ("diameter", "cone", "edge", "roll"),
    "distant": ("angle", "edge"),
}
"""What shapes a light of each kind."""
SIZE_FIELDS = frozenset(
    {"width", "height", "length", "diameter", "angle", "cone", "edge", "fade", "grid", "kind", "image"}
)
"""What changes the power of a light of one luminance."""
SHOWS_IMAGES = frozenset({"rectangle", "disc", "spot"})


class Distribution(Frozen):
    """A file of candela by angle (ANSI/IES LM-63), kept with the project as it came."""

    name: Name
    digest: Digest


class Light(Frozen):
    """One light of a set.

    Attributes
    ----------
    position, target : (3,) mm
        It faces `target`. Of a distant light only the direction from `target` to `position` counts.
    width, height : mm
        Of a softbox; of a round one its two diameters. Without roll the width runs horizontally.
    length, diameter : mm
        Of a tube, whose length runs as a width does. A spot is a ball of this diameter.
    angle : degrees
        Across a distant light, as it is seen.
    luminance : cd/m2
        Of the brightest place of its face, or of the axis of a spot, at a strength of 0 stops.
    temperature : kelvin, of a black body
    image : ImageRef or None
        What a softbox shows and a spot throws; it multiplies the light.
    distribution : Distribution or None
        How a spot shines in each direction, in place of its cone; the brightest direction has its luminance.
    only_parts : tuple of Id
        The parts of the product that it lights; everything where there is none.
    """

    name: Name = "Softbox"
    kind: Kind = "rectangle"
    is_on: bool = True
    position: Point
    target: Point = (0.0, 0.0, 0.0)
    width: float = number(
        400.0, 0.01, 1e6, label="Width", unit="mm", tip="Runs horizontally at a roll of 0.", usual=(10, 2000), log=True
    )
    height: float = number(
        400.0, 0.01, 1e6, label="Height", unit="mm", tip="At right angles to its width.", usual=(10, 2000), log=True
    )
    length: float = number(
        600.0, 0.01, 1e6, label="Length", unit="mm", tip="Runs horizontally at a roll of 0.", usual=(10, 2000), log=True
    )
    diameter: float = number(
        30.0,
        5.0,
        1e6,
        label="Diameter",
        unit="mm",
        tip="Of the tube, or of the lamp of a spot: the smaller it is, the harder its shadows and the sharper what "
        "it throws.",
        usual=(5, 200),
        log=True,
    )
    angle: float = number(
        0.53,
        0.1,
        179.0,
        label="Apparent size",
        unit="°",
        tip="How large it looks from the product. The sun is 0.53; a bright part of a sky is 20 to 90.",
        usual=(0.1, 120),
        log=True,
    )
    cone: float = number(
        40.0, 1.0, 179.0, label="Cone", unit="°", tip="Angle across the cone that it lights.", usual=(4, 120)
    )
    luminance: float = number(
        4000.0,
        0,
        1e10,
        label="Luminance",
        unit="cd/m²",
        tip="How bright its face is. A larger light of the same luminance gives more light.",
        usual=(100, 100_000),
        log=True,
    )
    strength: float = number(
        0.0,
        -20,
        20,
        label="Strength",
        unit="stops",
        tip="On top of its luminance; one stop doubles the light.",
        usual=(-4, 4),
    )
    temperature: float = number(
        5600.0, 1500, 20000, label="Temperature", unit="K", tip="3000 is warm, 6500 daylight.", usual=(2000, 10_000)
    )
    tint: float = number(
        0.0,
        -1,
        1,
        label="Tint",
        tip="Towards green below 0, towards magenta above, as far as a whole colour filter does at 1.",
    )
    color: Color = color(
        (1.0, 1.0, 1.0), label="Filter", tip="Colour of a filter before the light. White leaves the light as it is."
    )
    roll: float = number(
        0.0, -180, 180, label="Roll", unit="°", tip="About its own axis, anticlockwise as seen from what it faces."
    )
    edge: float = number(
        0.0, 0, 1, label="Soft edge", tip="How much of it fades towards its edge; 1 fades from the middle on."
    )
    fade: float = number(
        0.0, 0, 1, label="Gradient", tip="How much darker its lower edge is than its upper one; roll turns it."
    )
    grid: float = number(
        0.0,
        0,
        85,
        label="Grid",
        unit="°",
        zero="none",
        tip="A honeycomb before it: beyond this angle from its axis it gives no light.",
        usual=(0, 60),
    )
    image: ImageRef | None = None
    distribution: Distribution | None = None
    is_seen: bool = Field(
        True,
        title="Seen by camera",
        description="Off, it lights and is mirrored, but the camera does not see it itself.",
    )
    only_parts: Annotated[tuple[Id, ...], Field(max_length=4096)] = ()
    keeps_power: bool = Field(
        False,
        title="Keep power",
        description="Keeps the light that it gives as a whole while its size or shape changes.",
    )

    @model_validator(mode="after")
    def _faces_somewhere(self) -> Self:
        if max(abs(p - t) for p, t in zip(self.position, self.target, strict=True)) < 1e-3:
            raise ValueError("a light stands on the point that it faces and would give no light; move one of them")
        return self

    def pictures(self) -> list[ImageRef]:
        """The image that it has, whether its kind shows one or not."""
        return [self.image] if self.image is not None else []


class PartLight(Frozen):
    """A part of the product that glows, as a light of a set: its materials say how, the set how much of it.

    Attributes
    ----------
    part : Id
        The part; one that is not there, or does not glow, changes nothing.
    """

    part: Id
    is_on: bool = True
    strength: float = number(
        0.0,
        -20,
        20,
        label="Strength",
        unit="stops",
        tip="On top of what its materials and marks give off, in this set; one stop doubles the light.",
        usual=(-4, 4),
    )
    color: Color = color(
        (1.0, 1.0, 1.0), label="Filter", tip="Colour of a filter before it, in this set. White leaves it as it is."
    )
