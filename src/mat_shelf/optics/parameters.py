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


def write_fed(rows: np.ndarray, fed, recipe: Recipe) -> None:
    """Writes fed inputs into rows that hold a recipe's constant ones.

    Parameters
    ----------
    rows : (N, WIDTH) float32
    fed : mapping from the name of an input to (N,) or (N, 3) float32
    """
    for name, column in _COLUMNS.items():
        if name in fed:
            rows[:, column] = fed[name]
    if "specular_color" in fed:
        rows[:, SPECULAR_COLOR : SPECULAR_COLOR + 3] = fed["specular_color"]
    if "base_color" in fed or "base_weight" in fed:
        rows[:, BASE_COLOR : BASE_COLOR + 3] = _scaled(
            fed.get("base_color", recipe.base_color), fed.get("base_weight", recipe.base_weight)
        )
    if "emission_color" in fed or "emission_luminance" in fed:
        luminance = fed.get("emission_luminance", recipe.emission_luminance)
        color = fed.get("emission_color", recipe.emission_color)
        rows[:, EMISSION : EMISSION + 3] = _scaled(color, np.divide(luminance, np.float32(WHITE)))


_COLUMNS = {
    "base_diffuse_roughness": DIFFUSE_ROUGHNESS,
    "base_metalness": METALNESS,
    "specular_weight": SPECULAR_WEIGHT,
    "specular_roughness": ROUGHNESS,
    "transmission_weight": TRANSMISSION,
}


def _scaled(color, weight) -> np.ndarray:
    """Colours, (3,) or (N, 3), times weights, a number or (N,)."""
    return np.asarray(color, np.float32) * np.asarray(weight, np.float32)[..., None]


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
