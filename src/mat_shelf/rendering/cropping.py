"""Finished pictures cropped, and the product put in their middle."""

import numpy as np

from mat_shelf.document.project import Project
from mat_shelf.document.shot import Crop
from mat_shelf.rendering.final_render import Rendered
from mat_shelf.rendering.first_hit import find_first_hits
from mat_shelf.rendering.region import PictureRegion


def crop_region(crop: Crop, project: Project, rendered: Rendered) -> PictureRegion:
    """The part of a picture that is kept; it may reach beyond the picture.

    Parameters
    ----------
    crop : Crop
        What is asked for.
    project : Project
        The project, with its view in use.
    rendered : Rendered
        A render of it.

    Returns
    -------
    PictureRegion
        All of the picture, where no product is seen.
    """
    width, height = rendered.film.width, rendered.film.height
    if crop.place is not None:
        return PictureRegion.of_film(crop.place, width, height)
    geometry, camera = rendered.task.geometry, project.view.camera
    seen = find_first_hits(project, geometry, camera, width, height).part >= 0
    return region_round(seen, crop.margin, crop.keeps_shape)


def region_round(seen: np.ndarray, margin: float, keeps_shape: bool) -> PictureRegion:
    """The rectangle round some pixels, which lie in its middle.

    Parameters
    ----------
    seen : (H, W) bool
        The pixels.
    margin : float
        Room on each side, as a share of the longer side of what they take.
    keeps_shape : bool
        Whether it is made as much wider or higher as it must be for the shape of the whole.

    Returns
    -------
    PictureRegion
        It may reach beyond the picture; all of it where there is no pixel.
    """
    height, width = seen.shape
    rows, columns = np.nonzero(seen.any(axis=1))[0], np.nonzero(seen.any(axis=0))[0]
    if not len(rows):
        return PictureRegion(0, 0, width, height)
    top, bottom, left, right = rows[0], rows[-1] + 1, columns[0], columns[-1] + 1
    room = round(margin * max(bottom - top, right - left))
    across, down = int(right - left) + 2 * room, int(bottom - top) + 2 * room
    if keeps_shape:
        across, down = max(across, round(down * width / height)), max(down, round(across * height / width))
    return PictureRegion(round((left + right - across) / 2), round((top + bottom - down) / 2), across, down)


def moved_inside(region: PictureRegion, width: int, height: int) -> PictureRegion:
    """A part of a picture as near to another one as it can be without reaching beyond the picture.

    Parameters
    ----------
    region : PictureRegion
        The other one.
    width, height : int
        Pixels of the picture.

    Returns
    -------
    PictureRegion
        No larger than the picture.
    """
    across, down = min(region.width, width), min(region.height, height)
    middle = region.x + (region.width - across) // 2, region.y + (region.height - down) // 2
    return PictureRegion(min(max(middle[0], 0), width - across), min(max(middle[1], 0), height - down), across, down)


def cropped(picture: np.ndarray, region: PictureRegion) -> np.ndarray:
    """A part of a picture; beyond the picture nothing is seen.

    Parameters
    ----------
    picture : (H, W, C) float32
        Light, coverage or a pass.
    region : PictureRegion
        The part.

    Returns
    -------
    (h, w, C) float32
    """
    height, width = picture.shape[:2]
    made = np.zeros((region.height, region.width, *picture.shape[2:]), picture.dtype)
    inside = region.within(width, height)
    if inside is not None:
        to = inside._replace(x=inside.x - region.x, y=inside.y - region.y)
        made[to.slices()] = picture[inside.slices()]
    return made
