"""Marks: what is put on a surface. Labels, prints, foil, stamps and glowing screens."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from mat_shelf.document.ids import Id, Name
from mat_shelf.document.image import ImageRef
from mat_shelf.document.parameter import Frozen, Point, number
from mat_shelf.document.recipe import Recipe

Kind = Literal["label", "print", "foil", "stamp", "screen"]
Turn = Annotated[float, Field(ge=-2, le=2, allow_inf_nan=False)]
Share = Annotated[float, Field(ge=-20, lt=1, allow_inf_nan=False)]


MOST_FRAMES = 120


class Clip(Frozen):
    """Artwork that moves, over and over.

    Attributes
    ----------
    frames : tuple of ImageRef
        Evenly over its length.
    seconds : float
        Its length.
    """

    frames: Annotated[tuple[ImageRef, ...], Field(min_length=2, max_length=MOST_FRAMES)]
    seconds: float = Field(ge=0.02, le=3600, allow_inf_nan=False)

    def at(self, seconds: float) -> ImageRef:
        """The frame at a time, in seconds from its beginning."""
        return self.frames[int(seconds / self.seconds * len(self.frames) + 1e-6) % len(self.frames)]


class Mark(Frozen):
    """A piece of art on a part's surface, at its true size, with a material of its own.

    Attributes
    ----------
    part : id
        What it is on; a part that is gone leaves it without a place, and it is kept.
    point, facing : (3,) mm and unit vector
        Its middle, and the side of the surface it is on, in the part's own frame.
    way : str
        How it lies: along the surface, or flat as projected straight on.
    seen : str
        From which side of the surface it is seen: that of `facing`, the other one through a clear body, or both.
    crop : (4,) float
        Shares of the art that are taken off at its left, right, top and bottom; below 0 clear ground is put on.
    art : ImageRef or None
        Its alpha says where there is anything. Of foil and stamps without alpha the dark places count.
    clip : Clip or None
        Of a screen, what runs on it while the product turns; else the art is seen, its first frame.
    back : ImageRef or None
        What a label shows on its other side, read from there.
    recipe : Recipe
        Its material; the art gives it its colour, but for foil and stamps.
    backing : float
        How much of the sheet of a label is there where the art is clear.
    """

    id: Id
    name: Name
    kind: Kind = "label"
    part: Id
    point: Point
    facing: tuple[Turn, Turn, Turn]
    way: Literal["along", "flat"] = Field(
        "along", title="Projection", description="Conform: along the surface, as paper. Flat: projected straight on."
    )
    width: float = number(
        30.0, 0.1, 5000, label="Width", unit="mm", tip="True size along the surface.", usual=(1, 200), log=True
    )
    height: float = number(
        20.0, 0.1, 5000, label="Height", unit="mm", tip="True size along the surface.", usual=(1, 200), log=True
    )
    turn: float = number(0.0, -180, 180, label="Rotation", unit="°", tip="Anticlockwise, seen square-on.")
    is_mirrored: bool = Field(
        False, title="Mirrored", description="For print on the inside of glass, to be read from outside."
    )
    seen: Literal["outside", "inside", "both"] = Field(
        "both", title="Visible from", description="Front: the side it is on. Back: the inside of a clear body."
    )
    art: ImageRef | None = None
    crop: tuple[Share, Share, Share, Share] = (0.0, 0.0, 0.0, 0.0)
    clip: Clip | None = None
    back: ImageRef | None = None
    recipe: Recipe = Recipe(base_color=(1.0, 1.0, 1.0), specular_roughness=0.45)
    backing: float = number(
        0.0,
        0,
        1,
        label="Backing opacity",
        tip="Opacity where the artwork is clear: none 0, a clear sticker 0.25, paper 1.",
    )
    thickness: float = number(
        0.08,
        0,
        5,
        label="Thickness",
        unit="mm",
        tip="Shows at the edge of the label. Paper 0.08 to 0.2.",
        usual=(0, 0.5),
    )
    rise: float = number(
        0.4, -10, 10, label="Stamp height", unit="mm", tip="Above 0 raised, below 0 sunk.", usual=(-1, 1)
    )
    slope: float = number(
        0.6,
        0.01,
        50,
        label="Edge width",
        unit="mm",
        tip="Width over which the edge rises; wide in moulded glass.",
        usual=(0.05, 3),
    )
    profile: Literal["straight", "round", "flat-topped"] = Field(
        "flat-topped", title="Edge profile", description="Shape of the edge: smooth at both ends, straight, or round."
    )
    is_displaced: bool = Field(
        False, title="Relief", description="Bump changes the shading only; true relief displaces the surface itself."
    )
    luminance: float = number(
        120.0,
        0,
        100_000,
        label="Luminance",
        unit="cd/m²",
        tip="Luminance of the artwork's white. Far dimmer than one first sets: figures behind glass 80 to 200.",
        usual=(0, 800),
    )
    black: float = number(
        0.0, 0, 0.2, label="Black level", tip="Light where the artwork is black, as a share of its white."
    )
    is_on: bool = True

    @model_validator(mode="after")
    def _has_a_side(self) -> "Mark":
        if not sum(x * x for x in self.facing) > 1e-6:
            raise ValueError(f"mark '{self.name}' has no facing direction")
        left, right, top, bottom = self.crop
        if left + right > 0.999 or top + bottom > 0.999:
            raise ValueError(f"nothing of the artwork of mark '{self.name}' is left")
        return self

    def pictures(self) -> list[ImageRef]:
        """Every picture that it shows."""
        own = [picture for picture in (self.art, self.back) if picture is not None]
        return own + list(self.clip.frames if self.clip is not None else ()) + self.recipe.pictures()
