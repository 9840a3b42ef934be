"""Absorption and scattering inside bodies."""

import math

import numpy as np

from mat_shelf.numerics.kernels import F, inline
from mat_shelf.numerics.vectors import add, frame, scale

CLEAREST = 1e-4
WHITEST = F(0.9999)
"""Colour of a soft body beyond which nothing would be absorbed in it."""


def absorption(color, depth_mm):
    """Absorption coefficient of a body that turns white into `color` over `depth_mm` (Beer-Lambert).

    Parameters
    ----------
    color : (3,) float
        Linear Rec.709 transmittance in [0, 1]; 0 is taken as 0.0001.
    depth_mm : float
        Path length, mm; 0 means no absorption inside (the colour then tints the boundary, OpenPBR Surface 1.1).

    Returns
    -------
    (3,) float32, 1/mm
    """
    if depth_mm <= 0:
        return np.zeros(3, np.float32)
    return (-np.log(np.maximum(np.asarray(color, np.float64), CLEAREST)) / depth_mm).astype(F)


def extinction(color, depth_mm, scatter):
    """Absorption and scattering of a clear body.

    Parameters
    ----------
    color, depth_mm
        As for `absorption`.
    scatter : (3,) float
        Scattering over that depth; nothing where the depth is 0.

    Returns
    -------
    extinction : (3,) float32, 1/mm
    albedo : (3,) float32
        Share of it that is scattered.

    References
    ----------
    OpenPBR Surface 1.1, "Translucent base": extinction from the colour, scattering from transmission_scatter, and all
    absorption raised where a channel's would fall below zero.
    """
    lost = absorption(color, depth_mm)
    if depth_mm <= 0 or not np.any(np.asarray(scatter)):
        return lost, np.zeros(3, np.float32)
    scattered = np.asarray(scatter, np.float32) / np.float32(depth_mm)
    absorbed = lost - scattered
    absorbed -= min(absorbed.min(), 0)
    whole = absorbed + scattered
    return whole.astype(F), (scattered / np.maximum(whole, np.float32(1e-12))).astype(F)


def single_albedo(color, anisotropy):
    """Albedo of one scattering, inside a thick body that looks like `color`.

    Parameters
    ----------
    color : (..., 3) float, in [0, 1]
    anisotropy : float
        Mean cosine of the scattering, in (-1, 1).

    Returns
    -------
    (..., 3) float32

    References
    ----------
    Kulla and Conty 2017, Revisiting Physically Based Shading at Imageworks, after van de Hulst; OpenPBR Surface 1.1,
    "Subsurface".
    """
    whitest = np.clip(np.asarray(color, np.float32), 0, WHITEST)
    return np.clip(albedo_of_color.py_func(whitest, np.float32(anisotropy)), 0, 1).astype(np.float32)


@inline
def albedo_of_color(color, anisotropy):
    """The same of one channel, without limits; see `single_albedo`.

    Parameters
    ----------
    color : float32, in [0, WHITEST]
    anisotropy : float32
        Mean cosine of the scattering, in (-1, 1).

    Returns
    -------
    float32
    """
    s = F(4.09712) + F(4.20863) * color - np.sqrt(F(9.59217) + F(41.6808) * color + F(17.7126) * color * color)
    return (F(1) - s * s) / (F(1) - anisotropy * s * s)


@inline
def scattered(direction, forward, u, v):
    """A direction after one scattering, by Henyey and Greenstein's phase function.

    Parameters
    ----------
    direction : float32 triple, in which it went
    forward : float32
        Mean cosine, in (-1, 1).
    u, v : float32 in [0, 1)

    Returns
    -------
    float32 triple

    References
    ----------
    Henyey and Greenstein 1941, Diffuse Radiation in the Galaxy.
    """
    if abs(forward) < F(1e-3):
        cos = F(1) - F(2) * u
    else:
        s = (F(1) - forward * forward) / (F(1) - forward + F(2) * forward * u)
        cos = (F(1) + forward * forward - s * s) / (F(2) * forward)
    cos = min(max(cos, F(-1)), F(1))
    sine = math.sqrt(max(F(1) - cos * cos, F(0)))
    turn = F(2) * F(math.pi) * v
    one, other = frame(direction)
    return add(add(scale(one, sine * math.cos(turn)), scale(other, sine * math.sin(turn))), scale(direction, cos))
