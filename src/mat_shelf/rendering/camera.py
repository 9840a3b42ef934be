"""A full-frame camera with a thin lens."""

import math
from collections import namedtuple

import numpy as np

from mat_shelf.document.camera import Camera
from mat_shelf.numerics.kernels import F, inline
from mat_shelf.numerics.vectors import add, normalize, scale, sub

FRAME = (36.0, 24.0)
"""mm, width and height. A picture of another shape shows the whole frame and more beside it or above it."""

CameraView = namedtuple("CameraView", "position right up forward half_width half_height lens focus")
"""What kernels read: float32 triples, half sizes of the picture at distance 1, lens radius and focus distance, mm."""


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
    up = np.array([0, 0, -1.0]) if abs(forward[1]) > 0.9999 else np.array([0, 1.0, 0])
    right = np.cross(forward, up)
    right /= np.linalg.norm(right)
    up = np.cross(right, forward)
    shape = width / height
    half_width = max(FRAME[0], FRAME[1] * shape) / 2 / camera.focal_length
    lens = camera.focal_length / camera.f_stop / 2 if camera.f_stop > 0 else 0.0
    return CameraView(
        *(tuple(F(x) for x in v) for v in (position, right, up, forward)),
        F(half_width),
        F(half_width / shape),
        F(lens),
        F(camera.focus if camera.focus > 0 else distance),
    )


@inline
def camera_ray(view, x, y, u, v):
    """The ray through a point of the picture.

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
    a = (F(2) * x - F(1)) * view.half_width
    b = (F(1) - F(2) * y) * view.half_height
    along = add(view.forward, add(scale(view.right, a), scale(view.up, b)))
    if view.lens <= F(0):
        return view.position, normalize(along)
    radius = view.lens * math.sqrt(u)
    phi = F(2 * math.pi) * v
    shift = add(scale(view.right, radius * math.cos(phi)), scale(view.up, radius * math.sin(phi)))
    return add(view.position, shift), normalize(sub(scale(along, view.focus), shift))


def ray_through(view: CameraView, x: float, y: float) -> tuple[np.ndarray, np.ndarray]:
    """The ray through a point of the picture, from the middle of the lens.

    Parameters
    ----------
    view : CameraView
        View of the camera.
    x, y : float
        Point of the picture, [0, 1], from its top left.

    Returns
    -------
    origin, direction : (3,) float64
        mm, and of unit length.
    """
    right, up, forward = (np.array(axis, np.float64) for axis in (view.right, view.up, view.forward))
    direction = forward + (2 * x - 1) * view.half_width * right + (1 - 2 * y) * view.half_height * up
    return np.array(view.position, np.float64), direction / np.linalg.norm(direction)


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
    x = float(to @ np.array(view.right)) / depth / view.half_width
    y = float(to @ np.array(view.up)) / depth / view.half_height
    return (x + 1) / 2, (1 - y) / 2
