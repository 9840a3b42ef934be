"""Cameras, and the views of a project."""

from typing import Annotated, Self

from pydantic import Field, model_validator

from mat_shelf.document.ids import Id, Name
from mat_shelf.document.parameter import Frozen, Point, number

MOST_HIDDEN = 20_000


class Camera(Frozen):
    """A camera whose lens is told as for full frame (36 x 24 mm). `f_stop` 0 means everything is sharp.

    Attributes
    ----------
    position, target : (3,) mm
    focus : mm along the view from the camera to what is sharp; 0 focuses on the target
    is_parallel : its rays run parallel; the target's plane is seen as large as through the lens
    keeps_verticals : it is held level and shifts its picture until the target is in the middle
    white : kelvin, of the light that is shown white; white_tint as `Light.tint` has it
    """

    position: Point = (0.0, 150.0, 600.0)
    target: Point = (0.0, 30.0, 0.0)
    focal_length: float = number(
        105.0,
        10,
        800,
        label="Focal length",
        unit="mm",
        tip="Full frame. Products look calm at 85 to 135 mm; short lenses stretch what is near.",
        usual=(24, 300),
        log=True,
    )
    f_stop: float = number(
        0.0,
        0,
        64,
        label="f-stop",
        zero="off",
        tip="Low values blur what is out of focus; off keeps all sharp. Usually 8 to 22.",
        usual=(0, 32),
    )
    focus: float = number(
        0.0,
        0,
        10_000_000,
        label="Focus",
        unit="mm",
        zero="target",
        tip="Distance from the camera to what is sharp; 0 focuses on the point it looks at.",
        usual=(0, 2000),
    )

    roll: float = number(
        0.0, -180, 180, label="Roll", unit="°", tip="About the line of sight; the picture turns the other way."
    )
    is_parallel: bool = Field(
        False,
        title="Parallel projection",
        description="Without perspective: what is near is as large as what is far, for square views.",
    )
    keeps_verticals: bool = Field(
        False,
        title="Straight verticals",
        description="Holds the camera level and shifts the lens instead, so that upright edges stay parallel.",
    )
    shift: float = number(
        0.0,
        -100,
        100,
        label="Lens shift",
        unit="mm",
        tip="Moves the picture up on the sensor without tilting the camera. Shift lenses reach 12 mm.",
        usual=(-12, 12),
    )
    sensor: float = number(
        36.0,
        4,
        120,
        label="Sensor width",
        unit="mm",
        tip="Of the real camera; the lens stays as for full frame. A smaller sensor blurs less at the same f-stop.",
        usual=(6, 54),
    )
    blades: int = number(
        0, 0, 15, label="Blades", zero="round", tip="Of the diaphragm: blurred highlights have as many corners."
    )
    roundness: float = number(0.0, 0, 1, label="Roundness", tip="How far the blades are bowed; 1 is a full circle.")
    white: float = number(
        6504.0,
        1500,
        20000,
        label="White balance",
        unit="K",
        tip="Temperature of the light that is shown white; lower values cool the picture.",
        usual=(2500, 10_000),
    )
    white_tint: float = number(
        0.0, -1, 1, label="White tint", tip="Of the light that is shown white: green below 0, magenta above."
    )

    @model_validator(mode="after")
    def _looks_somewhere(self) -> Self:
        if max(abs(p - t) for p, t in zip(self.position, self.target, strict=True)) < 1e-3:
            raise ValueError("the camera stands on the point it looks at; move one of them")
        return self


class View(Frozen):
    """A camera with a name. The first view of a project is its final one. A locked one keeps its camera.

    Attributes
    ----------
    hides : tuple of Id
        Parts that are not seen in it, beside those that are hidden everywhere. Those that are gone count for nothing,
        since the next version of a model may bring them back.
    """

    id: Id
    name: Name
    camera: Camera = Camera()
    is_locked: bool = False
    hides: Annotated[tuple[Id, ...], Field(max_length=MOST_HIDDEN)] = ()
