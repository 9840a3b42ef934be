"""A full-frame camera with a thin lens."""

import math
from collections import namedtuple
from functools import lru_cache

import numpy as np
from scipy.optimize import least_squares

from mat_shelf.document.camera import Camera
from mat_shelf.numerics.circle import circle_point
from mat_shelf.numerics.kernels import F, inline
from mat_shelf.numerics.vectors import add, dot, normalize, scale, sub
from mat_shelf.optics.color import black_body

FRAME = (36.0, 24.0)
"""mm, width and height. A picture of another shape shows the whole frame and more beside it or above it."""

CameraView = namedtuple(
    "CameraView", "position right up forward half_width half_height shift_up is_parallel lens blades roundness focus"
)
"""What kernels read: float32 triples; half sizes of the picture and how far its middle lies up, at distance 1, or in
mm where rays are parallel; lens radius, blades (0 for a circle) and how round they are; focus distance, mm."""
_PLAIN_WHITE = Camera().white
_STEEPEST = 0.2
"""Cosine of the steepest view whose verticals can be kept."""


@lru_cache(maxsize=32)
def make_camera_view(camera: Camera, width: int, height: int) -> CameraView:
    """The view of a camera for a picture of width x height pixels.

    Parameters
    ----------
    camera : Camera
        The camera.
    width : int
        Pixels across.
    height : int
        Pixels from top to bottom.

    Returns
    -------
    CameraView
    """
    position = np.array(camera.position, np.float64)
    forward = np.array(camera.target, np.float64) - position
    distance = np.linalg.norm(forward)
    forward /= distance
    rise = camera.shift / camera.focal_length
    level = math.hypot(forward[0], forward[2])
    if camera.keeps_verticals and level > _STEEPEST:
        rise += forward[1] / level
        distance *= level
        forward = np.array([forward[0] / level, 0.0, forward[2] / level])
    up = np.array([0, 0, -1.0]) if abs(forward[1]) > 0.9999 else np.array([0, 1.0, 0])
    right = np.cross(forward, up)
    right /= np.linalg.norm(right)
    up = np.cross(right, forward)
    c, s = math.cos(math.radians(camera.roll)), math.sin(math.radians(camera.roll))
    right, up = c * right + s * up, c * up - s * right
    shape = width / height
    size = distance if camera.is_parallel else 1.0
    half_width = max(FRAME[0], FRAME[1] * shape) / 2 / camera.focal_length * size
    # The real lens of a smaller sensor is as much shorter, for the same view.
    real = camera.focal_length * camera.sensor / FRAME[0]
    lens = real / camera.f_stop / 2 if camera.f_stop > 0 and not camera.is_parallel else 0.0
    return CameraView(
        *(tuple(F(x) for x in v) for v in (position, right, up, forward)),
        F(half_width),
        F(half_width / shape),
        F(rise * size),
        camera.is_parallel,
        F(lens),
        camera.blades if camera.blades >= 3 else 0,
        F(camera.roundness),
        F(camera.focus if camera.focus > 0 else distance),
    )


@inline
def _on_lens(view, u, v):
    """A point of the diaphragm, mm from its middle."""
    if view.blades == 0:
        radius, (x, y) = view.lens * math.sqrt(u), circle_point(v)
        return radius * x, radius * y
    # Evenly in one of the triangles between its middle and two corners; bowed blades push it out to the circle.
    count = F(view.blades)
    blade = F(np.int32(v * count))
    along = v * count - blade
    reach, step = math.sqrt(u), F(1) / count
    (x0, y0), (x1, y1) = circle_point(step * blade), circle_point(min(step * (blade + F(1)), F(1)))
    x, y = reach * (x0 + along * (x1 - x0)), reach * (y0 + along * (y1 - y0))
    edge = math.sqrt(F(1) - F(2) * along * (F(1) - along) * (F(1) - circle_point(step)[0]))
    grown = view.lens * (F(1) + view.roundness * (F(1) / edge - F(1)))
    return x * grown, y * grown


@inline
def pinhole_ray(view, x, y):
    """The ray through a point of the picture and the middle of the lens.

    Parameters
    ----------
    view : CameraView
        View of the camera.
    x, y : float32
        Place in the picture, [0, 1], from its top left.

    Returns
    -------
    (origin, direction) : float32 triples
    """
    origin, along = _sight(view, x, y)
    return origin, normalize(along)


@inline
def camera_ray(view, x, y, u, v):
    """The ray through a point of the picture and a point of the lens.

    Parameters
    ----------
    view : CameraView
        View of the camera.
    x, y : float32
        Place in the picture, [0, 1], from its top left.
    u, v : float32 in [0, 1)
        Place on the lens.

    Returns
    -------
    (origin, direction) : float32 triples
    """
    origin, along = _sight(view, x, y)
    across, upward = _on_lens(view, u, v)
    shift = add(scale(view.right, across), scale(view.up, upward))
    return add(origin, shift), normalize(sub(scale(along, view.focus), shift))


@inline
def _sight(view, x, y):
    a = (F(2) * x - F(1)) * view.half_width
    b = (F(1) - F(2) * y) * view.half_height + view.shift_up
    aside = add(scale(view.right, a), scale(view.up, b))
    if view.is_parallel:
        return add(view.position, aside), view.forward
    return view.position, add(view.forward, aside)


@inline
def place_in_picture(view, point):
    """Place in the picture at which a point of the scene is seen.

    Parameters
    ----------
    view : CameraView
        View of the camera.
    point : float32 triple
        mm.

    Returns
    -------
    x, y : float32
        As for `camera_ray`; below 0 where it lies behind the camera.
    """
    to = sub(point, view.position)
    depth = dot(to, view.forward)
    if depth <= F(0):
        return F(-1), F(-1)
    reach = F(1) if view.is_parallel else depth
    x = dot(to, view.right) / (reach * view.half_width)
    y = (dot(to, view.up) / reach - view.shift_up) / view.half_height
    return (x + F(1)) * F(0.5), (F(1) - y) * F(0.5)


def ray_through(view: CameraView, x, y) -> tuple[np.ndarray, np.ndarray]:
    """The ray through a point of the picture, or through many, from the middle of the lens.

    Parameters
    ----------
    view : CameraView
        View of the camera.
    x, y : float or (...) float
        Point of the picture, [0, 1], from its top left.

    Returns
    -------
    origin, direction : (..., 3) float64
        mm, and of unit length.
    """
    x, y = np.asarray(x)[..., None], np.asarray(y)[..., None]
    right, up, forward = (np.array(axis, np.float64) for axis in (view.right, view.up, view.forward))
    aside = (2 * x - 1) * view.half_width * right + ((1 - 2 * y) * view.half_height + view.shift_up) * up
    position = np.array(view.position, np.float64)
    if view.is_parallel:
        return position + aside, np.broadcast_to(forward, aside.shape)
    direction = forward + aside
    return np.broadcast_to(position, aside.shape), direction / np.linalg.norm(direction, axis=-1, keepdims=True)


def project_point(view: CameraView, point) -> tuple[float, float] | None:
    """Project a point of the scene to the picture.

    Parameters
    ----------
    view : CameraView
        View of the camera.
    point : (3,) float
        mm.

    Returns
    -------
    (x, y) or None
        Shares of the picture's width and height from its top left; None behind the camera.
    """
    to = np.subtract(point, view.position)
    depth = float(to @ np.array(view.forward))
    if depth <= 0:
        return None
    reach = 1.0 if view.is_parallel else depth
    x = float(to @ np.array(view.right)) / reach / view.half_width
    y = (float(to @ np.array(view.up)) / reach - view.shift_up) / view.half_height
    return (x + 1) / 2, (1 - y) / 2


def pixel_size(view: CameraView, point, height: int) -> float:
    """Size of a pixel at a point of the scene, mm.

    Parameters
    ----------
    view : CameraView
        View of the camera.
    point : (3,) float
        mm.
    height : int
        Pixels of the picture from top to bottom.

    Returns
    -------
    float
    """
    depth = float(np.subtract(point, view.position) @ np.array(view.forward, np.float64))
    reach = 1.0 if view.is_parallel else max(depth, 1e-3)
    return reach * float(view.half_height) * 2 / max(height, 1)


def sharp_zone(camera: Camera) -> tuple[float, float]:
    """Distances along the view between which a picture is sharp, mm: blur of up to 1/1200 of the sensor's width.

    Parameters
    ----------
    camera : Camera
        The camera.

    Returns
    -------
    nearest, farthest : float
        0 and infinity where everything is sharp.

    References
    ----------
    Depth of field of the thin lens; 0.03 mm of a full frame is the usual circle of confusion (common practice).
    """
    if camera.f_stop <= 0 or camera.is_parallel:
        return 0.0, math.inf
    view = make_camera_view(camera, 3, 2)
    radius, focus = float(view.lens), float(view.focus)
    # Blur at a distance d, seen at the focus: diameter of the lens times |d - focus| / d; its share of the frame there.
    allowed = 2 * float(view.half_width) * focus / 1200
    share = allowed / (2 * radius)
    return focus / (1 + share), focus / (1 - share) if share < 1 else math.inf


def white_gains(camera: Camera) -> np.ndarray:
    """Gains of the three channels that show the light which a camera is balanced for as white, of luminance 1.

    Parameters
    ----------
    camera : Camera
        The camera.

    Returns
    -------
    (3,) float32
    """
    if camera.white == _PLAIN_WHITE and camera.white_tint == 0:
        return np.ones(3, np.float32)
    return (1 / np.maximum(black_body(camera.white, camera.white_tint), 0.02)).astype(np.float32)


def balanced_for(rgb) -> tuple[float, float]:
    """White balance that shows a colour grey: temperature in kelvin and tint, as near as there is one.

    Parameters
    ----------
    rgb : (3,) float
        Linear Rec.709 of what should be grey.

    Returns
    -------
    white, white_tint : float
    """
    wanted = np.maximum(np.asarray(rgb, np.float64), 1e-6)
    wanted = np.log(wanted / wanted[1])

    def missed(at) -> np.ndarray:
        """Difference of the two free channels.

        Parameters
        ----------
        at : (2,) float64
            Reciprocal temperature in 1/1000 K, and 2 more than the tint, as steps are told in parts of a value.

        Returns
        -------
        (2,) float64
        """
        made = np.maximum(black_body(1000 / at[0], at[1] - 2).astype(np.float64), 1e-6)
        return (np.log(made / made[1]) - wanted)[[0, 2]]

    found = least_squares(missed, (0.16, 2.0), bounds=((0.05, 1.0), (0.66, 3.0)), diff_step=1e-3).x
    return round(float(1000 / found[0])), round(float(found[1]) - 2, 3)
