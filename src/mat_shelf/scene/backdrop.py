"""The backdrop a product stands on: its mesh and its recipe."""

import numpy as np

from mat_shelf.document.camera import Camera
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.set import Backdrop
from mat_shelf.geometry.mesh import Mesh, crease_normals

_BENDS = 48
"""Segments of a bend."""


def backdrop_mesh(backdrop: Backdrop) -> Mesh:
    """A backdrop as a mesh, floor at y = 0, wall at z = -depth.

    Parameters
    ----------
    backdrop : Backdrop
        The backdrop.

    Returns
    -------
    Mesh
    """
    front, half = backdrop.depth * 3, backdrop.width / 2
    if backdrop.form == "floor":
        return _drawn_across(np.array([(front, 0.0), (-front, 0.0)]), half)
    radius = min(backdrop.radius, backdrop.depth, backdrop.height)
    angle = np.linspace(0, np.pi / 2, _BENDS)
    curve = [(-backdrop.depth + radius - radius * np.sin(a), radius - radius * np.cos(a)) for a in angle]
    line = np.array([(front, 0.0), *curve, (-backdrop.depth, backdrop.height)])
    sweep = _drawn_across(line, half)
    if backdrop.form == "sweep":
        return sweep
    sides = [
        np.array(
            [(x, 0, front), (x, 0, -backdrop.depth), (x, backdrop.height, -backdrop.depth), (x, backdrop.height, front)]
        )
        for x in (-half, half)
    ]
    walls = [np.array([[0, 1, 2], [0, 2, 3]]), np.array([[0, 2, 1], [0, 3, 2]])]
    count = len(sweep.vertices)
    triangles = [sweep.triangles, *(wall + count + 4 * k for k, wall in enumerate(walls))]
    return crease_normals(np.concatenate([sweep.vertices, *sides]), np.concatenate(triangles))


def _drawn_across(line: np.ndarray, half: float) -> Mesh:
    """A line of (z, y) drawn from side to side."""
    left = np.stack([np.full(len(line), -half), line[:, 1], line[:, 0]], axis=1)
    right = left * (-1, 1, 1)
    n = len(line)
    i = np.arange(n - 1)
    triangles = np.concatenate([np.stack([i, n + i, n + i + 1], 1), np.stack([i, n + i + 1, i + 1], 1)])
    return crease_normals(np.concatenate([left, right]), triangles)


def backdrop_shape(backdrop: Backdrop | None) -> tuple:
    """All that `backdrop_mesh` depends on.

    Parameters
    ----------
    backdrop : Backdrop or None
        The backdrop.

    Returns
    -------
    tuple
    """
    shape = backdrop and (backdrop.form, backdrop.width, backdrop.depth, backdrop.height, backdrop.radius)
    return shape or ()


def backdrop_recipe(backdrop: Backdrop, worn: Recipe | None) -> Recipe:
    """Recipe of a backdrop; what it wears as if no light went into it, since it has no inside.

    Parameters
    ----------
    backdrop : Backdrop
        The backdrop.
    worn : Recipe or None
        Recipe of the material that it wears.

    Returns
    -------
    Recipe
    """
    if worn is not None:
        return without_inside(worn)
    return Recipe(
        base_color=backdrop.color,
        base_diffuse_roughness=0.5 * (1 - backdrop.gloss),
        specular_weight=backdrop.gloss,
        specular_roughness=backdrop.roughness,
    )


def without_inside(recipe: Recipe) -> Recipe:
    """A recipe into which no light goes.

    Parameters
    ----------
    recipe : Recipe
        The recipe.

    Returns
    -------
    Recipe
    """
    fed = tuple(feed for feed in recipe.feeds if feed.input not in ("transmission_weight", "subsurface_weight"))
    return recipe.with_(transmission_weight=0.0, subsurface_weight=0.0, feeds=fed)


def seen_from(project: Project, camera: Camera) -> Project:
    """The project as a camera sees it in the view in use: without its backdrop where it stands beneath the floor.

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
    project = project.as_seen()
    studio = project.set
    if studio.backdrop is None or camera.position[1] >= 0:
        return project
    return project.with_set(studio.with_(backdrop=None))
