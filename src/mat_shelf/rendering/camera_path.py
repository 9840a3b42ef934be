"""The way of a camera from one view to another."""

import math

import numpy as np

from mat_shelf.document.camera import Camera

_CLOSED = 64.0
"""f-stop beyond which all is sharp."""


def check_path(one: Camera, other: Camera) -> None:
    """Refuses two cameras that no way leads between.

    Parameters
    ----------
    one, other : Camera
        The cameras.

    Raises
    ------
    ValueError
        If only one of them has parallel rays, or straight verticals: the picture would jump.
    """
    for name in ("is_parallel", "keeps_verticals"):
        if getattr(one, name) != getattr(other, name):
            words = Camera.parameter(name).title.lower()
            raise ValueError(f"one view has {words} and the other has not; give both the same")


def between(one: Camera, other: Camera, share: float) -> Camera:
    """A camera on the way from one to another.

    It goes round the point that it looks at, the shorter way, while that moves straight on: distances and lenses change
    by equal factors in equal times, apertures by their width, white by its mireds.

    Parameters
    ----------
    one, other : Camera
        Beginning and end.
    share : float
        Of the way, in [0, 1].

    Returns
    -------
    Camera
    """
    if share <= 0 or share >= 1:
        return other if share >= 1 else one
    target = (1 - share) * np.array(one.target) + share * np.array(other.target)
    first, last = (_around(np.subtract(camera.position, camera.target)) for camera in (one, other))
    distance = _by_factors(first[0], last[0], share)
    azimuth = first[1] + share * _turn(first[1], last[1], 2 * math.pi)
    height = first[2] + share * (last[2] - first[2])
    flat = math.cos(height)
    away = distance * np.array([flat * math.sin(azimuth), math.sin(height), flat * math.cos(azimuth)])
    widths = [1 / camera.f_stop if camera.f_stop > 0 else 0.0 for camera in (one, other)]
    width = (1 - share) * widths[0] + share * widths[1]
    factors = {
        name: _by_factors(getattr(one, name), getattr(other, name), share) for name in ("focal_length", "sensor")
    }
    straight = ("shift", "roundness", "white_tint")
    return (other if share >= 0.5 else one).with_(
        position=tuple(float(x) for x in target + away),
        target=tuple(float(x) for x in target),
        f_stop=1 / width if width * _CLOSED > 1 else 0.0,
        focus=_focus(one, other, share),
        roll=(one.roll + share * _turn(one.roll, other.roll, 360.0) + 180) % 360 - 180,
        white=1 / ((1 - share) / one.white + share / other.white),
        **factors,
        **{name: (1 - share) * getattr(one, name) + share * getattr(other, name) for name in straight},
    )


def _around(away: np.ndarray) -> tuple[float, float, float]:
    """Distance, azimuth and height angle of a point, radians."""
    distance = float(np.linalg.norm(away))
    return distance, math.atan2(away[0], away[2]), math.asin(max(min(away[1] / distance, 1.0), -1.0))


def _focus(one: Camera, other: Camera, share: float) -> float:
    """Focus on the way: on the target where both are, else between their distances."""
    if one.focus <= 0 and other.focus <= 0:
        return 0.0
    reaches = (camera.focus or math.dist(camera.position, camera.target) for camera in (one, other))
    return _by_factors(*reaches, share)


def _by_factors(one: float, other: float, share: float) -> float:
    return float(one ** (1 - share) * other**share)


def _turn(one: float, other: float, whole: float) -> float:
    """The shorter way from one angle to another."""
    return (other - one + whole / 2) % whole - whole / 2
