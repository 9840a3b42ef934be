"""Parts whose surface in the scene is another one than their mesh: smoothed, with true relief, or poured."""

from weakref import WeakKeyDictionary

import numpy as np

from mat_shelf.document.product import Part, Pose
from mat_shelf.document.project import Project
from mat_shelf.geometry.caps import Caps
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.pose import posed, turn_matrix
from mat_shelf.geometry.smoothing import SmoothSurface
from mat_shelf.scene.displacement import ReshapedPart, make_displacements
from mat_shelf.scene.poured_liquids import liquid_parts
from mat_shelf.scene.poured_streams import stream_parts
from mat_shelf.scene.smoothed_parts import smooth_surface_of
from mat_shelf.scene.strewn_beads import strewn_parts

_standing: WeakKeyDictionary[SmoothSurface, dict[str, tuple[Pose, ReshapedPart]]] = WeakKeyDictionary()


def _stand(made: SmoothSurface, mesh: Mesh, part: Part) -> ReshapedPart:
    """A smooth surface as it stands as a part, made once for each pose."""
    known, pose = _standing.setdefault(made, {}), part.pose
    if part.id in known and known[part.id][0] == pose:
        return known[part.id][1]
    place = made.place.reshape(-1, 3, 2)
    shares = np.concatenate([1 - place.sum(axis=2, keepdims=True), place], axis=2)
    corners = mesh.vertices[mesh.triangles[made.face]]
    rest = np.einsum("tij,tjk->tik", shares, corners, dtype=np.float64).reshape(-1, 3)
    rest = (rest * pose.scale) @ turn_matrix(pose.turn).T + np.array(pose.shift)
    rest = np.ascontiguousarray(rest.reshape(-1, 9), np.float32)
    stands = ReshapedPart(posed(made.mesh, pose), rest, made.face, made.place)
    known[part.id] = pose, stands
    return stands


def reshaped_parts(project: Project, supplies, dragged: frozenset[str] = frozenset()) -> dict[str, ReshapedPart | Caps]:
    """Surfaces of the visible parts that are smoothed, of those with true relief as far as it is made,
    of liquids, streams and drops.

    Parameters
    ----------
    project : Project
        The project.
    supplies : Supplies
        Meshes, faces of zones, and true relief.
    dragged : frozenset of str
        Liquids, by part, whose surfaces may be coarse.

    Returns
    -------
    dict of ReshapedPart or Caps
        By part.
    """
    made = make_displacements(project, supplies.displaced)
    for part in project.product.parts:
        if not part.smoothing or part.is_hidden or part.is_derived:
            continue
        smooth = smooth_surface_of(part, supplies.meshes, supplies.faces)
        if smooth is not None:
            made[part.id] = _stand(smooth, supplies.meshes[part.mesh], part)
    for parts_of in (liquid_parts, stream_parts, strewn_parts):
        made |= parts_of(project, supplies, dragged)
    return made
