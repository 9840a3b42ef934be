"""The sweep a product stands on: a floor that curves up into a wall."""

import numpy as np

from mat_shelf.document.camera import Camera
from mat_shelf.document.project import Project
from mat_shelf.document.set import Backdrop
from mat_shelf.geometry.mesh import Mesh, crease_normals


def sweep_mesh(backdrop: Backdrop, steps: int = 48) -> Mesh:
    """The sweep as a mesh, floor at y = 0, wall at z = -depth.

    Parameters
    ----------
    backdrop : Backdrop
        The backdrop.
    steps : int
        Segments of each arc.

    Returns
    -------
    Mesh
    """
    radius = min(backdrop.radius, backdrop.depth, backdrop.height)
    angle = np.linspace(0, np.pi / 2, steps)
    front = [(backdrop.depth * 3, 0.0)]
    curve = [(-backdrop.depth + radius - radius * np.sin(a), radius - radius * np.cos(a)) for a in angle]
    line = np.array([*front, *curve, (-backdrop.depth, backdrop.height)])
    half = backdrop.width / 2
    left = np.stack([np.full(len(line), -half), line[:, 1], line[:, 0]], axis=1)
    right = left * (-1, 1, 1)
    n = len(line)
    i = np.arange(n - 1)
    triangles = np.concatenate([np.stack([i, n + i, n + i + 1], 1), np.stack([i, n + i + 1, i + 1], 1)])
    return crease_normals(np.concatenate([left, right]), triangles)


def sweep_shape(backdrop: Backdrop | None) -> tuple[float, ...]:
    """All that `sweep_mesh` depends on.

    Parameters
    ----------
    backdrop : Backdrop or None
        The backdrop.

    Returns
    -------
    tuple of float
    """
    return (backdrop.width, backdrop.depth, backdrop.height, backdrop.radius) if backdrop else ()


def seen_from(project: Project, camera: Camera) -> Project:
    """The project as a camera sees it: without its backdrop where the camera stands beneath the floor.

    Parameters
    ----------
    project : Project
        The project.
    camera : Camera
        The camera.

    Returns
    -------
    Project
    """
    studio = project.set
    if studio.backdrop is None or camera.position[1] >= 0:
        return project
    return project.with_set(studio.with_(backdrop=None))
