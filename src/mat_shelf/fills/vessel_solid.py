"""Several parts as one vessel: a bottle with its stopper, a cup with its lid."""

from collections.abc import Sequence

import manifold3d
import numpy as np

from mat_shelf.fills.cavity import Vessel, VesselError, make_vessel, vessel_of
from mat_shelf.geometry.mesh import Mesh


def joined_vessel(meshes: Sequence[Mesh], up=(0.0, 1.0, 0.0)) -> Vessel:
    """The vessel that some closed meshes are together.

    Parameters
    ----------
    meshes : sequence of Mesh
        Meshes as they stand, mm.
    up : (3,) float
        Direction against gravity, of unit length.

    Returns
    -------
    Vessel

    Raises
    ------
    VesselError
        If one of them does not enclose a solid, or they cannot be joined.
    """
    vessels = [make_vessel(mesh, up) for mesh in meshes]
    if len(vessels) == 1:
        return vessels[0]
    solids = []
    for vessel in vessels:
        solid = manifold3d.Manifold(
            manifold3d.Mesh64(np.ascontiguousarray(vessel.vertices), vessel.triangles.astype(np.uint64))
        )
        if solid.status() != manifold3d.Error.NoError:
            raise VesselError("one of its parts has faces that do not fit together; mend it in the Product station")
        solids.append(solid)
    whole = manifold3d.Manifold.batch_boolean(solids, manifold3d.OpType.Add).to_mesh64()
    return vessel_of(np.array(whole.vert_properties[:, :3]), np.array(whole.tri_verts, np.int32))
