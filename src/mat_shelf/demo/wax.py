"""Sealing wax and the seal that is pressed into it. Millimetres."""

from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.solids import box, lathe, rounded

STICK = (84.0, 11.0, 11.0)
FACE_HEIGHT = 7.0


def stick(length: float = STICK[0]) -> Mesh:
    """A moulded stick, lying down; a shorter one has been used."""
    return box((length, *STICK[1:]), 1.7, steps=12)


def seal() -> Mesh:
    """The stone handle: a waist for the fingers and a round head."""
    return lathe(
        rounded(
            [
                (0, FACE_HEIGHT + 0.05),
                (11.4, FACE_HEIGHT + 0.05),
                (11.4, 15),
                (6.2, 27),
                (7.2, 44),
                (12.8, 55),
                (9.5, 65),
                (0, 67),
            ],
            [0, 0.6, 3, 16, 20, 7, 4, 0],
            14,
        ),
        segments=160,
    )


def seal_face() -> Mesh:
    """The brass foot that carries the engraving."""
    grooves = [(12.0, 2.4), (11.5, 2.7), (11.5, 3.3), (12.0, 3.6)]
    return lathe(
        rounded(
            [(0, 0), (12.0, 0), *grooves, (12.0, FACE_HEIGHT), (0, FACE_HEIGHT)],
            [0, 0.5, 0.15, 0.2, 0.2, 0.15, 0.6, 0],
            6,
        ),
        segments=192,
    )
