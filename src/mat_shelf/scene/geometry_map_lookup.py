"""Look-up of geometry maps at hits."""

from mat_shelf.document.pattern import Step
from mat_shelf.document.project import Project
from mat_shelf.scene.bodies import visible_parts
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.geometry_maps import GeometryMapKey, surroundings_key


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

    def arrays(self, kind: str, radius: float) -> list[tuple | None]:
        """A geometry map of each geometry, as operations read it; None where it is not there yet.

        Parameters
        ----------
        kind : str
            Kind of the map: edges, crevices or nearby.
        radius : float
            Reach of the map, mm.

        Returns
        -------
        list of (first, count, values, first triangle) or None
        """
        found = []
        for geometry, (mesh, size, around) in enumerate(self._keys):
            around = around if Step.kinds[kind].looks == "others" else ""
            known = self._maps.get(GeometryMapKey(mesh, kind, radius, size, around))
            arrays = known and (known.first, known.count, known.values, int(self._first[geometry]))
            found.append(arrays)
        return found


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
