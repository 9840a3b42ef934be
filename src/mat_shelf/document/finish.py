"""Finish: what is done to the light of a render before it is shown, all of which can be changed after the render."""

from typing import Annotated, Literal

from pydantic import Field

from mat_shelf.document.color_table import ColorTable
from mat_shelf.document.ids import Id
from mat_shelf.document.parameter import Frozen, Nodes, number
from mat_shelf.document.retouch import MOST_SPOTS, HealedSpot, PaintedArea

MOST_MASKED = 64
TONES = {"shadows": "Shadows", "middle": "Middle tones", "highlights": "Highlights"}
"""Ranges of tone, which together are the whole picture."""

STRAIGHT = ((0.0, 0.0), (0.5, 0.5), (1.0, 1.0))
"""Nodes of a curve that changes nothing."""


class Adjustment(Frozen):
    """Changes of tone and colour, in this order; all of them at their defaults change nothing.

    Attributes
    ----------
    curve : tuple of (in, out)
        Of sRGB-coded luminance.
    """

    exposure: float = number(0.0, -8, 8, label="Exposure", unit="stops", tip="+1 doubles the light.", usual=(-2, 2))
    warmth: float = number(
        0.0,
        -150,
        150,
        label="Warmth",
        unit="mired",
        tip="Shift of the white balance: warmer above 0, cooler below. 18 is a slight correction filter.",
        usual=(-60, 60),
    )
    tint: float = number(0.0, -1, 1, label="Tint", tip="Green below 0, magenta above.", usual=(-0.3, 0.3))
    contrast: float = number(
        1.0, 0.25, 4, label="Contrast", tip="Slope of the tones around a middle grey.", usual=(0.6, 1.6)
    )
    highlights: float = number(
        0.0, -2, 2, label="Highlights", unit="stops", tip="Lifts or lowers tones brighter than a middle grey."
    )
    shadows: float = number(
        0.0, -2, 2, label="Shadows", unit="stops", tip="Lifts or lowers tones darker than a middle grey."
    )
    curve: Nodes = Field(
        STRAIGHT,
        title="Curve",
        description="Tones after it by tones before, as they are seen: from black to white.",
    )
    saturation: float = number(1.0, 0, 3, label="Saturation", tip="Of all colours; 0 is grey.", usual=(0, 2))
    muted: float = number(
        0.0, -1, 1, label="Muted colours", tip="Saturation of dull colours alone; strong ones stay as they are."
    )


class MaskedAdjustment(Frozen):
    """An adjustment of what shows one thing, or of what is as dark or bright.

    Attributes
    ----------
    kind : str
        Kind of thing.
    target : str
        Its id; ``part/zone`` of a zone, empty for the backdrop and the product, of tones a key of `TONES`. It may be of
        something that is not in the project: the next version of a model may have it again.
    area : PaintedArea or None
        Of the kind ``area``.
    is_on : bool
    adjustment : Adjustment
    """

    id: Id
    kind: Literal["part", "zone", "material", "backdrop", "product", "tones", "area"]
    target: Annotated[str, Field(max_length=130)] = ""
    area: PaintedArea | None = None
    is_on: bool = True
    adjustment: Adjustment = Adjustment()


class Finish(Frozen):
    """All of it: spots and masks first, then glare and bloom, the whole, vignette and sharpening, the colour table.

    Attributes
    ----------
    is_on : bool
    whole : Adjustment
    healed : tuple of HealedSpot
    masked : tuple of MaskedAdjustment
        One after the other, each on what the ones before have made.
    table : ColorTable or None
        Of the picture as it is shown, after all of it.
    """

    is_on: bool = True
    whole: Adjustment = Adjustment()
    healed: Annotated[tuple[HealedSpot, ...], Field(max_length=MOST_SPOTS)] = ()
    masked: Annotated[tuple[MaskedAdjustment, ...], Field(max_length=MOST_MASKED)] = ()
    bloom: float = number(0.0, 0, 1, label="Bloom", tip="Share of the light above the threshold that is spread.")
    bloom_above: float = number(
        1.0,
        0.05,
        100,
        label="Bloom above",
        tip="Brightness at which bloom and glare begin; 1 is white.",
        usual=(0.5, 10),
        log=True,
    )
    bloom_size: float = number(
        2.0, 0.1, 20, label="Bloom size", unit="%", tip="Of the picture's height.", usual=(0.3, 10), log=True
    )
    glare: float = number(
        0.0,
        0,
        1,
        label="Glare",
        tip="Share of the light above the threshold of bloom that a diaphragm spreads into rays.",
    )
    glare_rays: int = number(
        6, 2, 24, label="Glare rays", tip="As many as a diaphragm has blades; twice as many where those are odd."
    )
    glare_size: float = number(
        6.0, 0.2, 40, label="Glare size", unit="%", tip="Of the picture's height.", usual=(1, 20), log=True
    )
    vignette: float = number(0.0, -1, 1, label="Vignette", tip="Darkens the corners; below 0 lightens them.")
    table: ColorTable | None = None
    sharpening: float = number(
        0.0, 0, 2, label="Sharpening", tip="Contrast of the finest detail, at the render's size."
    )

    @property
    def changes_nothing(self) -> bool:
        """True if a picture is the same without it."""
        return not self.is_on or self.with_(is_on=True, masked=self.working) == Finish()

    def of_detail(self) -> "Finish":
        """The part of it that shows in a close-up, which has no corners of its own, is too small for bloom and glare,
        and looks through a camera that is no view's.
        """
        return self.with_(bloom=0.0, glare=0.0, vignette=0.0, healed=())

    @property
    def working(self) -> tuple[MaskedAdjustment, ...]:
        """Masked adjustments that change anything."""
        return tuple(each for each in self.masked if each.is_on and each.adjustment != Adjustment())
