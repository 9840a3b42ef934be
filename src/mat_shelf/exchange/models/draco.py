"""Meshes compressed by Draco within glTF."""

import DracoPy
import numpy as np

from mat_shelf.exchange.models.beside import PartFaultError


def unpacked(data: bytes, attributes: dict) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    """A compressed primitive.

    Parameters
    ----------
    data : bytes
        Draco's own format.
    attributes : dict of int
        Draco's number of each attribute of glTF, as KHR_draco_mesh_compression has them.

    Returns
    -------
    triangles : (T, 3) int64
    arrays : dict of (V, width) arrays by attribute

    Raises
    ------
    PartFaultError
        If it is damaged.
    """
    try:
        mesh = DracoPy.decode(data)
        triangles = np.asarray(mesh.faces, np.int64).reshape(-1, 3)
        arrays = {}
        for name, key in attributes.items():
            found = mesh.get_attribute_by_unique_id(int(key))
            if found is not None:
                arrays[name] = np.asarray(found["data"])
    except MemoryError:
        raise
    except Exception as fault:  # the reader raises whatever the damage happens to cause
        raise PartFaultError("its Draco data cannot be read; export it without Draco compression") from fault
    return triangles, arrays
