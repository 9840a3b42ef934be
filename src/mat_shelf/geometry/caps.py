"""Caps of spheres, stretched and sheared: drops and bubbles, of which a scene may have many thousands.

A cap is what a plane leaves of the unit sphere, taken into the scene by an affine map. Embree keeps a box of each and
asks the functions here where a ray meets one, so a drop takes some 200 bytes where a mesh of it would take 20,000, and
its surface is exactly round.

References
----------
Wald et al. 2014, Embree; user geometry in the Embree 4 API. Haines et al. 2019, Precision Improvements for Ray/Sphere
Intersection, Ray Tracing Gems ch. 7.
"""

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numba import cfunc, types

from mat_shelf.numerics.kernels import F, compile_options, inline, use_cache_of
from mat_shelf.numerics.memory import floats1, floats2, ints1, longs1
from mat_shelf.numerics.vectors import add, cross, normalize, row3, scale

ROW = 16
"""Numbers of a row: the middle, the inverse of the axes, the cut, and half the sides of its box."""
_CUT, _HALF = 12, 13
_ON_BASE = 2.0
"""Added to the coordinates of points of the flat base."""
_ORIGIN, _NEAR, _DIRECTION, _REACH, _U, _V, _PRIMITIVE, _GEOMETRY, _INSTANCE = 0, 3, 4, 8, 15, 16, 17, 18, 19
"""Places in the record of a ray, see `ray_casting`; its hit begins with a normal at 12."""


@dataclass(frozen=True, eq=False)
class Caps:
    """Many caps.

    Attributes
    ----------
    centre : (N, 3) float32, mm
        Middles of the spheres.
    axes : (N, 3, 3) float32, mm
        Where the unit sphere's x, y and z are taken; z is the way out of the base.
    cut : (N,) float32
        Height of the base on the unit sphere, in (-1, 1); below -1 for whole spheres.
    """

    centre: np.ndarray
    axes: np.ndarray
    cut: np.ndarray

    def __len__(self) -> int:
        return len(self.centre)

    @cached_property
    def bounds(self) -> np.ndarray:
        """Lowest and highest corner of all spheres, (2, 3) float32, mm.

        Returns
        -------
        (2, 3) float32
        """
        if not len(self):
            return np.zeros((2, 3), np.float32)
        reach = np.linalg.norm(self.axes, axis=1)
        return np.stack([(self.centre - reach).min(axis=0), (self.centre + reach).max(axis=0)]).astype(np.float32)

    @cached_property
    def rows(self) -> np.ndarray:
        """Rows that rays are met by, (N, ROW) float32.

        Returns
        -------
        (N, ROW) float32
        """
        made = np.zeros((len(self), ROW), np.float32)
        made[:, :3] = self.centre
        # Axes are rows here and columns of the map, so the inverse is of the transpose.
        made[:, 3:12] = np.linalg.inv(self.axes.transpose(0, 2, 1).astype(np.float64)).reshape(-1, 9)
        made[:, _CUT] = self.cut
        made[:, _HALF:] = np.linalg.norm(self.axes, axis=1) * (1 + 1e-5)
        return made

    @property
    def corner_rows(self) -> np.ndarray:
        """Axes in the place of the corners of triangles, (N, 9) float32.

        Returns
        -------
        (N, 9) float32
        """
        return np.ascontiguousarray(self.axes.reshape(-1, 9), np.float32)

    @property
    def normal_rows(self) -> np.ndarray:
        """Middles and cuts in the place of the normals of triangles, (N, 9) float32.

        Returns
        -------
        (N, 9) float32
        """
        made = np.zeros((len(self), 9), np.float32)
        made[:, :3], made[:, 3] = self.centre, self.cut
        return made


NO_CAPS = Caps(np.zeros((0, 3), np.float32), np.zeros((0, 3, 3), np.float32), np.zeros(0, np.float32))
"""In the place of what is not to be seen."""


@inline
def cap_point(axes, middles, t, u, v):
    """A point of a cap and its normal, from the coordinates of a hit.

    Parameters
    ----------
    axes, middles : (T, 9) float32
        Rows as `Caps.corner_rows` and `Caps.normal_rows` have them.
    t : int
        Row of the cap.
    u, v : float32
        Of the hit: where its direction from the middle lies on an unfolded octahedron, or where it is on the base.

    Returns
    -------
    position, normal : float32 triple

    References
    ----------
    Cigolle et al. 2014, A Survey of Efficient Representations for Independent Unit Vectors (octahedra).
    """
    one = (axes[t, 0], axes[t, 1], axes[t, 2])
    two = (axes[t, 3], axes[t, 4], axes[t, 5])
    three = (axes[t, 6], axes[t, 7], axes[t, 8])
    if u >= F(_ON_BASE):
        x, y, z = F(2) * (u - F(_ON_BASE)) - F(1), F(2) * (v - F(_ON_BASE)) - F(1), middles[t, 3]
        normal = scale(cross(one, two), F(-1))
    else:
        x, y = F(2) * u - F(1), F(2) * v - F(1)
        z = F(1) - abs(x) - abs(y)
        if z < F(0):
            x, y = (
                (F(1) - abs(y)) * (F(1) if x >= F(0) else F(-1)),
                (F(1) - abs(x)) * (F(1) if y >= F(0) else F(-1)),
            )
        x, y, z = normalize((x, y, z))
        normal = add(add(scale(cross(two, three), x), scale(cross(three, one), y)), scale(cross(one, two), z))
    moved = add(add(scale(one, x), scale(two, y)), scale(three, z))
    return add(row3(middles, t), moved), normalize(normal)


@inline
def _first_meeting(rows, prim, ray):
    """First meeting of a ray with a cap: if there is one, how far away, where on the unit sphere, if on its base.

    In double precision, since a drop of a tenth of a millimetre may be a metre away.
    """
    ox = np.float64(ray[_ORIGIN]) - rows[prim, 0]
    oy = np.float64(ray[_ORIGIN + 1]) - rows[prim, 1]
    oz = np.float64(ray[_ORIGIN + 2]) - rows[prim, 2]
    dx, dy, dz = np.float64(ray[_DIRECTION]), np.float64(ray[_DIRECTION + 1]), np.float64(ray[_DIRECTION + 2])
    px = rows[prim, 3] * ox + rows[prim, 4] * oy + rows[prim, 5] * oz
    py = rows[prim, 6] * ox + rows[prim, 7] * oy + rows[prim, 8] * oz
    pz = rows[prim, 9] * ox + rows[prim, 10] * oy + rows[prim, 11] * oz
    wx = rows[prim, 3] * dx + rows[prim, 4] * dy + rows[prim, 5] * dz
    wy = rows[prim, 6] * dx + rows[prim, 7] * dy + rows[prim, 8] * dz
    wz = rows[prim, 9] * dx + rows[prim, 10] * dy + rows[prim, 11] * dz
    near, far = np.float64(ray[_NEAR]), np.float64(ray[_REACH])
    a = wx * wx + wy * wy + wz * wz
    b = px * wx + py * wy + pz * wz
    c = px * px + py * py + pz * pz - 1.0
    d = b * b - a * c
    if d <= 0.0 or a <= 0.0:
        return False, 0.0, px, py, pz, False
    root = math.sqrt(d)
    q = -b - root if b > 0.0 else -b + root
    first, last = q / a, (c / q if q != 0.0 else q / a)
    if first > last:
        first, last = last, first
    cut = np.float64(rows[prim, _CUT])
    best, is_base = far, False
    if first > near and first < best and pz + first * wz >= cut:
        best = first
    elif last > near and last < best and pz + last * wz >= cut:
        best = last
    if wz != 0.0:
        base = (cut - pz) / wz
        if base > near and base < best:
            x, y = px + base * wx, py + base * wy
            if x * x + y * y <= 1.0 - cut * cut:
                best, is_base = base, True
    return best < far, best, px + best * wx, py + best * wy, pz + best * wz, is_base


def _bounds(arguments):
    """RTCBoundsFunction: the box of one cap. Arguments: user data, primitive, time step, bounds."""
    words = longs1(arguments, 3)
    prim = ints1(arguments + 8, 1)[0]
    rows, out = floats2(words[0], prim + 1, ROW), floats1(words[2], 8)
    for k in range(3):
        out[k] = rows[prim, k] - rows[prim, _HALF + k]
        out[4 + k] = rows[prim, k] + rows[prim, _HALF + k]


def _intersect(arguments):
    """RTCIntersectFunctionN of a single ray. Arguments: valid, user data, primitive, context, ray, N, geometry."""
    words, numbers = longs1(arguments, 5), ints1(arguments, 12)
    if ints1(words[0], 1)[0] == 0:
        return
    prim, geometry = numbers[4], numbers[11]
    rows, ray, hit = floats2(words[1], prim + 1, ROW), floats1(words[4], 32), ints1(words[4], 32)
    is_met, distance, x, y, z, is_base = _first_meeting(rows, prim, ray)
    if not is_met:
        return
    ray[_REACH] = distance
    if is_base:
        ray[_U], ray[_V] = _ON_BASE + 0.5 + 0.5 * x, _ON_BASE + 0.5 + 0.5 * y
    else:
        whole = abs(x) + abs(y) + abs(z)
        x, y = x / whole, y / whole
        if z < 0.0:
            x, y = (1.0 - abs(y)) * (1.0 if x >= 0.0 else -1.0), (1.0 - abs(x)) * (1.0 if y >= 0.0 else -1.0)
        ray[_U], ray[_V] = 0.5 + 0.5 * x, 0.5 + 0.5 * y
    hit[_PRIMITIVE], hit[_GEOMETRY], hit[_INSTANCE] = prim, geometry, -1


def _occluded(arguments):
    """RTCOccludedFunctionN of a single ray, with the same arguments."""
    words, numbers = longs1(arguments, 5), ints1(arguments, 12)
    if ints1(words[0], 1)[0] == 0:
        return
    prim = numbers[4]
    rows, ray = floats2(words[1], prim + 1, ROW), floats1(words[4], 12)
    if _first_meeting(rows, prim, ray)[0]:
        ray[_REACH] = -np.inf


with use_cache_of(__name__):
    _entry = cfunc(types.void(types.int64), cache=True, **compile_options)
    _functions = _entry(_bounds), _entry(_intersect), _entry(_occluded)
BOUNDS_FUNCTION, INTERSECT_FUNCTION, OCCLUDED_FUNCTION = (function.address for function in _functions)
"""Addresses of what Embree calls."""
