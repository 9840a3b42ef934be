"""Masks of the adjustments of a finish: the thing that each pixel shows, by what its rays meet first."""

import numpy as np
from scipy.ndimage import uniform_filter

from mat_shelf.document.finish import Finish, MaskedAdjustment
from mat_shelf.document.project import Project
from mat_shelf.rendering.first_hit import FirstHits
from mat_shelf.rendering.retouching import area_mask
from mat_shelf.scene.supplies import Supplies

_SOFT = 3
"""Pixels a side that a mask of whole pixels is averaged over, since edges of the picture are mixtures."""


def area_masks(finish: Finish, view: str, width: int, height: int) -> dict[str, np.ndarray]:
    """Masks of the adjustments of areas that are painted in a view.

    Parameters
    ----------
    finish : Finish
        The finish.
    view : id
        The view.
    width, height : int
        Pixels of the picture.

    Returns
    -------
    dict of (H, W) float32
        By the adjustments' ids.
    """
    areas = {each.id: each.area for each in finish.working if each.kind == "area" and each.area is not None}
    return {key: area_mask(area, width, height) for key, area in areas.items() if area.view == view}


def shows(each: MaskedAdjustment, project: Project, supplies: Supplies, part: np.ndarray, faces: np.ndarray):
    """True where what is seen is what an adjustment is for.

    Parameters
    ----------
    each : MaskedAdjustment
        The adjustment.
    project : Project
        The project.
    supplies : Supplies
        Its faces of zones.
    part : (...) int
        Place of the part in the product, -1 for none.
    faces : (...) int
        Number of the face among the part's own.

    Returns
    -------
    (...) bool
    """
    if each.kind in ("backdrop", "product"):
        return (part >= 0) == (each.kind == "product")
    made = np.zeros(part.shape, bool)
    for place, own in enumerate(project.product.parts):
        wanted = own.id == each.target
        if each.kind == "part" and wanted:
            made |= part == place
        elif each.kind == "zone" and each.target.startswith(f"{own.id}/"):
            for zone in own.zones:
                if f"{own.id}/{zone.id}" == each.target:
                    made |= _in_zone(supplies, own, zone, part == place, faces)
        elif each.kind == "material":
            seen = part == place
            if own.material == each.target:
                made |= seen
            for zone in own.zones:
                if (zone.material == each.target) != (own.material == each.target):
                    inside = _in_zone(supplies, own, zone, seen, faces)
                    made = made & ~inside if own.material == each.target else made | inside
    return made


def _in_zone(supplies: Supplies, part, zone, seen: np.ndarray, faces: np.ndarray) -> np.ndarray:
    in_zone = np.zeros(len(supplies.meshes[part.mesh].triangles), bool)
    in_zone[supplies.faces[zone.faces]] = True
    inside = np.zeros(seen.shape, bool)
    local = faces[seen]
    inside[seen] = in_zone[np.minimum(local, len(in_zone) - 1)] & (local < len(in_zone))
    return inside


def quick_masks(finish: Finish, project: Project, supplies: Supplies, seen: FirstHits, shape) -> dict[str, np.ndarray]:
    """Masks of the adjustments of things that work, from what is seen through the middle of each pixel.

    Parameters
    ----------
    finish : Finish
        The finish.
    project : Project
        The project.
    supplies : Supplies
        Its faces of zones.
    seen : FirstHits
        Of a picture of any size.
    shape : (int, int)
        Rows and columns of the masks.

    Returns
    -------
    dict of (H, W) float32
        By the adjustments' ids.
    """
    high, wide = seen.part.shape
    rows, columns = (np.arange(shape[0]) * high // shape[0])[:, None], np.arange(shape[1]) * wide // shape[1]
    made = {}
    for each in (each for each in finish.working if each.kind not in ("tones", "area")):
        mask = shows(each, project, supplies, seen.part, seen.faces)
        soft = uniform_filter(mask.astype(np.float32), _SOFT, mode="nearest")
        made[each.id] = soft if shape == (high, wide) else soft[rows, columns]
    return made
