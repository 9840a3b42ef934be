"""Cameras that see points of the product where a photograph shows them."""

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from scipy.optimize import least_squares
from scipy.spatial.transform import Rotation

from mat_shelf.document.camera import Camera
from mat_shelf.document.reference import Overlap
from mat_shelf.rendering.camera import FRAME, make_camera_view

LEAST_POINTS = 4
"""A pose and a focal length are seven unknowns, a point tells two."""
_STARTS_AROUND, _STARTS_ABOVE = 16, (-15.0, 15.0, 45.0, 80.0)
"""Directions, degrees, from which a fit is begun, beside that of the camera there is."""
_TRIED = 6
"""Best starts that are followed to their end."""
_PULL = 0.01
"""mm on the film for a focal length e times the one there is: it settles what few points leave open."""
_FARTHEST = 1e7
"""mm, to the points."""
_FAR = 1e3
"""mm on the film, the most that a point behind the camera counts."""


class FittedCamera(NamedTuple):
    """A camera, and how far off it sees the points, the root of the mean square, mm on the film."""

    camera: Camera
    missed: float


def overlap_of_frame(aspect: float) -> Overlap:
    """Overlap of a photograph with the picture of a camera that is fitted to it: all of it is in the camera's frame.

    Parameters
    ----------
    aspect : float
        Width of the photograph by its height.

    Returns
    -------
    Overlap
    """
    return Overlap(scale=min(1.0, FRAME[0] / FRAME[1] / aspect))


def fitted_camera(camera: Camera, points: Sequence, places: Sequence) -> FittedCamera:
    """The camera, with its place, direction, roll and focal length, that sees points nearest to where they should be.

    Parameters
    ----------
    camera : Camera
        The camera there is; all else of it stays, but for its lens shift, which the photograph has none of.
    points : (N, 3) array-like
        Points of the scene, mm; four or more.
    places : (N, 2) array-like
        Where each should be seen, mm on the film, from its middle to the right and downwards.

    Returns
    -------
    FittedCamera

    Raises
    ------
    ValueError
        If there are too few points, or they lie on one line or too near each other.

    Notes
    -----
    The sum of squared distances on the film is made least (R. Hartley and A. Zisserman, Multiple View Geometry, 2nd
    ed., 2004, 7.2), begun from many directions, since from a wrong one it ends in a mirrored pose.
    """
    points, places = np.asarray(points, np.float64), np.asarray(places, np.float64)
    if len(points) < LEAST_POINTS:
        raise ValueError(f"{LEAST_POINTS} points or more are needed")
    middle = points.mean(axis=0)
    for about, least in ((points - middle, 1.0), (places - places.mean(axis=0), 0.5)):
        widths = np.linalg.svd(about, compute_uv=False)
        if widths[0] < least or widths[1] < 0.02 * widths[0]:
            raise ValueError("the points lie on one line, or too near each other")
    # Rows of a rotation are the camera's axes: to the right, downwards, into the picture.
    about, spread = points - middle, float(np.sqrt(((places - places.mean(axis=0)) ** 2).sum()))
    least, most = (math.log(x) for x in Camera.limits("focal_length"))
    usual = math.log(camera.focal_length)

    def missed(unknown: np.ndarray) -> np.ndarray:
        """Distances on the film, and the pull on the focal length.

        Parameters
        ----------
        unknown : (7,) float
            Rotation vector; where the points' middle is seen, and the logarithm of its depth; that of the focal length.

        Returns
        -------
        (2 N + 1,) float
        """
        lens = math.exp(unknown[6])
        depth = math.exp(unknown[5])
        seen = about @ Rotation.from_rotvec(unknown[:3]).as_matrix().T
        seen += depth * np.array([unknown[3] / lens, unknown[4] / lens, 1.0])
        before = np.maximum(seen[:, 2:], 1e-3 * depth)
        apart = np.clip(lens * seen[:, :2] / before - places, -_FAR, _FAR)
        return np.append(apart.ravel(), _PULL * (unknown[6] - usual))

    starts = []
    for axes in _directions(camera):
        flat = float(np.linalg.norm((about @ axes.T)[:, :2]))
        depth = math.log(min(max(camera.focal_length * flat / spread, 1.0), _FARTHEST))
        start = np.array([*Rotation.from_matrix(axes).as_rotvec(), *places.mean(axis=0), depth, usual])
        starts.append((float((missed(start) ** 2).sum()), start))
    starts.sort(key=lambda pair: pair[0])
    low, high = np.full(7, -np.inf), np.full(7, np.inf)
    low[5:], high[5:] = (0.0, least), (math.log(_FARTHEST), most)
    ends = (
        least_squares(missed, start, bounds=(low, high), x_scale="jac", max_nfev=200) for _, start in starts[:_TRIED]
    )
    best = min(ends, key=lambda end: end.cost).x
    fitted = _camera_at(camera, middle, best)
    return FittedCamera(fitted, float(np.sqrt((missed(best)[:-1] ** 2).sum() / len(points))))


def _directions(camera: Camera) -> list[np.ndarray]:
    """Axes of cameras to begin with: (3, 3), rows to the right, downwards and into the picture."""
    view = make_camera_view(camera, 3, 2)
    found = [np.array([view.right, np.negative(view.up), view.forward], np.float64)]
    for above in np.radians(_STARTS_ABOVE):
        for around in np.linspace(0, 2 * np.pi, _STARTS_AROUND, endpoint=False):
            level = np.array([math.sin(around), 0.0, math.cos(around)])
            forward = -(math.cos(above) * level + math.sin(above) * np.array([0, 1.0, 0]))
            right = np.array([math.cos(around), 0.0, -math.sin(around)])
            found.append(np.array([right, np.cross(forward, right), forward]))
    return found


def _camera_at(camera: Camera, middle: np.ndarray, unknown: np.ndarray) -> Camera:
    """The camera of what was found; it looks at the depth of the points' middle."""
    lens, depth = math.exp(unknown[6]), math.exp(unknown[5])
    axes = Rotation.from_rotvec(unknown[:3]).as_matrix()
    position = middle - axes.T @ (depth * np.array([unknown[3] / lens, unknown[4] / lens, 1.0]))
    target = position + depth * axes[2]
    made = camera.with_(
        position=tuple(round(float(x), 4) for x in position),
        target=tuple(round(float(x), 4) for x in target),
        focal_length=round(lens, 3),
        roll=0.0,
        shift=0.0,
        is_parallel=False,
        keeps_verticals=False,
    )
    view = make_camera_view(made, 3, 2)
    # Rolled by an angle, `right` becomes cos right + sin up.
    roll = math.degrees(math.atan2(float(axes[0] @ np.array(view.up)), float(axes[0] @ np.array(view.right))))
    return made.with_(roll=round(roll, 4))
