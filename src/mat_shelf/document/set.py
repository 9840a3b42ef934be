"""Sets: softboxes, environment and backdrop."""

from typing import Annotated, Self

from pydantic import Field, model_validator

from mat_shelf.document.ids import Id, Name
from mat_shelf.document.image import ImageRef
from mat_shelf.document.parameter import Color, Frozen, Point, color, number

MOST_LIGHTS = 64


class Softbox(Frozen):
    """A rectangular light. Without roll its width runs horizontally; it faces `target`.

    Attributes
    ----------
    position, target : (3,) mm
    width, height : mm
    luminance : cd/m2
    temperature : kelvin, of a black body
    """

    name: Name = "Softbox"
    is_on: bool = True
    position: Point
    target: Point = (0.0, 0.0, 0.0)
    width: float = number(
        400.0, 0.01, 1e6, label="Width", unit="mm", tip="Runs horizontally.", usual=(10, 2000), log=True
    )
    height: float = number(
        400.0, 0.01, 1e6, label="Height", unit="mm", tip="At right angles to its width.", usual=(10, 2000), log=True
    )
    luminance: float = number(
        4000.0,
        0,
        1e7,
        label="Luminance",
        unit="cd/m²",
        tip="How bright its face is. A larger light of the same luminance gives more light.",
        usual=(100, 100_000),
        log=True,
    )
    temperature: float = number(
        5600.0, 1500, 20000, label="Temperature", unit="K", tip="3000 is warm, 6500 daylight.", usual=(2000, 10_000)
    )
    roll: float = number(
        0.0, -180, 180, label="Roll", unit="°", tip="About its own axis, anticlockwise as seen from what it faces."
    )

    @model_validator(mode="after")
    def _faces_somewhere(self) -> Self:
        if max(abs(p - t) for p, t in zip(self.position, self.target, strict=True)) < 1e-3:
            raise ValueError("a light stands on the point that it faces and would give no light; move one of them")
        return self


class Backdrop(Frozen):
    """A sweep: a floor that curves up into a wall. `depth` is how far behind the origin the wall stands, mm."""

    color: Color = color((0.62, 0.61, 0.6), label="Colour", tip="Colour of the sweep that the product stands on.")
    gloss: float = number(
        0.0, 0, 1, label="Floor gloss", tip="How much the floor mirrors the product. 0 is matt paper, 1 wet acrylic."
    )
    width: float = Field(2400.0, gt=0, le=1e5)
    depth: float = Field(420.0, gt=0, le=1e5)
    height: float = Field(900.0, gt=0, le=1e5)
    radius: float = Field(220.0, gt=0, le=1e5)


class Set(Frozen):
    """Lights and backdrop together.

    Attributes
    ----------
    room : ImageRef or None
        A latitude-longitude picture of the room, in place of its plain luminance above and below.
    straight_light : bool
        Whether light goes straight through clear glass in the wall's pictures.
    """

    id: Id
    name: Name
    softboxes: Annotated[tuple[Softbox, ...], Field(max_length=MOST_LIGHTS)] = ()
    surround: float = number(
        250.0,
        0,
        1_000_000,
        label="Ambient above",
        unit="cd/m²",
        tip="Luminance above the horizon. It fills shadows and shows in reflections.",
        usual=(0, 2000),
    )
    ground: float = number(
        80.0,
        0,
        1_000_000,
        label="Ambient below",
        unit="cd/m²",
        tip="Luminance below the horizon.",
        usual=(0, 2000),
    )
    room: ImageRef | None = None
    room_luminance: float = number(
        1000.0,
        0,
        1_000_000,
        label="Environment",
        unit="cd/m²",
        tip="Luminance of a value of 1 in the environment image. It brightens or darkens all of it.",
        usual=(10, 10_000),
        log=True,
    )
    turn: float = number(
        0.0, -180, 180, label="Rotation", unit="°", tip="Rotates all lights about the product; the camera stays."
    )
    exposure: float = number(
        0.0,
        -12,
        12,
        label="Exposure",
        unit="stops",
        tip="One stop doubles the light. At 0, 1000 cd/m² is the brightest that is shown.",
        usual=(-4, 4),
    )
    straight_light: bool = Field(
        False,
        title="Straight light through glass (no caustics)",
        description="Glass clears up sooner while you work, but is less true: caustics are missing, shadows of glass "
        "too even. Renders leave it off unless you ask.",
    )
    exact_colors: bool = Field(
        False,
        title="Exact colours",
        description="Shows every colour up to four fifths of white as it is, to match a brand colour. The usual curve "
        "takes up to 0.04 off each channel: renders gain depth, and matt colours come out a little deeper.",
    )
    backdrop: Backdrop | None = Backdrop()
