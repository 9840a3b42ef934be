"""Cameras that see a photograph's table as the photograph's own camera did."""

import math

import numpy as np
from scipy.optimize import least_squares

from mat_shelf.document.camera import Camera
from mat_shelf.rendering.camera import make_camera_view, project_point

_FAR = 1e6
"""mm; the horizon is as good as that far away."""
_LOWEST, _HIGHEST = math.radians(0.2), math.radians(88)
"""How high a camera may stand over its foot, seen from there."""
_FILM = 24.0
"""Height of the frame of a picture of 3 to 2, mm."""
_LEAST = 0.05
"""mm on the film between them."""


def horizon_and_foot(camera: Camera) -> tuple[float, float]:
    """Heights in the picture at which the horizon lies, and the floor below the point that a camera looks at.

    Parameters
    ----------
    camera : Camera
        The camera.

    Returns
    -------
    horizon, foot : float
        From the picture's middle upwards, mm on the film; infinite where it is behind the camera.
    """
    return _height(camera, _on_horizon(camera)), _height(camera, foot_of(camera))


def foot_of(camera: Camera) -> tuple[float, float, float]:
    """The point of the floor below that which a camera looks at.

    Parameters
    ----------
    camera : Camera
        The camera.

    Returns
    -------
    (3,) float
        mm.
    """
    return camera.target[0], 0.0, camera.target[2]


def _level_way(camera: Camera) -> np.ndarray:
    way = np.subtract(camera.target, camera.position)
    length = math.hypot(way[0], way[2])
    return np.array([0.0, 0.0, -1.0]) if length < 1e-6 else np.array([way[0] / length, 0.0, way[2] / length])


def _on_horizon(camera: Camera) -> np.ndarray:
    return np.add(camera.position, _level_way(camera) * _FAR)


def _height(camera: Camera, point) -> float:
    place = project_point(make_camera_view(camera, 3, 2), point)
    return math.inf if place is None else (0.5 - place[1]) * _FILM


def matched_to_photograph(camera: Camera, horizon: float, foot: float) -> Camera:
    """A camera as far from its foot as before, that sees the horizon and the foot at given heights.

    Parameters
    ----------
    camera : Camera
        The camera. It is held upright, with its perspective, and looks level or tilted, as before.
    horizon, foot : float
        As `horizon_and_foot` has them; the foot lies below the horizon.

    Returns
    -------
    Camera

    Raises
    ------
    ValueError
        If the foot does not lie below the horizon.
    """
    if not foot < horizon - _LEAST:
        raise ValueError("the product has to stand below the horizon")
    camera = camera.with_(roll=0.0, is_parallel=False)
    base, way = np.array(foot_of(camera)), _level_way(camera)
    distance = max(float(np.linalg.norm(np.subtract(camera.position, base))), 1.0)

    def standing(at) -> Camera:
        """The camera at a height over the foot, as an angle, that looks at a height over it, in distances.

        Parameters
        ----------
        at : (2,) float
            Angle and height.

        Returns
        -------
        Camera
        """
        up, looks = at
        position = base + distance * (math.sin(up) * np.array([0, 1.0, 0]) - math.cos(up) * way)
        target = base + distance * looks * np.array([0, 1.0, 0])
        return camera.with_(
            position=tuple(round(float(x), 4) for x in position), target=tuple(round(float(x), 4) for x in target)
        )

    def missed(at) -> tuple[float, float]:
        """Distances of horizon and foot from where they should lie.

        Parameters
        ----------
        at : (2,) float
            As for `standing`.

        Returns
        -------
        horizon, foot : float
        """
        seen = horizon_and_foot(standing(at))
        return tuple(np.clip(np.subtract(seen, (horizon, foot)), -100, 100))

    rises = math.asin(min(max((camera.position[1]) / distance, -1), 1))
    start = np.clip(rises, _LOWEST, _HIGHEST), np.clip(camera.target[1] / distance, -3, 3)
    found = least_squares(missed, start, bounds=((_LOWEST, -4), (_HIGHEST, 4)), diff_step=1e-4)
    return standing(found.x)
