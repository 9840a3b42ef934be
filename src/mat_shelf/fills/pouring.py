"""A stream of liquid that is poured into a vessel: it falls in a curve, thins as it gets faster, and makes rings.

What falls freely passes the same volume at each height, so that its cross-section is smaller by as much as it is faster
(Batchelor, An Introduction to Fluid Dynamics, 6.3). Where it lands the surface climbs it as it climbs a wall that it
wets wholly.
"""

import math
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from scipy.integrate import solve_ivp
from scipy.optimize import brentq
from scipy.special import k0e, k1e

from mat_shelf.fills.meniscus import GRAVITY
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.solids import loft

_MM = 1000.0
_ROWS, _SIDES, _ROUNDING = 160, 48, 8
"""Cross-sections of a stream, points round each of them, and more of them for its round beginning and end."""
_FAR = 8.0
"""Capillary lengths from a stream at which the surface is as good as level."""
_LEAST_FOOT = 0.02
"""Radius of a stream, of a capillary length, that its foot is made for at least."""
_NODES, _MOST_RINGS = 8, 4.0
"""Nodes of the surface in the width of a ring; rings that are made, the outermost of next to no height."""
_ROUND_AGAIN = 4.0
"""Radii over the surface within which a stream gets round."""
_WAVER, _TWIST = 0.14, 0.2
"""Of its radius, by which the most uneven stream swells, and by which it is flattened."""


class Fall(NamedTuple):
    """A stream as it falls.

    x, z : float, mm; where it lands, in the frame of the vessel
    height, aside : float, mm; of its mouth over the surface, and beside where it lands
    direction : float, degrees; the side that its mouth is on, about the upright axis
    width : float, mm; at its mouth
    speed : float, m/s; downwards at its mouth
    uneven : float; from 0 to 1
    rings, ring_width : float, mm; height and width of the rings where it lands
    seed : int
    """

    x: float
    z: float
    height: float
    aside: float = 0.0
    direction: float = 0.0
    width: float = 4.0
    speed: float = 0.3
    uneven: float = 0.0
    rings: float = 0.0
    ring_width: float = 6.0
    seed: int = 1

    @property
    def _down(self) -> float:
        return _MM * self.speed

    @property
    def duration(self) -> float:
        """Time that liquid takes from its mouth to the surface, s.

        Returns
        -------
        float
        """
        g = _MM * GRAVITY
        return (math.sqrt(self._down**2 + 2 * g * self.height) - self._down) / g

    @property
    def forwards(self) -> float:
        """Level speed, which follows from the places that it begins and lands at, mm/s.

        Returns
        -------
        float
        """
        return self.aside / max(self.duration, 1e-9)

    def radius_at(self, time: np.ndarray) -> np.ndarray:
        """Radius after some time, mm.

        Parameters
        ----------
        time : (N,) float64
            Time since its mouth, s.

        Returns
        -------
        (N,) float64
        """
        speed = np.hypot(self._down + _MM * GRAVITY * np.asarray(time), self.forwards)
        first = math.hypot(self._down, self.forwards)
        return self.width / 2 * np.sqrt(first / speed)

    @property
    def foot(self) -> float:
        """Radius where it lands, mm.

        Returns
        -------
        float
        """
        return float(self.radius_at(self.duration))

    @property
    def flow(self) -> float:
        """Volume that passes, ml/s.

        Returns
        -------
        float
        """
        return math.pi * (self.width / 2) ** 2 * math.hypot(self._down, self.forwards) / _MM

    def line(self, time: np.ndarray) -> np.ndarray:
        """Places of its middle, with heights over the surface, mm.

        Parameters
        ----------
        time : (N,) float64
            Time since its mouth, s.

        Returns
        -------
        (N, 3) float64
        """
        time = np.asarray(time, np.float64)
        left = self.aside - self.forwards * time
        turn = math.radians(self.direction)
        fall = self.height - self._down * time - _MM * GRAVITY * time**2 / 2
        return np.stack([self.x + left * math.cos(turn), fall, self.z - left * math.sin(turn)], axis=1)


def stream_mesh(fall: Fall, level: float, sunk: float) -> Mesh:
    """The skin of a stream, closed at both ends.

    Parameters
    ----------
    fall : Fall
        How it falls.
    level : float
        Height of the surface, mm.
    sunk : float
        Depth to which it goes on below the surface, where it is one with the liquid, mm.

    Returns
    -------
    Mesh
        In the frame of the vessel.
    """
    # Evenly along the way: what falls is slow at first.
    fine = np.linspace(0, fall.duration, 20 * _ROWS)
    path = fall.line(fine)
    way = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(path, axis=0), axis=1))])
    time = np.interp(np.linspace(0, way[-1], _ROWS), way, fine)
    middle, radius = fall.line(time), fall.radius_at(time)
    along = np.linspace(0, 1, _ROWS)
    ahead = np.gradient(middle, along, axis=0)
    ahead /= np.linalg.norm(ahead, axis=1, keepdims=True)
    turn = math.radians(fall.direction)
    across = np.array([math.sin(turn), 0.0, math.cos(turn)])
    # It begins round, and ends so under the surface.
    bend = np.linspace(math.pi / 2, 0, _ROUNDING, endpoint=False)
    begin = middle[0] - ahead[0] * (radius[0] * np.sin(bend))[:, None]
    deep = np.append(np.linspace(0, sunk, 4)[1:], sunk + radius[-1] * np.sin(bend[::-1]))
    narrow = np.append(np.ones(3), np.cos(bend[::-1]))
    middle = np.concatenate([begin, middle, middle[-1] - np.array([0, 1, 0]) * deep[:, None]])
    radius = np.concatenate([radius[0] * np.cos(bend), radius, radius[-1] * narrow])
    ahead = np.concatenate([np.tile(ahead[0], (_ROUNDING, 1)), ahead, np.tile(ahead[-1], (len(deep), 1))])
    # Down below, where it goes on upright, a stream that lands aslant would be pinched.
    aside = np.cross(across, ahead)
    angle = np.linspace(0, 2 * np.pi, _SIDES, endpoint=False)
    reach = radius[:, None] * _unevenness(fall, along, angle)
    round_ = aside[:, None, :] * np.cos(angle)[:, None] - across * np.sin(angle)[:, None]
    rings = middle[:, None, :] + reach[..., None] * round_
    rings[..., 1] += level
    return loft(rings[::-1], 60.0)


def _unevenness(fall: Fall, along: np.ndarray, angle: np.ndarray) -> np.ndarray:
    """Factors of the radius, by cross-section and angle: it swells and is flattened, more and more on its way.

    Just over the surface it is round again, as its foot is.
    """
    chance = np.random.default_rng(fall.seed)
    share = np.concatenate([np.zeros(_ROUNDING), along, np.ones(_ROUNDING + 3)])
    way = np.concatenate([np.linspace(-0.02, 0, _ROUNDING), along, 1 + np.linspace(0, 0.05, _ROUNDING + 3)])
    waves = max(fall.height / max(3.2 * fall.width, 1.0), 0.5)  # a thread swells in lengths of some of its widths
    swell = np.zeros(len(way))
    for many, weight in zip(chance.uniform(0.5, 1.6, 5) * waves, (1.0, 0.8, 0.6, 0.5, 0.4), strict=True):
        swell += weight * np.sin(2 * np.pi * (many * way + chance.random()))
    left = (1 - share) * fall.height / max(_ROUND_AGAIN * fall.foot, 1e-9)
    growing = fall.uneven * (0.15 + 0.85 * share) * np.clip(left, 0, 1)
    turned = 2 * np.pi * (chance.uniform(0.3, 0.8) * waves * way + chance.random())
    flat = np.cos(2 * angle[None, :] + turned[:, None])
    return 1 + growing[:, None] * (_WAVER * swell[:, None] / 2 + _TWIST * flat)


@lru_cache(maxsize=64)
def climbed(radius: float, length: float) -> tuple[np.ndarray, np.ndarray]:
    """Heights of a surface that climbs a round thread which it wets wholly, by distance from its axis.

    Parameters
    ----------
    radius : float
        Radius of the thread, mm.
    length : float
        Capillary length, mm.

    Returns
    -------
    (N,) float64, (N,) float64
        Distances, from the thread outwards, and heights over the level far away; mm.

    References
    ----------
    Batchelor, An Introduction to Fluid Dynamics, 1.9: the surface's curvature is its height over the squared capillary
    length; round an axis, that of its meridian and the one across it. Far away it is a Bessel function.
    """
    near = max(radius / length, _LEAST_FOOT)
    far = near + _FAR

    def run(share: float, step: float = np.inf):
        """Follow the surface inwards, by the length of its meridian, until it stands upright.

        Parameters
        ----------
        share : float
            Logarithm of its height far away.
        step : float
            Longest step.

        Returns
        -------
        object
            Of `solve_ivp`: distances, heights, slopes.
        """
        height = math.exp(share)
        slope = height * k1e(far) / k0e(far)

        def bend(_, at):
            """Rates along the meridian.

            Parameters
            ----------
            _ : float
                Length of the meridian.
            at : (3,) float64
                Distance, height, slope.

            Returns
            -------
            tuple of float
            """
            return -math.cos(at[2]), math.sin(at[2]), at[1] + math.sin(at[2]) / max(at[0], 1e-9)

        def upright(_, at):
            """Zero where it stands upright.

            Parameters
            ----------
            _ : float
                Length of the meridian.
            at : (3,) float64
                Distance, height, slope.

            Returns
            -------
            float
            """
            return at[2] - math.pi / 2

        upright.terminal = True
        start, exact = (far, height, math.atan(slope)), {"rtol": 1e-6, "atol": 1e-9}
        return solve_ivp(bend, (0, 3 * far), start, events=upright, max_step=step, **exact)

    share = brentq(lambda x: run(x).y[0, -1] - near, math.log(1e-9), math.log(0.5), xtol=1e-6)
    found = run(share, 0.1)
    distance, height = found.y[0, ::-1] - near + radius / length, found.y[1, ::-1]
    return distance * length, height * length


def landing_heights(points: np.ndarray, fall: Fall, length: float) -> np.ndarray:
    """Heights of a surface where a stream lands on it: the foot that climbs it, and rings.

    Parameters
    ----------
    points : (P, 2) float64
        Places of the surface, x and -z, mm.
    fall : Fall
        How it falls.
    length : float
        Capillary length, mm.

    Returns
    -------
    (P,) float64
        mm.
    """
    foot = fall.foot
    away = np.hypot(points[:, 0] - fall.x, points[:, 1] + fall.z)
    distance, height = climbed(round(foot, 4), round(length, 4))
    made = np.interp(away, distance, height, right=0.0)
    if fall.rings > 0:
        out = np.maximum(away - foot, 0) / fall.ring_width
        fade = np.exp(-out / 1.1) * np.clip(_MOST_RINGS - out, 0, 1) * np.minimum(out / 0.25, 1)
        made += fall.rings * fade * np.sin(2 * np.pi * out)
    return made


def landing_nodes(fall: Fall, length: float) -> tuple[np.ndarray, np.ndarray, float]:
    """Places at which a surface is told where a stream lands on it.

    Parameters
    ----------
    fall : Fall
        How it falls.
    length : float
        Capillary length, mm.

    Returns
    -------
    (P, 2) float64, (2,) float64, float
        Places, x and -z, where it lands, and how far they reach from there; mm.
    """
    foot, width = fall.foot, fall.ring_width if fall.rings > 0 else length / 2
    step, reach = width / _NODES, fall.foot + _MOST_RINGS * width
    fine = foot + min(length, 4 * foot) * np.array([0.0, 0.004, 0.016, 0.04, 0.08, 0.14, 0.22, 0.32, 0.45, 0.62, 0.85])
    coarse = np.arange(fine[-1] + step, reach, step)
    nodes = [np.zeros((1, 2))]
    for k, radius in enumerate(np.concatenate([[0.6 * foot], fine, coarse])):
        count = int(np.clip(2 * math.pi * radius / step, 20, 240))
        angle = 2 * math.pi * (np.arange(count) + 0.5 * (k % 2)) / count
        nodes.append(radius * np.stack([np.cos(angle), np.sin(angle)], axis=1))
    middle = np.array([fall.x, -fall.z])
    return np.concatenate(nodes) + middle, middle, reach
