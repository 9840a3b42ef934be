"""A part of a picture that is rendered alone."""

from typing import NamedTuple

import numpy as np

from mat_shelf.rendering.camera import FRAME


def film_size(width: float, height: float) -> tuple[float, float]:
    """Width and height of the film, mm, that a picture of this shape shows.

    Parameters
    ----------
    width, height : float
        Size of the picture, in any unit.

    Returns
    -------
    (width, height) : float
    """
    across = max(FRAME[0], FRAME[1] * width / height)
    return across, across * height / width


class PictureRegion(NamedTuple):
    """A rectangle of a picture; its first pixel is at the left and the top.

    Attributes
    ----------
    x, y : int
        Pixels from the left and from the top.
    width, height : int
        Pixels, at least one.
    """

    x: int
    y: int
    width: int
    height: int

    @classmethod
    def of_film(cls, place: tuple[float, float, float, float], width: int, height: int) -> "PictureRegion":
        """The pixels of a part of the film: the same part of what is seen, whatever the picture's shape.

        Parameters
        ----------
        place : (4,) float
            Left, top, right and bottom, mm from the middle of the film.
        width, height : int
            Pixels of the picture.

        Returns
        -------
        PictureRegion
        """
        across, down = film_size(width, height)
        left, right = ((place[k] / across + 0.5) * width for k in (0, 2))
        top, bottom = ((place[k] / down + 0.5) * height for k in (1, 3))
        x, y = round(left), round(top)
        return cls(x, y, max(round(right) - x, 1), max(round(bottom) - y, 1))

    def within(self, width: int, height: int) -> "PictureRegion | None":
        """The part of it that lies in a picture of a size, in pixels; None where none does.

        Parameters
        ----------
        width, height : int
            Pixels of the picture.

        Returns
        -------
        PictureRegion or None
        """
        left, top = max(self.x, 0), max(self.y, 0)
        right, bottom = min(self.x + self.width, width), min(self.y + self.height, height)
        return PictureRegion(left, top, right - left, bottom - top) if right > left and bottom > top else None

    def slices(self, margin: int = 0) -> tuple[slice, slice]:
        """Its rows and columns, and some beyond, which may reach beyond the right and lower edge of the picture.

        Parameters
        ----------
        margin : int
            Pixels beyond on each side.

        Returns
        -------
        (rows, columns) : slice
        """
        return tuple(
            slice(max(first - margin, 0), first + length + margin)
            for first, length in ((self.y, self.height), (self.x, self.width))
        )

    def pixels(self, width: int) -> np.ndarray:
        """Numbers of its pixels in a picture of a width, in reading order.

        Parameters
        ----------
        width : int
            Pixels across.

        Returns
        -------
        (N,) int32
        """
        rows, columns = np.arange(self.y, self.y + self.height), np.arange(self.x, self.x + self.width)
        return (rows[:, None] * width + columns).ravel().astype(np.int32)
