"""Sets: lights, environment and backdrop."""

from typing import Annotated, Literal

from pydantic import Field

from mat_shelf.document.ids import Id, Name
from mat_shelf.document.image import ImageRef
from mat_shelf.document.light import Light, PartLight
from mat_shelf.document.parameter import Color, Frozen, color, number
from mat_shelf.document.prop import Prop

MOST_LIGHTS, MOST_PROPS, MOST_PART_LIGHTS = 64, 32, 256
ToneCurve = Literal["neutral", "exact", "filmic"]
"""How light is shown: see `Set.tone_curve`."""


class Backdrop(Frozen):
    """Ground that the product stands on, and what stands behind it.

    Attributes
    ----------
    form : a sweep is a floor that curves up into a wall; a box has walls on three sides
    depth : mm from the origin to the wall behind it
    material : Id or None
        The material that it wears; of its own colour, gloss and roughness where there is none.
    """

    form: Literal["sweep", "floor", "box"] = "sweep"
    material: Id | None = None
    color: Color = color((0.62, 0.61, 0.6), label="Colour", tip="Colour of the sweep that the product stands on.")
    gloss: float = number(
        0.0, 0, 1, label="Floor gloss", tip="How much the floor mirrors the product. 0 is matt paper, 1 wet acrylic."
    )
    roughness: float = number(
        0.35, 0, 1, label="Roughness", tip="How blurred what the floor mirrors is. Low values need some gloss to show."
    )
    width: float = number(
        2400.0, 1, 1e5, label="Width", unit="mm", tip="From side to side.", usual=(200, 5000), log=True
    )
    depth: float = number(
        420.0, 1, 1e5, label="Wall distance", unit="mm", tip="Behind the product's middle.", usual=(50, 3000), log=True
    )
    height: float = number(
        900.0, 1, 1e5, label="Wall height", unit="mm", tip="Above the floor.", usual=(100, 5000), log=True
    )
    radius: float = number(
        220.0, 1, 1e5, label="Bend", unit="mm", tip="Radius between floor and wall.", usual=(10, 1000), log=True
    )


class Plate(Frozen):
    """A photograph, or colours, behind the product. Floor and walls are those of the backdrop: they show shadows and
    reflections on it, and nothing of their own.

    Attributes
    ----------
    image : ImageRef or None
        The photograph; without one `lower` runs to `upper` above, each shown as it is.
    is_surround : bool
        What surrounds the set instead of both, its lower half laid onto the floor as it was seen from `eye` mm above.
    """

    image: ImageRef | None = None
    lower: Color = color((0.72, 0.72, 0.72), label="Lower colour", tip="At the lower edge of the picture.")
    upper: Color = color((0.72, 0.72, 0.72), label="Upper colour", tip="At the upper edge of the picture.")
    is_surround: bool = False
    eye: float = number(
        1500.0,
        10,
        100_000,
        label="Height of view",
        unit="mm",
        tip="Of the camera that took the surround, over the floor. Lower values make what lies on the floor smaller.",
        usual=(100, 2000),
        log=True,
    )
    exposure: float = number(
        0.0, -6, 6, label="Plate exposure", unit="stops", tip="Of the photograph alone.", usual=(-3, 3)
    )


class Sky(Frozen):
    """A clear sky with its sun, or an overcast one, in place of the room.

    Attributes
    ----------
    height, azimuth : degrees, of the sun: above the horizon, and from the front to the right
    haze : turbidity, from 2 for the clearest air to 10 for haze
    floor : colour of what lies below the horizon
    """

    height: float = number(35.0, 0.5, 90, label="Sun height", unit="°", tip="Of the sun above the horizon.")
    azimuth: float = number(
        50.0,
        -180,
        180,
        label="Sun azimuth",
        unit="°",
        tip="From the front to the right.",
    )
    haze: float = number(3.0, 2, 10, label="Haze", tip="2 is the clearest air; haze whitens the sky and dims the sun.")
    strength: float = number(
        0.0,
        -20,
        20,
        label="Strength",
        unit="stops",
        tip="At 0 it is as bright as outdoors, some hundred times brighter than a studio: set the exposure for it.",
        usual=(-10, 2),
    )
    floor: Color = color((0.2, 0.2, 0.2), label="Ground", tip="Colour of what lies below the horizon.")
    is_overcast: bool = Field(False, title="Overcast", description="A closed grey sky, brightest above.")
    has_sun: bool = Field(True, title="Sun", description="Off, only the sky shines, as in the shade.")


class Set(Frozen):
    """Lights and backdrop together.

    Attributes
    ----------
    part_lights : tuple of PartLight
        Parts that glow otherwise in this set than their materials say.
    room : ImageRef or None
        A latitude-longitude picture of the room, in place of its plain luminance above and below.
    straight_light : bool
        Whether light goes straight through clear glass in the wall's pictures.
    sky : Sky or None
        In place of the room, if there is one.
    """

    id: Id
    name: Name
    lights: Annotated[tuple[Light, ...], Field(max_length=MOST_LIGHTS)] = ()
    part_lights: Annotated[tuple[PartLight, ...], Field(max_length=MOST_PART_LIGHTS)] = ()
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
    room_tilt: float = number(
        0.0, -90, 90, label="Tilt", unit="°", tip="Of the environment: what lies in front of the product comes up."
    )
    room_blur: float = number(
        0.0,
        0,
        60,
        label="Blur",
        unit="°",
        zero="none",
        tip="Softens the environment, so that it lights without being seen sharply in reflections.",
        usual=(0, 30),
    )
    room_most: float = number(
        0.0,
        0,
        1e6,
        label="Clip above",
        zero="off",
        tip="Brightest value of the environment image that counts. A low one takes the sun out of it.",
        usual=(0, 100),
    )
    sky: Sky | None = None
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
    keeps_apart: bool = Field(
        False,
        title="Keep lights apart",
        description="Brightness, colour and switches of lights, and the environment's brightness, then change without "
        "a new render. It takes 24 bytes a pixel for each light.",
    )
    straight_light: bool = Field(
        False,
        title="Straight light through glass (no caustics)",
        description="Glass clears up sooner while you work, but is less true: caustics are missing, shadows of glass "
        "too even. Renders leave it off unless you ask.",
    )
    tone_curve: ToneCurve = Field(
        "neutral",
        title="Tone curve",
        description="Neutral takes up to 0.04 off each channel: renders gain depth, matt colours come out a little "
        "deeper. Exact shows every colour up to four fifths of white as it is, to match a brand colour. Filmic has "
        "more contrast, and bright colours fade towards white.",
    )
    backdrop: Backdrop | None = Backdrop()
    plate: Plate | None = None
    props: Annotated[tuple[Prop, ...], Field(max_length=MOST_PROPS)] = ()
