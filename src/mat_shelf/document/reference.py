"""References: photographs and snapshots that the render is compared with."""

from typing import Annotated

from pydantic import Field

from mat_shelf.document.ids import Id, Name
from mat_shelf.document.image import ImageRef
from mat_shelf.document.parameter import Frozen

MOST_REFERENCES = 256
_Far = Annotated[float, Field(ge=-1000, le=1000)]


class Overlap(Frozen):
    """Turn, scale and shift of an image over the render.

    Lengths are in heights of the image and of the camera's frame, 24 mm, which a picture of any shape shows whole; from
    the middle of each, to the right and downwards.

    Attributes
    ----------
    scale : float
        Height of the image in heights of the frame.
    turn : float
        Radians, clockwise.
    right, down : float
        Middle of the image in the picture.
    """

    scale: float = Field(1.0, ge=1e-4, le=1e4)
    turn: float = Field(0.0, ge=-10, le=10)
    right: _Far = 0.0
    down: _Far = 0.0


class Reference(Frozen):
    """An image beside the render.

    Attributes
    ----------
    taken : str
        When the render was kept, as ISO 8601 has it; empty for a photograph.
    overlap : Overlap or None
        None fills the picture.
    """

    id: Id
    name: Name
    image: ImageRef
    taken: Annotated[str, Field(max_length=40)] = ""
    overlap: Overlap | None = None
