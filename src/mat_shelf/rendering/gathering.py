"""Light, guides and the materials met, added to the sums of pixels."""

import math

import numpy as np

from mat_shelf.numerics.kernels import F, apart, inline
from mat_shelf.numerics.vectors import (
    add,
    dot,
    largest,
    mul,
    normalize,
    row3_at,
    scale,
    sub,
)
from mat_shelf.optics import parameters as P
from mat_shelf.rendering.camera import place_in_picture
from mat_shelf.scene.light_faces import radiance_at

_STRAIGHT, _BENT_AWAY = F(math.cos(math.radians(12))), F(math.cos(math.radians(35)))
AFAR = F(1e6)
"""mm; the room is as good as that far away."""
SHARP = F(0.05)
"""Spread of paths up to which what they meet is recognised, as in the reflections of a surface of roughness 0.33."""


@inline
def gather(sums, pixel, layer, value, most):
    """Adds light to a pixel. What goes beyond `most` is kept apart; `firefly_redistribution` spreads it later.

    What is no number would blacken all around it: it is counted and left out.

    Parameters
    ----------
    sums : Sums
        Sums of the film.
    pixel : int
        Row of the sums.
    layer : int
        Layer that the light belongs to.
    value : float32 triple
        Radiance, 1 = 1000 cd/m2.
    most : float32
        Most that counts at once.
    """
    if not (value[0] + value[1] + value[2] < F(1e30)):
        sums.dropped[pixel] += 1
        return
    peak = largest(value)
    light, excess = sums.light, sums.excess
    keep = min(most / max(peak, F(1e-30)), F(1))
    for k in range(3):
        light[pixel, layer, k] += value[k] * keep
    if keep < F(1):
        for k in range(3):
            excess[pixel, layer, k] += value[k] * (F(1) - keep)


@inline
def meet(sums, pixel, bit, spread):
    """Notes that light of a pixel depends on a material on a part, and whether the pixel shows it.

    Parameters
    ----------
    sums : Sums
        Sums of the film.
    pixel : int
        Row of the sums.
    bit : int
        As `MaterialTable.met_bits` has it.
    spread : float32
        Of the path, as `Paths` has it.
    """
    noted = np.uint64(1) << np.uint64(bit)
    sums.met[pixel] |= noted
    if spread <= SHARP:
        sums.shown[pixel] |= noted


@inline
def clamp_limit(most, spread):
    """Most that a path may bring: the more freely it was turned, the less can its light be met by chance again.

    Parameters
    ----------
    most : float32
        As `RenderTask.brightest`.
    spread : float32
        As in `Paths`.

    Returns
    -------
    float32
    """
    return most / max(spread, F(1e-6))


@inline
def albedo_at(block, look, metal):
    """Colour of a surface in even light.

    Parameters
    ----------
    block : (M, WIDTH) float32
        Parameter block.
    look : int
        Row of the point.
    metal : float32
        Share of metal.

    Returns
    -------
    float32 triple
    """
    clear = block[look, P.TRANSMISSION] * (F(1) - metal)
    soft = (F(1) - clear) * (F(1) - metal) * block[look, P.SUBSURFACE]
    hard = scale(row3_at(block, look, P.BASE_COLOR), F(1) - clear - soft)
    color = add(hard, scale(row3_at(block, look, P.SUBSURFACE_COLOR), soft))
    return add(color, (clear, clear, clear))


@apart
def see(sums, pixel, part, color, normal):
    """Adds what the camera sees first.

    Parameters
    ----------
    sums : Sums
        Sums of the film.
    pixel : int
        Row of the sums.
    part : int
        The geometry.
    color : float32 triple
        As `albedo_at` has it.
    normal : float32 triple
        Shading normal.
    """
    sums.cover[pixel] += F(1)
    sums.part[pixel] = part
    for k in range(3):
        sums.albedo[pixel, k] += color[k]
        sums.normal[pixel, k] += normal[k]


@apart
def guide_by(sums, pixel, color, throughput, within, normal):
    """Adds what guides the denoiser: the surface that a path, through clear glass or not, met first.

    Parameters
    ----------
    sums : Sums
        Sums of the film.
    pixel : int
        Row of the sums.
    color : float32 triple
        As `albedo_at` has it.
    throughput : float32 triple
        Of the path that arrives.
    within : float32
        Index of what the path is inside of, where its radiance is squeezed.
    normal : float32 triple
        Shading normal.
    """
    guide(sums, pixel, scale(mul(throughput, color), within * within), normal)


@inline
def guide(sums, pixel, color, normal):
    """Adds a colour and a normal to what guides the denoiser.

    Parameters
    ----------
    sums : Sums
        Sums of the film.
    pixel : int
        Row of the sums.
    color : float32 triple
        Albedo as it is seen.
    normal : float32 triple
        Shading normal.
    """
    for k in range(3):
        sums.guide_albedo[pixel, k] += min(color[k], F(1))
        sums.guide_normal[pixel, k] += normal[k]
    sums.guides[pixel] += F(1)


@inline
def straightness(view, origin, d):
    """Chance that what a path ends at counts as seen through the glass that it came from.

    Parameters
    ----------
    view : CameraView
        View of the camera.
    origin : float32 triple
        Where it left the glass, mm.
    d : float32 triple
        Its unit direction.

    Returns
    -------
    float32
        1 where it was turned by less than 12 degrees from the line of sight, 0 beyond 35.
    """
    sight = view.forward if view.is_parallel else normalize(sub(origin, view.position))
    return min(max((dot(d, sight) - _BENT_AWAY) / (_STRAIGHT - _BENT_AWAY), F(0)), F(1))


@apart
def seen_on_plate(view, plate, point):
    """Light of the photograph at a point of the scene.

    Parameters
    ----------
    view : CameraView
        View of the camera.
    plate : (H, W, 3) float32
        The photograph, as `PathLimits` has it.
    point : float32 triple
        The point, mm.

    Returns
    -------
    light : float32 triple
    is_there : bool
        Whether the picture shows that point.
    """
    x, y = place_in_picture(view, point)
    if not (x >= F(0) and x < F(1) and y >= F(0) and y < F(1)):
        return (F(0), F(0), F(0)), False
    return radiance_at(plate, y * F(plate.shape[0]), x * F(plate.shape[1])), True
