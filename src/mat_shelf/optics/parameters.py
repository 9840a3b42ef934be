"""The parameter block: one row of float32 per material (or per hit), read by the surface kernels."""

import numpy as np

from mat_shelf.document.recipe import Recipe
from mat_shelf.optics.color import luminance
from mat_shelf.optics.media import extinction, single_albedo

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
EXTINCTION = 16  # 3: 1/mm, of a clear body
EMISSION = 19  # 3: radiance, 1 = 1000 cd/m2
SCATTERED = 22  # 3: share of a clear body's extinction that is scattering
SCATTER_FORWARD = 25
SUBSURFACE = 26
SUBSURFACE_ALBEDO = 27  # 3: of one scattering; these seven stand together, a path takes them along
SUBSURFACE_EXTINCTION = 30  # 3: 1/mm
SUBSURFACE_FORWARD = 33
COAT = 34
COAT_TINT = 35  # 3: of one way straight through
COAT_ROUGHNESS = 38
COAT_IOR = 39
COAT_DARKENING = 40
FUZZ = 41
FUZZ_COLOR = 42  # 3
FUZZ_ROUGHNESS = 45
SUBSURFACE_COLOR = 46  # 3
BRUSH_WAY = 49  # 0, 1, 2 round x, y, z of the part; 3, 4, 5 along them
BRUSH_TURN = 50  # radians
LAYERED = 51  # whether it has any of what `layers` is about
OPACITY = 52
THIN = 53  # 1 for a sheet, 0 for a body
FILM = 54
FILM_WAY = 55  # nm: index times thickness
FILM_IOR = 56
DISPERSION = 57  # index at the F line less that at the C line
COAT_ANISOTROPY = 58
WIDTH = 59

_SHALLOWEST = 1e-4
"""mm; light that is scattered in less than that does not come out elsewhere."""

WHITE = 1000.0
"""cd/m2 of a radiance of 1 inside the renderer."""


def of_unit_luminance(color) -> np.ndarray:
    """A colour, (3,) linear, as bright as white; black stays black.

    Parameters
    ----------
    color : (3,) float
        Linear Rec.709.

    Returns
    -------
    (3,)
    """
    own = float(luminance(color))
    return np.asarray(color) / own if own > 1e-9 else np.zeros(3)


LAYERING = {
    "coat_weight",
    "fuzz_weight",
    "subsurface_weight",
    "specular_roughness_anisotropy",
    "thin_film_weight",
}
"""Inputs of which one above 0 makes a surface layered, as being a thin sheet does."""

FED_COLUMNS = {
    "base_diffuse_roughness": DIFFUSE_ROUGHNESS,
    "base_metalness": METALNESS,
    "specular_weight": SPECULAR_WEIGHT,
    "specular_roughness": ROUGHNESS,
    "specular_roughness_anisotropy": ANISOTROPY,
    "transmission_weight": TRANSMISSION,
    "subsurface_weight": SUBSURFACE,
    "coat_weight": COAT,
    "coat_roughness": COAT_ROUGHNESS,
    "fuzz_weight": FUZZ,
    "fuzz_roughness": FUZZ_ROUGHNESS,
    "thin_film_weight": FILM,
    "geometry_opacity": OPACITY,
    "specular_color": SPECULAR_COLOR,
    "fuzz_color": FUZZ_COLOR,
    "subsurface_color": SUBSURFACE_COLOR,
}
"""First column of each input that stands in the block as it is; others depend on them too (`scene.recipe_program`)."""


def parameter_row(recipe: Recipe) -> np.ndarray:
    """The row of one recipe, shape (WIDTH,), float32.

    Parameters
    ----------
    recipe : Recipe
        Recipe of the material.

    Returns
    -------
    (WIDTH,)
    """
    row = np.zeros(WIDTH, np.float32)
    row[BASE_COLOR : BASE_COLOR + 3] = np.multiply(recipe.base_color, recipe.base_weight)
    row[DIFFUSE_ROUGHNESS] = recipe.base_diffuse_roughness
    row[METALNESS] = recipe.base_metalness
    row[SPECULAR_WEIGHT] = recipe.specular_weight
    row[SPECULAR_COLOR : SPECULAR_COLOR + 3] = recipe.specular_color
    row[ROUGHNESS] = recipe.specular_roughness
    row[IOR] = recipe.specular_ior
    row[TRANSMISSION] = recipe.transmission_weight
    tints_boundary = recipe.transmission_depth == 0 or recipe.geometry_thin_walled
    row[TRANSMISSION_TINT : TRANSMISSION_TINT + 3] = recipe.transmission_color if tints_boundary else 1.0
    row[EXTINCTION : EXTINCTION + 3], row[SCATTERED : SCATTERED + 3] = extinction(
        recipe.transmission_color, recipe.transmission_depth, recipe.transmission_scatter
    )
    row[SCATTER_FORWARD] = recipe.transmission_scatter_anisotropy
    row[SUBSURFACE] = recipe.subsurface_weight
    row[SUBSURFACE_ALBEDO : SUBSURFACE_ALBEDO + 3] = single_albedo(
        recipe.subsurface_color, recipe.subsurface_scatter_anisotropy
    )
    row[SUBSURFACE_COLOR : SUBSURFACE_COLOR + 3] = recipe.subsurface_color
    depth = np.multiply(recipe.subsurface_radius, recipe.subsurface_radius_scale)
    row[SUBSURFACE_EXTINCTION : SUBSURFACE_EXTINCTION + 3] = 1 / np.maximum(depth, _SHALLOWEST)
    row[SUBSURFACE_FORWARD] = recipe.subsurface_scatter_anisotropy
    row[COAT] = recipe.coat_weight
    row[COAT_TINT : COAT_TINT + 3] = np.sqrt(recipe.coat_color)
    row[COAT_ROUGHNESS] = recipe.coat_roughness
    row[COAT_IOR] = recipe.coat_ior
    row[COAT_DARKENING] = recipe.coat_darkening
    row[FUZZ] = recipe.fuzz_weight
    row[FUZZ_COLOR : FUZZ_COLOR + 3] = recipe.fuzz_color
    row[FUZZ_ROUGHNESS] = recipe.fuzz_roughness
    row[ANISOTROPY] = recipe.specular_roughness_anisotropy
    row[BRUSH_WAY] = "xyz".index(recipe.brush_axis) + (3 if recipe.brush_way == "along" else 0)
    row[BRUSH_TURN] = np.radians(recipe.brush_turn)
    color = of_unit_luminance(recipe.emission_color)
    row[EMISSION : EMISSION + 3] = np.multiply(color, recipe.emission_luminance / WHITE)
    row[OPACITY] = recipe.geometry_opacity
    row[THIN] = recipe.geometry_thin_walled
    row[FILM] = recipe.thin_film_weight
    row[FILM_WAY] = recipe.thin_film_thickness * 1000 * recipe.thin_film_ior
    row[FILM_IOR] = recipe.thin_film_ior
    scale = recipe.transmission_dispersion_scale
    row[DISPERSION] = (recipe.specular_ior - 1) * scale / recipe.transmission_dispersion_abbe_number
    row[COAT_ANISOTROPY] = recipe.coat_roughness_anisotropy
    row[LAYERED] = recipe.geometry_thin_walled or any(getattr(recipe, name) > 0 for name in LAYERING)
    return row
