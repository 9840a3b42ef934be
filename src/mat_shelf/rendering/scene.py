"""The scene: triangles in Embree, the material each geometry wears, and the parameter block.

Geometry and materials are kept apart, because adding triangles to Embree is slow and an edit of a material must
never do it.
"""

from collections import namedtuple
from collections.abc import Mapping, Sequence

import numpy as np
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene

from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.optics.parameters import parameter_row
from mat_shelf.rendering.backdrop import sweep_mesh

UNDRESSED = Recipe(base_color=(0.5, 0.5, 0.5), specular_roughness=0.5)
"""What a part without a material wears."""

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


Dressing = namedtuple("Dressing", "rows parameters")
"""rows : (G,) int32, the parameter row of each geometry
parameters : (M, WIDTH) float32"""


def dress(recipes: Sequence[Recipe], rows: Sequence[int]) -> Dressing:
    """The parameter block of some recipes, and which of them each geometry wears."""
    return Dressing(np.array(rows, np.int32).reshape(-1), np.stack([parameter_row(r) for r in recipes]))


def project_geometry(project: Project, meshes: Mapping[str, Mesh]) -> Geometry:
    """Geometry of a project: its parts in order, then the backdrop if there is one.

    Raises
    ------
    KeyError
        If a part's mesh is not among `meshes`.
    """
    solids = [meshes[part.mesh] for part in project.product.parts]
    if project.set.backdrop is not None:
        solids.append(sweep_mesh(project.set.backdrop))
    return Geometry(solids)


def project_dressing(project: Project) -> Dressing:
    """Materials of a project's geometry, in the order of `project_geometry`."""
    ids = [material.id for material in project.materials]
    recipes = [UNDRESSED, *(material.recipe for material in project.materials)]
    rows = [ids.index(part.material) + 1 if part.material else 0 for part in project.product.parts]
    backdrop = project.set.backdrop
    if backdrop is not None:
        rows.append(len(recipes))
        recipes.append(
            Recipe(
                base_color=backdrop.color,
                base_diffuse_roughness=0.5 * (1 - backdrop.gloss),
                specular_weight=backdrop.gloss,
                specular_roughness=0.35 - 0.3 * backdrop.gloss,
            )
        )
    return dress(recipes, rows)
