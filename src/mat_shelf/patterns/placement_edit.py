"""Placing a pattern by hand on a part."""

import math
from typing import NamedTuple

import numpy as np

from mat_shelf.document.pattern import Placement
from mat_shelf.document.product import Part
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.pose import turn_matrix
from mat_shelf.patterns.evaluation import places_in
from mat_shelf.patterns.points import Points, part_frames

_AROUND = {"x": (1, 2), "y": (2, 0), "z": (0, 1)}
"""For each axis the two others: angle 0 lies along the first and grows towards the second."""


class PlacementHit(NamedTuple):
    """A place on a part: its id, position (mm) and normal, of the world."""

    part: str
    position: tuple[float, float, float]
    normal: tuple[float, float, float]


def _frames(part: Part, mesh: Mesh):
    pose = part.pose
    return part_frames([mesh], [(turn_matrix(pose.turn), pose.shift, pose.scale)], [0])


def drag_placement(placement: Placement, part: Part, mesh: Mesh, start: PlacementHit, now: PlacementHit) -> Placement:
    """The placement shifted so that what lay at one place of a part lies at another.

    Parameters
    ----------
    placement : Placement
        Placement of the pattern.
    part : Part
        The part.
    mesh : Mesh
        Mesh, mm.
    start : PlacementHit
        Place under the pointer at its start.
    now : PlacementHit
        Place under the pointer now.

    Returns
    -------
    Placement
    """
    frames = _frames(part, mesh)
    still = placement.with_(blend=0.0, shuffle=0.0, shuffle_turn=0.0)
    places = []
    for hit in (start, now):
        # One side of a box is held on to: that which the drag began on.
        normal = np.float32([start.normal])
        points = Points(np.float32([hit.position]), normal, np.zeros(1, np.int32), frames)
        places.append(places_in(still, points)[0, :2].astype(float))
    by = (places[1] - places[0]) * (placement.size * placement.stretch, placement.size)
    shift = np.clip(np.add(placement.shift, by), -1e5, 1e5)
    return placement.with_(shift=tuple(round(float(x), 4) for x in shift))


def hide_seam(part: Part, mesh: Mesh, placement: Placement, eye) -> float:
    """Angle at which a seam lies on the side that an eye (mm, of the world) does not see, degrees in [-180, 180].

    Parameters
    ----------
    part : Part
        The part.
    mesh : Mesh
        Mesh, mm.
    placement : Placement
        Placement of the pattern.
    eye : (3,) float
        Position of the camera, mm.

    Returns
    -------
    float
    """
    frames = _frames(part, mesh)
    local = (np.asarray(eye, float) - frames.shift[0]) @ frames.turn[0] - frames.centre[0]
    first, second = _AROUND[placement.axis]
    if placement.axis == "x":  # there the front is z, and the angle grows downwards
        angle = math.degrees(math.atan2(-local[1], local[2]))
    else:
        angle = math.degrees(math.atan2(local[second], local[first]))
    return (angle + 360) % 360 - 180


def in_part(part: Part, mesh: Mesh, hit: PlacementHit) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """A place and its normal in the part's own frame, from the middle of its box: (3,) mm and (3,).

    Parameters
    ----------
    part : Part
        The part.
    mesh : Mesh
        Mesh, mm.
    hit : PlacementHit
        Place on a part.

    Returns
    -------
    tuple[tuple of float, tuple of float]
    """
    frames = _frames(part, mesh)
    place = (np.asarray(hit.position) - frames.shift[0]) @ frames.turn[0] - frames.centre[0]
    normal = np.asarray(hit.normal) @ frames.turn[0]
    return tuple(round(float(x), 4) for x in place), tuple(round(float(x), 3) for x in normal)
