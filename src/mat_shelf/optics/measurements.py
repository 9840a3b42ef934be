"""Readings: what instruments would say of a material, found by sending light at its own surface model.

Constant inputs count; what patterns feed is read at the constant value beside them.
"""

from functools import cache
from typing import NamedTuple

import numpy as np

from mat_shelf.document.recipe import Recipe
from mat_shelf.numerics.kernels import F, kernel
from mat_shelf.optics.albedo_tables import albedo_tables
from mat_shelf.optics.coat_and_fuzz import entering, evaluate_layered, prepare_layered, sample_layered
from mat_shelf.optics.color import lab_from_linear, luminance
from mat_shelf.optics.media import extinction
from mat_shelf.optics.parameters import (
    IOR,
    SUBSURFACE_COLOR,
    THIN,
    parameter_row,
)

ANGLES = (0, 15, 30, 45, 60, 75, 85)
"""Degrees from straight on at which albedo is read."""
GLOSS_STANDARD = 1.567
"""Index of the polished black glass that reads 100 gloss units (ISO 2813)."""
GLOSS_APERTURES = {20: ((0.75, 2.5), (1.80, 3.60)), 60: ((0.75, 2.5), (4.40, 11.70)), 85: ((0.75, 2.5), (4.00, 6.00))}
"""Degrees, in and across the plane of incidence, of the source's image and of the receptor, by geometry (ISO 2813)."""
_SAMPLES = 200_000
_SPHERE_GEOMETRY = 8.0


class Measurements(NamedTuple):
    """Measurements of a recipe.

    Attributes
    ----------
    albedo : mapping from degrees to (3,) float
        Share of light that is reflected, or comes back out of a soft body, linear Rec.709.
    transmitted : mapping from degrees to (3,) float
        Share that passes the boundary of a clear body.
    f0 : (3,) float
        Reflectance of the boundary straight on.
    gloss : mapping from degrees to float
        Gloss units (ISO 2813).
    lab : (3,) float
        CIELAB under D65 of the light reflected at 8 degrees, gloss included.
    through : mapping from mm to (3,) float
        Share left after a way inside a clear body.
    most : float
        The largest share of any channel that is given back at any of the angles; above 1 energy would be made.
    """

    albedo: dict[int, np.ndarray]
    transmitted: dict[int, np.ndarray]
    f0: np.ndarray
    gloss: dict[int, float]
    lab: np.ndarray
    through: dict[int, np.ndarray]
    most: float


def measure(recipe: Recipe, samples: int = _SAMPLES) -> Measurements:
    """Reads a material, seen from air.

    Parameters
    ----------
    recipe : Recipe
        Recipe of the material.
    samples : int
        Samples per pixel.

    Returns
    -------
    Measurements
    """
    row = parameter_row(recipe)
    albedo, transmitted = {}, {}
    for angle in ANGLES:
        albedo[angle], transmitted[angle] = _albedo(row, angle, samples)
    lost, _ = extinction(recipe.transmission_color, recipe.transmission_depth, recipe.transmission_scatter)
    share = recipe.transmission_weight
    through = {mm: share * np.exp(-lost.astype(float) * mm) for mm in (1, 10)}
    if recipe.transmission_depth == 0:
        through = {mm: share * np.asarray(recipe.transmission_color, float) for mm in through}
    boundary = ((recipe.specular_ior - 1) / (recipe.specular_ior + 1)) ** 2 * recipe.specular_weight
    metal = recipe.base_metalness
    dielectric = boundary * np.asarray(recipe.specular_color, float)
    metallic = recipe.specular_weight * recipe.base_weight * np.asarray(recipe.base_color, float)
    return Measurements(
        albedo=albedo,
        transmitted=transmitted,
        f0=metal * metallic + (1 - metal) * dielectric,
        gloss={angle: _gloss(row, angle, samples) for angle in GLOSS_APERTURES},
        lab=lab_from_linear(_albedo(row, _SPHERE_GEOMETRY, samples)[0]),
        through=through,
        most=float(max((albedo[angle] + transmitted[angle]).max() for angle in ANGLES)),
    )


def _reflected(row: np.ndarray, angle: float, samples: int):
    """Directions of light from an angle and their weights, (N, 3) each; and the share that a soft body gives back."""
    numbers = np.random.default_rng(1).random((samples, 3)).astype(np.float32)
    directions, weights = np.zeros((samples, 3), np.float32), np.zeros((samples, 3), np.float32)
    soft = np.zeros(3, np.float32)
    scattered_light(row[None], F(np.radians(angle)), numbers, albedo_tables(), directions, weights, soft)
    return directions, weights, soft


def _albedo(row: np.ndarray, angle: float, samples: int) -> tuple[np.ndarray, np.ndarray]:
    directions, weights, soft = _reflected(row, angle, samples)
    up = directions[:, 2] > 0
    passed = weights[~up].sum(axis=0, dtype=np.float64) / samples
    return weights[up].sum(axis=0, dtype=np.float64) / samples + soft, passed


def _gloss(row: np.ndarray, angle: int, samples: int) -> float:
    return 100 * _into_receptor(row, angle, samples) / _standard(angle, samples)


@cache
def _standard(angle: int, samples: int) -> float:
    """Light from polished black glass into the receptor."""
    glass = Recipe(base_color=(0, 0, 0), specular_ior=GLOSS_STANDARD, specular_roughness=0.0)
    return _into_receptor(parameter_row(glass), angle, samples)


def _into_receptor(row: np.ndarray, angle: int, samples: int) -> float:
    """Share of the light of a glossmeter's source that falls into its receptor."""
    (source_in, source_across), (wide_in, wide_across) = GLOSS_APERTURES[angle]
    directions, weights, _ = _reflected(row, angle, samples)
    x, y, z = directions.T.astype(float)
    spread = np.random.default_rng(2).random((2, samples)) - 0.5
    along = np.degrees(np.arctan2(-x, z)) - angle + spread[0] * source_in
    across = np.degrees(np.arcsin(np.clip(y, -1, 1))) + spread[1] * source_across
    caught = (z > 0) & (np.abs(along) < wide_in / 2) & (np.abs(across) < wide_across / 2)
    return float(luminance(weights[caught].sum(axis=0, dtype=np.float64))) / samples


@kernel
def scattered_light(p, angle, numbers, tables, directions, weights, soft):
    """Samples what the surface of row 0 does with light from an angle, radians: directions and weights, (N, 3).

    `soft`, (3,), becomes the share that enters a soft body, times the colour that thick bodies of it have.

    Parameters
    ----------
    p : (M, WIDTH) float32
        Parameter block.
    angle : float32
        Angle of incidence, radians.
    numbers : (N, 3) float32
        Random numbers in [0, 1).
    tables : tuple of float32 arrays
        Tables of `albedo_tables`.
    directions : (N, 3) float32
        Unit directions.
    weights : (N,) float32
        Weights.
    soft : float32
        Softness.
    """
    wo = (np.sin(angle), F(0), max(np.cos(angle), F(1e-4)))
    lobes, _, layers = prepare_layered(p, 0, wo, p[0, IOR], tables, True)
    if layers.pick_inside > F(0):
        share = entering(p, 0, lobes, layers, wo)
        for c in range(3):
            soft[c] = share[c] * layers.pick_inside * p[0, SUBSURFACE_COLOR + c]
    for k in range(numbers.shape[0]):
        if numbers[k, 0] < layers.pick_inside:
            continue
        wi = sample_layered(lobes, layers, wo, numbers[k, 0], numbers[k, 1], numbers[k, 2])
        if wi[2] == F(0):
            continue
        value, pdf = evaluate_layered(p, 0, lobes, layers, wo, wi)
        if not (pdf > F(0)):
            continue
        # Radiance in the denser body is squeezed together by the index squared; energy is not.
        squeezed = p[0, IOR] * p[0, IOR] if wi[2] < F(0) and p[0, THIN] == F(0) else F(1)
        for c in range(3):
            directions[k, c] = wi[c]
            weights[k, c] = value[c] / pdf * squeezed
