"""The free surface of a liquid in a vessel that is round there: the same at all sides, and soon found.

Its height depends on the distance from the axis alone, so that some hundred nodes take the place of as many thousand
triangles.
"""

from typing import NamedTuple

import numpy as np

from mat_shelf.fills.meniscus import STEEPEST, Elements, heights_at_wall, least_energy, slope_at_height
from mat_shelf.fills.ring_mesh import middle_of
from mat_shelf.fills.surface_mesh import SurfaceMesh

_ROUND, _ALIKE = 2e-3, np.radians(1.0)
"""Of the radius, by which an outline may leave its circle; and difference of slopes at its wall, radians."""
_FEWEST = 48
"""Points of an outline that is taken for round."""
_NODES, _FIRST = 320, 0.002
"""Nodes from the wall to the axis, and how fine they are at the wall, in capillary lengths."""


class Circle(NamedTuple):
    """A round outline.

    middle : (2,) float64, mm
    radius : float, mm
    """

    middle: np.ndarray
    radius: float


def circle_of(outlines: list[np.ndarray], slope: np.ndarray) -> Circle | None:
    """The circle that a surface has for its only outline, where its wall is alike at all sides.

    Parameters
    ----------
    outlines : list of (N, 2) float64
        Closed lines, counter-clockwise, mm.
    slope : (N,) float64
        Angle by which the surface rises towards the wall at each point of the outlines, radians.

    Returns
    -------
    Circle or None
        None if it is not round.
    """
    if len(outlines) != 1 or len(outlines[0]) < _FEWEST or np.ptp(slope) > _ALIKE:
        return None
    middle = middle_of(outlines[0])
    if middle is None:
        return None
    away = np.hypot(*(outlines[0] - middle).T)
    radius = float(away.mean())
    return Circle(middle, radius) if np.abs(away - radius).max() < _ROUND * radius else None


def round_heights(
    mesh: SurfaceMesh, circle: Circle, slope: np.ndarray, length: float, edge: np.ndarray | None = None
) -> np.ndarray:
    """Heights of the free surface in a round outline over the level far from all walls, (P,) mm.

    Parameters
    ----------
    mesh : SurfaceMesh
        Of the surface, the outline first.
    circle : Circle
        As `circle_of` has it.
    slope : (N,) float64
        Angle by which the surface rises towards the wall, radians.
    length : float
        Capillary length, mm.
    edge : (N,) float64, optional
        Heights at the outline where those are known, mm.

    Returns
    -------
    (P,) float64
    """
    rise = float(np.mean(slope if edge is None else slope_at_height(edge, length)))
    fine = _FIRST * min(length, circle.radius)
    depth = np.minimum(fine * np.expm1(np.linspace(0, np.log1p(circle.radius / fine), _NODES)), circle.radius)
    away = circle.radius - depth
    nodes = np.stack([np.arange(_NODES - 1), np.arange(1, _NODES)], axis=1).astype(np.int32)
    step = -np.diff(away)
    shape = (np.array([1.0, -1.0]) / step[:, None])[..., None]
    area = np.pi * -np.diff(away**2)
    # Of a ring, the share of its area that goes to its outer side: height is linear across it.
    share = (away[:-1] + away[:-1] + away[1:]) / (3 * (away[:-1] + away[1:]))
    node_area = np.append(area * share, 0) + np.append(0, area * (1 - share))
    pull = np.zeros(_NODES)
    pull[0] = 2 * np.pi * circle.radius * np.sin(np.clip(rise, -STEEPEST, STEEPEST))
    height = heights_at_wall(depth, np.full(_NODES, rise), length)
    free = np.arange(_NODES)
    if edge is not None:
        height += (edge.mean() - height[0]) * np.exp(-depth / length)
        height[0], free = edge.mean(), free[1:]
    height = least_energy(Elements(nodes, shape, area, node_area, pull), height, free, length)
    made = np.interp(np.hypot(*(mesh.points - circle.middle).T), away[::-1], height[::-1])
    count = len(slope)
    made[:count] = height[0] if edge is None else edge
    return made
