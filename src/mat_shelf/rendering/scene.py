"""The scene: triangles in Embree, the material each geometry wears, and the parameter block.

Geometry and materials are kept apart, because adding triangles to Embree is slow and an edit of a material must
never do it.
"""

from collections import namedtuple
from collections.abc import Mapping, Sequence
from typing import Protocol

import numpy as np
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene

from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.optics.parameters import parameter_row
from mat_shelf.rendering.backdrop import sweep_mesh
from mat_shelf.rendering.ball import BALL_RECIPE, Ball

UNDRESSED = Recipe(base_color=(0.5, 0.5, 0.5), specular_roughness=0.5)
"""What a part without a material wears."""


class Supplies(Protocol):
    """What a project refers to by SHA-256; looked into whenever something is built, and may grow.

    Attributes
    ----------
    meshes : mapping to Mesh
    rooms : mapping to (H, 2H, 3) float32
    """

    meshes: Mapping[str, Mesh]
    rooms: Mapping[str, np.ndarray]


Triangles = namedtuple("Triangles", "corners normals first")
"""corners, normals : (T, 9) float32, three points or shading normals per triangle
first : (G,) int32, index of each geometry's first triangle"""


class Geometry:
    """Meshes in Embree. Geometry g is the g-th mesh given.

    Parameters
    ----------
    meshes : sequence of Mesh
    """

    def __init__(self, meshes: Sequence[Mesh]):
        self._embree = EmbreeScene()
        counts = [len(mesh.triangles) for mesh in meshes]
        for mesh in meshes:
            TriangleMesh(self._embree, mesh.vertices, mesh.triangles)
        empty = np.zeros((0, 9), np.float32)
        self.triangles = Triangles(
            np.concatenate([m.vertices[m.triangles].reshape(-1, 9) for m in meshes] or [empty]),
            np.concatenate([m.normals[m.triangles].reshape(-1, 9) for m in meshes] or [empty]),
            np.cumsum([0, *counts])[:-1].astype(np.int32),
        )
        self.is_empty = not meshes
        if meshes:  # the first query commits the scene, which two threads must not do at once
            self._embree.run(np.zeros((1, 3), np.float32), np.ones((1, 3), np.float32))

    def intersect(self, origins, directions):
        """Nearest hits of rays.

        Parameters
        ----------
        origins, directions : (N, 3) float32, C-contiguous; directions of unit length

        Returns
        -------
        geometry, primitive : (N,) int32, -1 where nothing is hit
        u, v, distance : (N,) float32
        """
        if self.is_empty:
            none = np.full(len(origins), -1, np.int32)
            zero = np.zeros(len(origins), np.float32)
            return none, none, zero, zero, np.full(len(origins), 1e37, np.float32)
        hits = self._embree.run(origins, directions, output=1)
        return hits["geomID"], hits["primID"], hits["u"], hits["v"], hits["tfar"]

    def occluded(self, origins, directions, distances):
        """Whether anything lies on rays nearer than `distances`, (N,) int32, -1 where nothing does."""
        if self.is_empty:
            return np.full(len(origins), -1, np.int32)
        return self._embree.run(origins, directions, dists=distances, query="OCCLUDED")


Dressing = namedtuple("Dressing", "rows parameters backdrop")
"""rows : (G,) int32, the parameter row of each geometry
parameters : (M, WIDTH) float32
backdrop : int, the row that is the backdrop's; -1 where there is none"""


def dress(recipes: Sequence[Recipe], rows: Sequence[int], backdrop: int = -1) -> Dressing:
    """The parameter block of some recipes, and which of them each geometry wears."""
    return Dressing(np.array(rows, np.int32).reshape(-1), np.stack([parameter_row(r) for r in recipes]), backdrop)


def project_geometry(project: Project, meshes: Mapping[str, Mesh], ball: Ball | None = None) -> Geometry:
    """Geometry of a project: its parts in order, then the backdrop and the ball if they are there.

    Raises
    ------
    KeyError
        If a part's mesh is not among `meshes`.
    """
    solids = [meshes[part.mesh] for part in project.product.parts]
    if project.set.backdrop is not None:
        solids.append(sweep_mesh(project.set.backdrop))
    if ball is not None:
        solids.append(ball.mesh())
    return Geometry(solids)


def project_dressing(project: Project, ball: Ball | None = None) -> Dressing:
    """Materials of a project's geometry, in the order of `project_geometry`."""
    ids = {material.id: row for row, material in enumerate(project.materials, 1)}
    recipes = [UNDRESSED, *(material.recipe for material in project.materials)]
    rows = [ids[part.material] if part.material else 0 for part in project.product.parts]
    backdrop, backdrop_row = project.set.backdrop, -1
    if backdrop is not None:
        backdrop_row = len(recipes)
        rows.append(backdrop_row)
        recipes.append(
            Recipe(
                base_color=backdrop.color,
                base_diffuse_roughness=0.5 * (1 - backdrop.gloss),
                specular_weight=backdrop.gloss,
                specular_roughness=0.35 - 0.3 * backdrop.gloss,
            )
        )
    if ball is not None:
        rows.append(len(recipes))
        recipes.append(BALL_RECIPE)
    return dress(recipes, rows, backdrop_row)
