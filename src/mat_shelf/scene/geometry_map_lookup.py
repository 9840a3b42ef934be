"""Look-up of geometry maps at hits."""

import numpy as np

from mat_shelf.document.pattern import Step
from mat_shelf.document.project import Project
from mat_shelf.numerics.kernels import F, kernel
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.geometry_maps import GeometryMapKey, surroundings_key
from mat_shelf.scene.material_table import visible_parts


@kernel
def look_up_map_kernel(first, count, values, triangle, us, vs, out):
    """Values between the nodes of the triangles, at (N,) places, into (N,).

    Parameters
    ----------
    first, count : (T,) int32
        Lattice of each triangle.
    values : (K,) float32
        Values at the nodes.
    triangle : (N,) int32
        Triangle of each point.
    us : (N,) float32
        First barycentric coordinates.
    vs : (N,) float32
        Second barycentric coordinates.
    out : (N,) float32
        Receives the values.
    """
    for k in range(triangle.shape[0]):
        t = triangle[k]
        n = count[t]
        a, b = us[k] * F(n), vs[k] * F(n)
        i, j = min(max(int(a), 0), n - 1), min(max(int(b), 0), n - 1)
        if i + j > n - 1:
            j = n - 1 - i
        fa, fb = a - F(i), b - F(j)
        here = first[t] + i * (n + 1) - i * (i - 1) // 2 + j
        right = here + n + 1 - i  # the node at (i + 1, j)
        if fa + fb <= F(1) or i + j >= n - 1:
            out[k] = (F(1) - fa - fb) * values[here] + fa * values[right] + fb * values[here + 1]
        else:
            out[k] = (fa + fb - F(1)) * values[right + 1] + (F(1) - fb) * values[right] + (F(1) - fa) * values[here + 1]


class GeometryMapLookup:
    """The geometry maps of a scene, looked up at hits.

    Parameters
    ----------
    keys : sequence of (mesh SHA-256, scale, what `GeometryMapKey.around` is for maps that have it)
        Of each geometry.
    first : (G,) int32
        Where the triangles of each geometry begin.
    maps : mapping from GeometryMapKey to GeometryMap
        May grow.
    """

    def __init__(self, keys, first, maps):
        self._keys, self._first, self._maps = keys, first, maps

    def values(self, kind: str, radius: float, part, triangle, u, v) -> np.ndarray:
        """Values at hits, (N,) float32; 0 where a map is not there yet.

        Parameters
        ----------
        kind : str
            Kind of the map: edges, crevices or nearby.
        radius : float
            Reach of the map, mm.
        part : Part
            The part.
        triangle : (N,) int32
            Triangle of each point.
        u, v : (N,) float32
            Barycentric coordinate.

        Returns
        -------
        (N,) float32
        """
        out = np.zeros(len(part), np.float32)
        for geometry in np.unique(part):
            if geometry >= len(self._keys):
                continue
            mesh, size, around = self._keys[geometry]
            around = around if Step.kinds[kind].looks == "others" else ""
            found = self._maps.get(GeometryMapKey(mesh, kind, radius, size, around))
            if found is None:
                continue
            index = np.flatnonzero(part == geometry)
            values = np.empty(len(index), np.float32)
            local = (triangle[index] - self._first[geometry]).astype(np.int32)
            look_up_map_kernel(found.first, found.count, found.values, local, u[index], v[index], values)
            out[index] = values
        return out


def lookup_keys(project: Project) -> list[tuple[str, float, str]]:
    """The keys of a `GeometryMapLookup` for a project's visible parts.

    Parameters
    ----------
    project : Project
        The project.

    Returns
    -------
    list[tuple[str, float, str]]
    """
    whole = surroundings_key(project)
    shown = (project.product.parts[place] for place in visible_parts(project))
    return [(part.mesh, part.pose.scale, f"{part.id} {whole}") for part in shown]


def geometry_map_lookup(project: Project, geometry: Geometry, maps) -> GeometryMapLookup:
    """Lookup of the geometry maps of a project's visible parts.

    Parameters
    ----------
    project : Project
        The project.
    geometry : Geometry
        Geometry of the scene.
    maps : mapping
        Geometry maps by key.

    Returns
    -------
    GeometryMapLookup
    """
    return GeometryMapLookup(lookup_keys(project), geometry.triangles.first, maps)
