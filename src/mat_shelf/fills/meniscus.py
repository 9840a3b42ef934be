"""The free surface of a liquid between walls: level in the middle, climbing or sinking at the edge.

Surface tension makes the surface as small as weight and contact angle let it be. Its height is found for any outline,
a wide glass, a narrow tube or the corner of a square bottle, by finite elements: the energy of surface, weight and
wetting is convex in the heights, so that Newton's method with a line search always arrives.

References
----------
Finn 1986, Equilibrium Capillary Surfaces, ch. 1. Batchelor, An Introduction to Fluid Dynamics, 1.9.
"""

import math
from typing import NamedTuple

import numpy as np
from scipy.sparse import csc_matrix
from scipy.sparse.linalg import splu

from mat_shelf.fills.surface_mesh import FINE, SurfaceMesh, node_areas, twice_areas
from mat_shelf.numerics.kernels import inline, kernel

GRAVITY = 9.80665
STEEPEST = np.radians(89.8)
"""Slope that counts as upright, radians."""
_ANGLES = np.geomspace(STEEPEST, 1e-6, 400)
_AWAY = np.log(1 / np.tan(_ANGLES / 4)) - 2 * np.cos(_ANGLES / 2)
"""Distance from a plane wall, in capillary lengths, at which the surface rises by an angle."""
_MOST_STEPS = 60
"""Steps towards the surface."""
_NEAR, _SURE = 0.2, 0.3
"""Of the step before: after one so small, the next is taken by the same factors of the matrix; and how precise it has
to be then, of what it has to be by new ones."""
_BEND_FIRST = 0.75
"""Share of the second term of Newton's method in the first step: of more, that step leads too far too often."""


def capillary_length(tension: float, density: float) -> float:
    """Square root of surface tension over weight, mm: how far an edge reaches into a level surface.

    Parameters
    ----------
    tension : float
        Surface tension, mN/m.
    density : float
        Density, g/cm3.

    Returns
    -------
    float
    """
    return float(np.sqrt(tension / (density * GRAVITY)))


def surface_heights(
    mesh: SurfaceMesh,
    outlines: list[np.ndarray],
    slope: np.ndarray,
    length: float,
    edge: np.ndarray | None = None,
    guess: np.ndarray | None = None,
    precision: float = FINE.precision,
) -> np.ndarray:
    """Heights of the free surface over the level far from all walls, (P,) mm.

    Parameters
    ----------
    mesh : SurfaceMesh
        As `mesh_outlines` makes it.
    outlines : list of (N, 2) float64
        Closed lines, mm.
    slope : (N,) float64
        Angle by which the surface rises towards the wall at each point of the outlines, radians.
    length : float
        Capillary length, mm.
    edge : (N,) float64, optional
        Heights at the outlines where those are known, mm; slopes are a first guess then.
    guess : (P,) float64, optional
        A better first guess, mm.
    precision : float
        Of a capillary length, the last step towards the surface.

    Returns
    -------
    (P,) float64
    """
    count = len(mesh.points)
    a, b, c = mesh.points[mesh.triangles].transpose(1, 0, 2)
    area = 1e-12 + 0.5 * np.abs(twice_areas(mesh.points, mesh.triangles))
    opposite = np.stack([c - b, a - c, b - a], axis=1)
    shape = np.stack([-opposite[..., 1], opposite[..., 0]], axis=2) / (2 * area)[:, None, None]
    pull = np.zeros(count)
    first = 0
    wanted = np.sin(np.clip(slope, -STEEPEST, STEEPEST))
    for line in outlines:
        side = np.linalg.norm(np.roll(line, -1, axis=0) - line, axis=1)
        pull[first : first + len(line)] = 0.5 * (side + np.roll(side, 1)) * wanted[first : first + len(line)]
        first += len(line)
    pull[np.bincount(mesh.triangles.reshape(-1), minlength=count) == 0] = 0  # where an outline crosses itself
    if edge is not None:
        slope = slope_at_height(edge, length)
    height = heights_at_wall(mesh.depth, slope[mesh.nearest], length) if guess is None else guess.copy()
    if edge is not None:
        height += (edge - height[: len(edge)])[mesh.nearest] * np.exp(-mesh.depth / length)
        height[: len(edge)] = edge
    free = np.arange(count) if edge is None else np.arange(len(edge), count)
    elements = Elements(mesh.triangles, shape, area, node_areas(mesh), pull)
    return least_energy(elements, height, free, length, precision)


class Elements(NamedTuple):
    """Parts of a surface in which its height is linear: triangles, or rings about an axis.

    nodes : (T, n) int32; numbers of the nodes of each
    shape : (T, n, d) float64; slopes of a height of 1 at each node, 1/mm, along d axes
    area : (T,) float64, mm2
    node_area : (P,) float64, mm2; that each node stands for
    pull : (P,) float64, mm; sine of the slope at the wall, over the length of wall that a node stands for
    """

    nodes: np.ndarray
    shape: np.ndarray
    area: np.ndarray
    node_area: np.ndarray
    pull: np.ndarray


def least_energy(
    elements: Elements, height: np.ndarray, free: np.ndarray, length: float, precision: float = FINE.precision
) -> np.ndarray:
    """Heights at which surface, weight and wetting have the least energy, (P,) mm.

    Parameters
    ----------
    elements : Elements
        The surface.
    height : (P,) float64
        First guess, mm.
    free : (F,) int64
        Nodes whose heights are not known.
    length : float
        Capillary length, mm.
    precision : float
        Of that, the last step.

    Returns
    -------
    (P,) float64
    """
    nodes, shape, area, node_area, pull = elements
    count, weight, corners = len(height), node_area / length**2, nodes.shape[1]
    rows, columns = np.repeat(nodes, corners, axis=1).reshape(-1), np.tile(nodes, (1, corners)).reshape(-1)
    stiff, residual, height = np.empty((len(nodes), corners, corners)), np.empty(count), height.astype(np.float64)
    given = nodes, shape, area, weight, pull
    now, factors, moved, before, share, bend = _energy(*given, height), None, np.inf, np.inf, 1.0, _BEND_FIRST
    for _ in range(_MOST_STEPS):
        _pulls(*given, height, residual)
        is_new = factors is None or share < 1 or moved > _NEAR * before
        if is_new:
            _stiffness(nodes, shape, area, height, bend, stiff)
            matrix = csc_matrix((stiff.reshape(-1), (rows, columns)), shape=(count, count))
            matrix.setdiag(matrix.diagonal() + weight)
            known = matrix if len(free) == count else matrix[:, free][free]
            factors = splu(known, "MMD_AT_PLUS_A", 0.0, options={"SymmetricMode": True})
        step, share = np.zeros(count), 1.0
        step[free] = -factors.solve(residual[free])
        down = float(residual[free] @ step[free])
        while share > 1e-4:
            tried = _energy(*given, height + share * step)
            if tried <= now + 1e-4 * share * down + 1e-12 * abs(now):
                break
            share /= 2
        height, now, before, moved = height + share * step, tried, moved, float(np.abs(share * step).max())
        enough = precision * length * (1.0 if is_new else _SURE)
        if (share == 1 and moved < enough) or (share <= 1e-4 and bend == 0):
            break
        # Where the surface is steep, full steps of Newton's method lead far off; those without its second term do not.
        bend = 0.0 if share < 1 else min(bend + 0.25, 1.0)
    return height


@inline
def _rise(nodes, shape, height, t):
    """Slopes of an element along its axes, of which the second may be missing, and how far that stretches it."""
    x, y = 0.0, 0.0
    for i in range(nodes.shape[1]):
        here = height[nodes[t, i]]
        x += shape[t, i, 0] * here
        if shape.shape[2] > 1:
            y += shape[t, i, 1] * here
    return x, y, math.sqrt(1.0 + x * x + y * y)


@kernel
def _energy(nodes, shape, area, weight, pull, height):
    """Energy of a surface over its tension, mm2."""
    total = 0.0
    for t in range(nodes.shape[0]):
        total += area[t] * _rise(nodes, shape, height, t)[2]
    for p in range(height.shape[0]):
        total += (0.5 * weight[p] * height[p] - pull[p]) * height[p]
    return total


@kernel
def _pulls(nodes, shape, area, weight, pull, height, out):
    """Writes the slopes of the energy with the heights, (P,) mm."""
    for p in range(height.shape[0]):
        out[p] = weight[p] * height[p] - pull[p]
    for t in range(nodes.shape[0]):
        x, y, stretch = _rise(nodes, shape, height, t)
        taut = area[t] / stretch
        for i in range(nodes.shape[1]):
            along = shape[t, i, 0] * x
            if shape.shape[2] > 1:
                along += shape[t, i, 1] * y
            out[nodes[t, i]] += taut * along


@kernel
def _stiffness(nodes, shape, area, height, bend, out):
    """Writes second slopes of the energy of each element, (T, n, n), with a share of the term that bends."""
    for t in range(nodes.shape[0]):
        x, y, stretch = _rise(nodes, shape, height, t)
        taut, bent = area[t] / stretch, bend * area[t] / stretch**3
        for i in range(nodes.shape[1]):
            for j in range(nodes.shape[1]):
                flat = shape[t, i, 0] * shape[t, j, 0]
                one, other = shape[t, i, 0] * x, shape[t, j, 0] * x
                if shape.shape[2] > 1:
                    flat += shape[t, i, 1] * shape[t, j, 1]
                    one += shape[t, i, 1] * y
                    other += shape[t, j, 1] * y
                out[t, i, j] = taut * flat - bent * one * other


def heights_at_wall(distance: np.ndarray, slope: np.ndarray, length: float) -> np.ndarray:
    """Heights of the surface beside one plane wall over the level far from it, (N,) mm.

    Parameters
    ----------
    distance : (N,) float64
        Distances from the wall, mm.
    slope : (N,) float64
        Angles by which the surface rises towards the wall there, radians.
    length : float
        Capillary length, mm.

    Returns
    -------
    (N,) float64

    References
    ----------
    Batchelor, An Introduction to Fluid Dynamics, 1.9: the first integral of the surface between angle and height.
    """
    steep = np.clip(np.abs(slope), 1e-6, STEEPEST)
    at_wall = np.log(1 / np.tan(steep / 4)) - 2 * np.cos(steep / 2)
    return np.sign(slope) * length * np.interp(at_wall + distance / length, _AWAY, 2 * np.sin(_ANGLES / 2), right=0.0)


def slope_at_height(edge, length: float):
    """Slopes of the surface beside one plane wall, by its height there, radians; as `heights_at_wall`.

    Parameters
    ----------
    edge : float or (N,) float64
        Heights at the wall, mm.
    length : float
        Capillary length, mm.

    Returns
    -------
    float or (N,) float64
    """
    return 2 * np.arcsin(np.clip(edge / (2 * length), -0.99, 0.99))
