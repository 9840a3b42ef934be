"""Files that a project refers to."""

from collections.abc import Mapping
from typing import Protocol

import numpy as np

from mat_shelf.geometry.mesh import Mesh


class Supplies(Protocol):
    """Files that a project refers to by SHA-256; looked into whenever something is built, and may grow.

    Attributes
    ----------
    meshes : mapping to Mesh
    rooms : mapping to (H, 2H, 3) float32
    faces : mapping to (N,) int32
        The faces of zones.
    pictures : mapping to Mipmap
        What patterns show.
    shape_maps : mapping from GeometryMapKey to GeometryMap
        Geometry maps of parts, as far as they are made.
    displaced : mapping from part id to (what it depends on, Displaced or str)
        Parts with true relief, as far as they are made; see `scene.displacement`.
    """

    meshes: Mapping[str, Mesh]
    rooms: Mapping[str, np.ndarray]
    faces: Mapping[str, np.ndarray]
    pictures: Mapping
    geometry_maps: Mapping
    displaced: Mapping
