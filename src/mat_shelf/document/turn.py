"""Turns of a product, and moves of the camera from one view to another."""

from typing import Annotated, Literal

from pydantic import Field

from mat_shelf.document.ids import Id
from mat_shelf.document.parameter import Frozen

Going = Literal["product", "camera", "lights", "view"]
GOING: dict[Going, str] = {
    "product": "Product goes round",
    "camera": "Camera goes round",
    "lights": "Lights go round",
    "view": "Camera goes to a view",
}
FEWEST_FRAMES, MOST_FRAMES = 2, 3600
MOST_DEGREES = 3600.0
LEAST_SECONDS, MOST_SECONDS = 0.1, 3600.0


class Turn(Frozen):
    """A turn about the upright axis through the product's middle, or a move of the camera to another view.

    Attributes
    ----------
    going : str
        What goes round: product, camera or lights; or ``view`` where the camera moves.
    frames : int
        Pictures; of a whole turn the last one is a step before the first.
    seconds : float
        Length of the film.
    degrees : float
        Angle of the whole turn; below 0 the other way round.
    is_eased : bool
        Whether it starts and ends slowly, where it is no whole turn.
    to : Id or None
        The view that the camera moves to. It may be one that is no longer in the project.
    """

    going: Going = "product"
    frames: Annotated[int, Field(ge=FEWEST_FRAMES, le=MOST_FRAMES)] = 36
    seconds: float = Field(6.0, ge=LEAST_SECONDS, le=MOST_SECONDS, allow_inf_nan=False)
    degrees: float = Field(360.0, ge=-MOST_DEGREES, le=MOST_DEGREES, allow_inf_nan=False)
    is_eased: bool = False
    to: Id | None = None

    @property
    def is_whole(self) -> bool:
        """True if it ends where it began."""
        return self.going != "view" and abs(self.degrees) % 360 == 0

    @property
    def rate(self) -> float:
        """Frames a second."""
        return self.frames / self.seconds

    def angle(self, frame: int) -> float:
        """Angle of a frame, from 0, degrees."""
        return self.degrees * self.share(frame)

    def share(self, frame: int) -> float:
        """Share of the way that a frame, from 0, has gone."""
        steps = self.frames if self.is_whole else max(self.frames - 1, 1)
        share = frame / steps
        if self.is_eased and not self.is_whole:
            share = share * share * (3 - 2 * share)
        return share
