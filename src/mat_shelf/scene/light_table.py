"""Rows of lights for kernels, and what lights give off in all: lumens, or lux from afar."""

import math
from collections.abc import Mapping
from types import MappingProxyType

import numpy as np

from mat_shelf.document.light import SHOWS_IMAGES, Light
from mat_shelf.numerics.interpolation import smoothsteps
from mat_shelf.optics.color import black_body, luminance
from mat_shelf.optics.parameters import WHITE
from mat_shelf.scene import light_faces as S

_NUMBERS = {"rectangle": S.RECTANGLE, "disc": S.DISC, "tube": S.TUBE, "spot": S.SPOT, "distant": S.DISTANT}
MOST_IMAGE = 512
"""Pixels on the longer side of a light's image, in the light."""
_STEPS = 200
"""Steps of each sum over a face or an angle."""


def axes_of(light: Light) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Unit vectors across a light, up, and the way it faces.

    Parameters
    ----------
    light : Light
        The light.

    Returns
    -------
    across, up, facing : (3,) float64
    """
    way = [a - b for a, b in zip(light.target, light.position, strict=True)]
    x, y, z = (part / max(math.hypot(*way), 1e-9) for part in way)
    # The cross product with what is up, (0, 1, 0), or (0, 0, 1) for a light that faces up or down.
    across = (y, -x, 0.0) if abs(y) > 0.999 else (-z, 0.0, x)
    across = [part / math.hypot(*across) for part in across]
    upward = (across[1] * z - across[2] * y, across[2] * x - across[0] * z, across[0] * y - across[1] * x)
    c, s = math.cos(math.radians(light.roll)), math.sin(math.radians(light.roll))
    turned = [(c * a - s * b, c * b + s * a) for a, b in zip(across, upward, strict=True)]
    return np.array([a for a, _ in turned]), np.array([b for _, b in turned]), np.array([x, y, z])


def radiance_of(light: Light) -> np.ndarray:
    """Radiance of a light at its brightest, (3,) float64, 1 = 1000 cd/m2, without its image.

    Parameters
    ----------
    light : Light
        The light.

    Returns
    -------
    (3,) float64
    """
    color = black_body(light.temperature, light.tint).astype(np.float64) * light.color
    return color * (light.luminance / WHITE * 2.0**light.strength)


def row_of(light: Light, image=None) -> np.ndarray:
    """Row of the table that kernels read.

    Parameters
    ----------
    light : Light
        The light.
    image : (H, W, 3) float32, optional
        Its image.

    Returns
    -------
    (WIDTH,) float64
    """
    row = np.zeros(S.WIDTH)
    across, up, facing = axes_of(light)
    half_width, half_height, radius, area = light.width / 2, light.height / 2, light.diameter / 2, 0.0
    if light.kind == "rectangle":
        area = light.width * light.height
    elif light.kind == "disc":
        area = math.pi * half_width * half_height
    elif light.kind == "tube":
        half_width, half_height, area = light.length / 2, 1.0, 2 * light.length * radius
    elif light.kind == "spot":
        half_width, half_height, area = 1.0, 1.0, math.pi * radius**2
    else:
        half_width, half_height = 1.0, 1.0
        area = 4 * math.pi * math.sin(math.radians(light.angle) / 4) ** 2
    row[S.CENTRE : S.CENTRE + 3] = light.position
    row[S.ACROSS : S.ACROSS + 3] = across * half_width
    row[S.UP : S.UP + 3] = up * half_height
    row[S.FACING : S.FACING + 3] = facing
    row[S.RADIANCE : S.RADIANCE + 3] = radiance_of(light)
    row[S.AREA], row[S.KIND], row[S.RADIUS] = area, _NUMBERS[light.kind], radius
    least = min(half_width, half_height)
    row[S.EDGE_ACROSS] = light.edge * least / half_width
    row[S.EDGE_UP] = light.edge * least / half_height
    row[S.FADE], row[S.SEEN] = light.fade, light.is_seen
    row[S.GRID] = math.tan(math.radians(light.grid)) if light.grid > 0 else 0.0
    row[S.CONE] = math.cos(math.radians(light.cone / 2))
    # A spot's weight has its own share of each direction.
    mean = 1.0 if light.kind == "spot" else _mean_of_face(light, image)
    row[S.BRIGHT] = float(luminance(row[S.RADIANCE : S.RADIANCE + 3])) * mean
    return row


def power_of(light: Light, image=None, distribution=None) -> float:
    """Power of a light: lumens; of a distant light the lux on what faces it.

    A flat face gives pi times its mean luminance times its area, if nothing narrows its light: luminance is the same
    from all sides (Lambert).

    Parameters
    ----------
    light : Light
        The light.
    image : (H, W, 3) float32, optional
        Its image.
    distribution : (181, 121) float32, optional
        Its distribution.

    Returns
    -------
    float
    """
    bright = float(luminance(radiance_of(light))) * WHITE
    if light.kind == "tube":
        return math.pi * bright * math.pi * light.diameter * light.length * 1e-6
    if light.kind == "spot":
        share = _spread_of(distribution) if distribution is not None else _cone_share(light, image)
        return bright * math.pi * (light.diameter / 2e3) ** 2 * share
    mean = _mean_of_face(light, image)
    if light.kind == "distant":
        return bright * mean * math.pi * math.sin(math.radians(light.angle) / 2) ** 2
    area = light.width * light.height * (1 if light.kind == "rectangle" else math.pi / 4) * 1e-6
    return math.pi * bright * mean * area * _grid_share(light.grid)


def with_power(light: Light, power: float, image=None, distribution=None) -> Light:
    """A light whose luminance gives it a power.

    Parameters
    ----------
    light : Light
        The light.
    power : float
        As `power_of` has it.
    image : (H, W, 3) float32, optional
        Its image.
    distribution : (181, 121) float32, optional
        Its distribution.

    Returns
    -------
    Light
    """
    low, high = Light.limits("luminance")
    present = power_of(light.with_(luminance=1.0), image, distribution)
    return light.with_(luminance=min(max(power / max(present, 1e-30), low), high))


def pictures_of(lights, pictures: Mapping = MappingProxyType({})) -> list[np.ndarray | None]:
    """The image of each light, (H, W, 3) float32; None where it has none, or it is missing.

    Parameters
    ----------
    lights : sequence of Light
        The lights.
    pictures : mapping from SHA-256 to Mipmap
        The images.

    Returns
    -------
    list
    """
    found = [
        pictures.get(light.image.digest) if light.image and light.kind in SHOWS_IMAGES else None for light in lights
    ]
    return [None if kept is None else kept.colors(MOST_IMAGE) for kept in found]


def distributions_of(lights, distributions: Mapping = MappingProxyType({})) -> list[np.ndarray | None]:
    """The distribution of each light, (181, 121) float32; None where it has none, or it is missing.

    Parameters
    ----------
    lights : sequence of Light
        The lights.
    distributions : mapping from SHA-256 to (181, 121) float32
        The distributions.

    Returns
    -------
    list
    """
    has_one = [light.distribution is not None and light.kind == "spot" for light in lights]
    return [
        distributions.get(light.distribution.digest) if one else None
        for light, one in zip(lights, has_one, strict=True)
    ]


def _mean_of_face(light: Light, image) -> float:
    """Mean luminance of a face over its brightest one."""
    if light.edge == 0 and light.fade == 0 and image is None:
        return 1.0
    at = (np.arange(_STEPS) + 0.5) / _STEPS * 2 - 1
    if light.kind == "rectangle":
        a, b = np.meshgrid(at, at)
        inside = np.ones_like(a)
        share = inside
        if light.edge > 0:
            least = min(light.width, light.height)
            across = (1 - np.abs(a)) / (light.edge * least / light.width)
            upward = (1 - np.abs(b)) / (light.edge * least / light.height)
            share = smoothsteps(np.minimum(across, 1)) * smoothsteps(np.minimum(upward, 1))
    else:
        a, b = np.meshgrid(at, at)
        distance = np.hypot(a, b)
        inside = (distance <= 1).astype(np.float64)
        least = min(light.width, light.height) / light.height if light.kind == "disc" else 1.0
        rest = (1 - distance) / max(light.edge * least, 1e-6)
        share = inside * smoothsteps(np.clip(rest, 0, 1))
    if light.kind == "distant":
        return float(share.sum() / inside.sum())
    share = share * (1 - light.fade * (0.5 - 0.5 * b))
    if image is not None:
        share = share * _looked_up(luminance(image), a, b)
    return float(share.sum() / inside.sum())


def _cone_share(light: Light, image) -> float:
    """Solid angle that a spot fills, weighted with what it sends there; of its luminous area seen straight on."""
    half = math.radians(light.cone / 2)
    polar = (np.arange(_STEPS) + 0.5) / _STEPS * half
    around = (np.arange(_STEPS) + 0.5) / _STEPS * 2 * math.pi
    reach = np.tan(polar) / math.tan(half)
    share = smoothsteps(np.clip((1 - reach) / max(light.edge, 1e-6), 0, 1))[:, None] * np.ones(_STEPS)
    if image is not None:
        place = reach[:, None] * np.cos(around), reach[:, None] * np.sin(around)
        share = share * _looked_up(luminance(image), *place)
    return float((share.mean(axis=1) * np.sin(polar)).sum() * half / _STEPS * 2 * math.pi)


def _spread_of(distribution: np.ndarray) -> float:
    """Solid angle that a distribution fills, weighted with its shares."""
    polar = np.radians(np.arange(181.0))
    weights = np.concatenate([[0.5], np.ones(179), [0.5]]) * np.sin(polar) * math.radians(1)
    return float((distribution[:, :-1].mean(axis=1) * weights).sum() * 2 * math.pi)


def _grid_share(grid: float) -> float:
    """Share of a face's light that passes its grid."""
    if grid <= 0:
        return 1.0
    angle = (np.arange(_STEPS) + 0.5) / _STEPS * math.radians(grid)
    x = np.tan(angle) / math.tan(math.radians(grid))
    passing = (np.arccos(x) - x * np.sqrt(1 - x * x)) * 2 / math.pi
    return float((passing * np.sin(2 * angle)).sum() * math.radians(grid) / _STEPS)


def _looked_up(picture: np.ndarray, a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """Values of the pixels at places across and up, [-1, 1]."""
    height, width = picture.shape
    rows = np.clip(((0.5 - b / 2) * height).astype(int), 0, height - 1)
    return picture[rows, np.clip(((a / 2 + 0.5) * width).astype(int), 0, width - 1)]
