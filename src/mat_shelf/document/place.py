"""Places told by angles and a distance."""

from mat_shelf.document.parameter import Frozen, number


class Place(Frozen):
    """Position of a light or a camera, from what it faces."""

    azimuth: float = number(
        0.0, -180, 180, label="Azimuth", unit="°", tip="About what it faces: 0 is in front of it, 90 on its right."
    )
    height: float = number(
        0.0, -90, 90, label="Height angle", unit="°", tip="Above what it faces; at 90 it stands over it."
    )
    distance: float = number(
        500.0, 5, 1e5, label="Distance", unit="mm", tip="From what it faces.", usual=(50, 5000), log=True
    )
