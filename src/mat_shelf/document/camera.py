"""Cameras, and the views of a project."""

from typing import Self

from pydantic import model_validator

from mat_shelf.document.ids import Id, Name
from mat_shelf.document.parameter import Frozen, Point, number


class Camera(Frozen):
    """A full-frame camera (36 x 24 mm). `f_stop` 0 means everything is sharp.

    Attributes
    ----------
    position, target : (3,) mm
    focus : mm along the view from the camera to what is sharp; 0 focuses on the target
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

    @model_validator(mode="after")
    def _looks_somewhere(self) -> Self:
        if max(abs(p - t) for p, t in zip(self.position, self.target, strict=True)) < 1e-3:
            raise ValueError("the camera stands on the point it looks at; move one of them")
        return self


class View(Frozen):
    """A camera with a name. The first view of a project is its final one."""

    id: Id
    name: Name
    camera: Camera = Camera()
