"""Things put in vessels and on surfaces: a fill of liquid, bubbles in it, and beads."""

from typing import Annotated, Literal

from pydantic import Field

from mat_shelf.document.ids import Id
from mat_shelf.document.parameter import Frozen, Point, number

MOST_VESSELS, MOST_STACKED = 16, 4
FARTHEST = 5000.0
"""mm, of a stream's ends."""
MEASURES: dict[str, str] = {
    "volume": "By volume",
    "headspace": "By headspace",
    "share": "By share",
    "overfill": "Above the brim",
}
"""Values that can say how full a vessel is: the field, and the words for it."""


class Fill(Frozen):
    """Liquid that stands in a vessel.

    Attributes
    ----------
    vessel : tuple of Id
        Parts that hold it together, as one vessel.
    near : (3,) mm or None
        Place in the frame of the first of them, by which one of several cavities is meant; the largest where None.
    measure : str
        Which of its values says how full the vessel is.
    over : Id or None
        The liquid of the same vessel that it lies on; it stands as that does, whatever its own cavity and tilt say.
    """

    vessel: Annotated[tuple[Id, ...], Field(min_length=1, max_length=MOST_VESSELS)]
    near: Point | None = None
    measure: Literal["volume", "headspace", "share", "overfill"] = "share"
    over: Id | None = None
    volume: float = number(
        50.0,
        1e-4,
        1e7,
        label="Volume",
        unit="ml",
        tip="Volume of the liquid; it is kept when the vessel is tilted.",
        usual=(1, 2000),
        log=True,
    )
    headspace: float = number(
        10.0,
        0.0,
        1e5,
        label="Headspace",
        unit="mm",
        tip="Height from the liquid's level up to where it would run out.",
        usual=(0, 60),
    )
    share: float = number(75.0, 0.01, 100.0, label="Share", unit="%", tip="Volume, of what the vessel holds when full.")
    overfill: float = number(
        1.0,
        0.0,
        6.0,
        label="Above the brim",
        unit="mm",
        tip="Height to which it stands above the brim, held by its surface tension: up to 3 mm of water.",
        usual=(0, 3),
    )
    tilt: float = number(
        0.0,
        0.0,
        180.0,
        label="Tilt",
        unit="°",
        tip="Tips gravity over, as if the picture were taken on a slope.",
        usual=(0, 60),
    )
    direction: float = number(
        0.0,
        -180.0,
        180.0,
        label="Direction",
        unit="°",
        tip="The side it is tipped to, about the upright axis; 0 is the right.",
    )
    contact_angle: float = number(
        20.0,
        0.0,
        180.0,
        label="Contact angle",
        unit="°",
        tip="Between surface and wall, in the liquid. Water on clean glass under 20, on plastic 70 to 90, on wax 105.",
        usual=(0, 120),
    )
    tension: float = number(
        72.8,
        0.0,
        1000.0,
        label="Surface tension",
        unit="mN/m",
        tip="Water 72.8, ethanol 22.4, olive oil 32, ink about 45.",
        usual=(15, 80),
    )
    density: float = number(
        0.998, 0.05, 25.0, label="Density", unit="g/cm³", tip="Water 1, oil 0.91, honey 1.42.", usual=(0.7, 1.5)
    )
    ripples: float = number(
        0.0,
        0.0,
        20.0,
        label="Ripples",
        unit="mm",
        tip="Height of faint waves on its surface.",
        usual=(0, 1),
        zero="none",
    )
    seed: int = number(1, 0, 99999, label="Seed", tip="Another number lays the waves out anew.")


class _Strewn(Frozen):
    """Values that drops and bubbles have in common."""

    spread: float = number(
        40.0, 0.0, 120.0, label="Spread", unit="%", tip="Standard deviation of their sizes; about 40 in life."
    )
    patches: float = number(
        0.4, 0.0, 1.0, label="Patches", tip="How unevenly they gather: 0 is all over, 1 in patches alone."
    )
    patch_size: float = number(
        14.0, 0.1, 1000.0, label="Patch size", unit="mm", tip="Width of the patches.", usual=(2, 60), log=True
    )
    seed: int = number(1, 0, 99999, label="Seed", tip="Another number strews them anew.")


class Beads(_Strewn):
    """Drops on the surface of a part.

    Attributes
    ----------
    host : Id
        The part that they lie on.
    zone : Id or None
        The zone of it that they are confined to; all of it where None.
    side : str
        Which of its faces: those that no liquid in it can wet, those that one can, or all.
    faces : str
        Which way its faces look.
    """

    host: Id
    zone: Id | None = None
    side: Literal["outside", "inside", "both"] = Field(
        "outside", title="Side", description="The outside of a vessel, the inside of its cavities, or both."
    )
    faces: Literal["all", "up", "sides", "down"] = Field(
        "all", title="Faces", description="All, or those that look up, to the sides, or down."
    )
    density: float = number(
        30.0,
        0.0,
        5000.0,
        label="Density",
        unit="/cm²",
        tip="Number of drops on each square centimetre.",
        usual=(1, 400),
        log=True,
    )
    size: float = number(
        0.9, 0.01, 30.0, label="Size", unit="mm", tip="Mean width of the drops.", usual=(0.1, 5), log=True
    )
    contact_angle: float = number(
        65.0,
        5.0,
        150.0,
        label="Contact angle",
        unit="°",
        tip="At the foot of a drop: flat ones under 30, round ones over 90. On glass about 40, on wax 100.",
        usual=(15, 120),
    )
    spacing: float = number(
        1.1,
        0.5,
        10.0,
        label="Spacing",
        tip="Least distance of two drops, in their mean widths; below 1 they run together.",
        usual=(0.5, 3),
    )
    from_marks: float = number(
        1.0,
        0.0,
        100.0,
        label="From marks",
        unit="mm",
        tip="Distance from labels and prints; drops lie on them too where it is 0.",
        usual=(0, 10),
        zero="on them too",
    )
    runs: int = number(
        0,
        0,
        500,
        label="Runs",
        tip="Drops that ran down, sweeping a way clear, with small ones left on it.",
        usual=(0, 60),
        zero="none",
    )
    run_length: float = number(
        22.0, 0.5, 2000.0, label="Run length", unit="mm", tip="Mean length of their ways.", usual=(5, 100), log=True
    )
    sag: float = number(
        1.0, 0.0, 3.0, label="Sag", tip="How far their weight pulls drops on a slope down: 1 as water, 0 not at all."
    )


class Bubbles(_Strewn):
    """Air in a liquid: rising in it, clinging to its wall, and round the edge of its surface.

    Attributes
    ----------
    liquid : Id
        The part that is the liquid.
    """

    liquid: Id
    density: float = number(
        6.0,
        0.0,
        5000.0,
        label="In the body",
        unit="/ml",
        tip="Number of bubbles in each millilitre.",
        usual=(0, 100),
        zero="none",
    )
    wall: float = number(
        3.0,
        0.0,
        2000.0,
        label="At the wall",
        unit="/cm²",
        tip="Number of bubbles that cling to each square centimetre of the wall.",
        usual=(0, 50),
        zero="none",
    )
    edge: float = number(
        8.0,
        0.0,
        200.0,
        label="At the edge",
        unit="/cm",
        tip="Number of bubbles on each centimetre of the edge, where they gather.",
        usual=(0, 30),
        zero="none",
    )
    trails: int = number(
        0, 0, 500, label="Trails", tip="Places on the bottom from which bubbles rise one behind the other.", zero="none"
    )
    size: float = number(
        0.6, 0.01, 30.0, label="Size", unit="mm", tip="Mean width of the bubbles.", usual=(0.1, 4), log=True
    )


class Foam(_Strewn):
    """A head of foam on a liquid: bubbles of thin film, packed.

    Attributes
    ----------
    liquid : Id
        The part that is the liquid.
    """

    liquid: Id
    thickness: float = number(
        4.0,
        0.05,
        1000.0,
        label="Thickness",
        unit="mm",
        tip="Height of the head. Of the size of its bubbles it is a raft of them, one beside the other.",
        usual=(0.3, 40),
        log=True,
    )
    size: float = number(
        1.2, 0.05, 30.0, label="Size", unit="mm", tip="Mean width of its bubbles.", usual=(0.2, 6), log=True
    )


class Stream(Frozen):
    """A stream that is poured onto a liquid; where it begins and lands is told from the middle of its surface.

    Attributes
    ----------
    liquid : Id
        The part that is the liquid.
    """

    liquid: Id
    height: float = number(
        90.0,
        0.5,
        FARTHEST,
        label="Height",
        unit="mm",
        tip="From the liquid's surface up to where the stream begins.",
        usual=(10, 300),
        log=True,
    )
    aside: float = number(
        16.0,
        0.0,
        FARTHEST,
        label="Aside",
        unit="mm",
        tip="How far beside the place where it lands the stream begins: then it falls in a curve.",
        usual=(0, 150),
    )
    direction: float = number(
        0.0,
        -180.0,
        180.0,
        label="Direction",
        unit="°",
        tip="The side it begins on, about the upright axis; 0 is the right.",
    )
    across: float = number(
        0.0,
        -FARTHEST,
        FARTHEST,
        label="Lands right",
        unit="mm",
        tip="Where it lands, to the right of the middle; below 0 to the left.",
        usual=(-40, 40),
    )
    ahead: float = number(
        0.0,
        -FARTHEST,
        FARTHEST,
        label="Lands ahead",
        unit="mm",
        tip="Where it lands, in front of the middle; below 0 behind it.",
        usual=(-40, 40),
    )
    width: float = number(
        4.0, 0.2, 200.0, label="Width", unit="mm", tip="Where it begins; it thins as it falls.", usual=(1, 15), log=True
    )
    speed: float = number(
        0.3,
        0.01,
        20.0,
        label="Speed",
        unit="m/s",
        tip="Downwards, where it begins. The slower it is, the more it thins.",
        usual=(0.05, 2),
        log=True,
    )
    uneven: float = number(
        0.3, 0.0, 1.0, label="Uneven", tip="How much it swells and is twisted, more and more on its way."
    )
    rings: float = number(
        0.3,
        0.0,
        20.0,
        label="Rings",
        unit="mm",
        tip="Height of the waves round where it lands.",
        usual=(0, 1.5),
        zero="none",
    )
    ring_width: float = number(
        5.0, 0.5, 200.0, label="Ring width", unit="mm", tip="From one wave to the next.", usual=(2, 20), log=True
    )
    seed: int = number(1, 0, 99999, label="Seed", tip="Another number makes it uneven in another way.")
