"""Retouching of the pictures of one view: areas painted over them, and spots healed."""

from typing import Annotated

from pydantic import Field

from mat_shelf.document.ids import Id
from mat_shelf.document.parameter import Frozen, number

MOST_STROKES, MOST_POINTS, MOST_SPOTS = 200, 2000, 200
_Mm = Annotated[float, Field(ge=-1000, le=1000, allow_inf_nan=False)]
Place = tuple[_Mm, _Mm]
"""mm on the film from its middle, to the right and downwards: the same place in a picture of any size and shape."""


class AreaBrush(Frozen):
    """Brush that an area is painted with."""

    width: float = number(
        2.0, 0.05, 50.0, label="Width", unit="mm", tip="Of the brush, on film 36 mm wide.", usual=(0.2, 12), log=True
    )
    softness: float = number(0.5, 0.0, 1.0, label="Softness", tip="How gradually the area ends.")


class AreaStroke(Frozen):
    """One stroke.

    Attributes
    ----------
    points : tuple of (x, y)
        mm on the film.
    erases : bool
        Whether it takes away from those before.
    """

    points: Annotated[tuple[Place, ...], Field(min_length=1, max_length=MOST_POINTS)]
    brush: AreaBrush = AreaBrush()
    erases: bool = False


class PaintedArea(Frozen):
    """A part of the picture through one view, painted by hand.

    Attributes
    ----------
    view : Id
        In others it is not there.
    strokes : tuple of AreaStroke
        One after the other.
    """

    view: Id
    strokes: Annotated[tuple[AreaStroke, ...], Field(max_length=MOST_STROKES)] = ()


class HealedSpot(Frozen):
    """A disc of the picture through one view that is filled from its surroundings.

    Attributes
    ----------
    view : Id
        In others it is not there.
    place : (x, y)
        Its middle, mm on the film.
    radius : float
        mm on the film.
    """

    view: Id
    place: Place
    radius: Annotated[float, Field(ge=0.02, le=10, allow_inf_nan=False)]
