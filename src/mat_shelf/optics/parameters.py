"""The parameter block: one row of float32 per material (or per hit), read by the surface kernels."""

import numpy as np

from mat_shelf.document.recipe import Recipe
from mat_shelf.optics.media import absorption

BASE_COLOR = 0  # 3: base_color times base_weight
DIFFUSE_ROUGHNESS = 3
METALNESS = 4
SPECULAR_WEIGHT = 5
SPECULAR_COLOR = 6  # 3
ROUGHNESS = 9
ANISOTROPY = 10
IOR = 11
TRANSMISSION = 12
TRANSMISSION_TINT = 13  # 3: applied at the boundary, where the depth is 0
ABSORPTION = 16  # 3: 1/mm
PRIORITY = 19
EMISSION = 20  # 3: radiance, 1 = 1000 cd/m2
WIDTH = 23

WHITE = 1000.0
"""cd/m2 of a radiance of 1 inside the renderer."""


def parameter_row(recipe: Recipe) -> np.ndarray:
    """The row of one recipe, shape (WIDTH,), float32."""
    row = np.zeros(WIDTH, np.float32)
    row[BASE_COLOR : BASE_COLOR + 3] = np.multiply(recipe.base_color, recipe.base_weight)
    row[DIFFUSE_ROUGHNESS] = recipe.base_diffuse_roughness
    row[METALNESS] = recipe.base_metalness
    row[SPECULAR_WEIGHT] = recipe.specular_weight
    row[SPECULAR_COLOR : SPECULAR_COLOR + 3] = recipe.specular_color
    row[ROUGHNESS] = recipe.specular_roughness
    row[IOR] = recipe.specular_ior
    row[TRANSMISSION] = recipe.transmission_weight
    tints_boundary = recipe.transmission_depth == 0
    row[TRANSMISSION_TINT : TRANSMISSION_TINT + 3] = recipe.transmission_color if tints_boundary else 1.0
    row[ABSORPTION : ABSORPTION + 3] = absorption(recipe.transmission_color, recipe.transmission_depth)
    row[PRIORITY] = recipe.nesting_priority
    row[EMISSION : EMISSION + 3] = np.multiply(recipe.emission_color, recipe.emission_luminance / WHITE)
    return row
