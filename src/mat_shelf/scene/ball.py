"""A small coloured ball, stood beside a surface to read what it reflects and how sharply."""

from dataclasses import dataclass

import numpy as np
import trimesh

from mat_shelf.document.recipe import Recipe
from mat_shelf.geometry.mesh import Mesh

BALL_RECIPE = Recipe(
    base_color=(0.85, 0.18, 0.02), specular_roughness=0.5, emission_luminance=60.0, emission_color=(1.0, 0.25, 0.04)
)
"""A strong orange that few products have; a little glow keeps it legible in dark sets."""
GAP = 0.2
"""Between surface and ball, in radii, so that the ball does not shade the point it is read at."""


@dataclass(frozen=True)
class Ball:
    """Place and size of a ball for judging reflections.

    Attributes
    ----------
    point, normal : (3,) float
        Of the surface, mm; the normal of unit length.
    radius : float, mm
    """

    point: tuple[float, float, float]
    normal: tuple[float, float, float]
    radius: float

    @property
    def centre(self) -> np.ndarray:
        """Middle of the ball, (3,) float64, mm."""
        return np.add(self.point, np.multiply(self.normal, self.radius * (1 + GAP)))

    def mesh(self) -> Mesh:
        """Mesh of the ball, mm.

        Returns
        -------
        Mesh
        """
        sphere = trimesh.creation.icosphere(4)
        return Mesh(
            np.ascontiguousarray(sphere.vertices * self.radius + self.centre, np.float32),
            np.ascontiguousarray(sphere.faces, np.int32),
            np.ascontiguousarray(sphere.vertices, np.float32),
        )
