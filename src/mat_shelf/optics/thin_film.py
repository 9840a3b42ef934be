"""A film on a surface so thin that light from its two sides interferes: soap, oil, heat tint, pearl, anti-glare coats.

References
----------
Born and Wolf, Principles of Optics, 7.6.1 (Airy's sum). Belcour and Barla 2017, A Practical Extension to Microfacet
Theory for the Modeling of Varying Iridescence, for why three wavelengths are too few.
"""

import math

import numpy as np

from mat_shelf.numerics.kernels import F, apart, inline
from mat_shelf.optics.fresnel import fresnel_metal

# Wavelength, nm, and its share in the linear Rec.709 channels of white light: CIE 1931 observer, D65, bands of 12.5 nm.
_BANDS = np.array(
    [
        (401.25, 0.00174, -0.00151, 0.01060),
        (413.75, 0.00611, -0.00540, 0.03850),
        (426.25, 0.01885, -0.01727, 0.12844),
        (438.75, 0.02529, -0.02507, 0.20836),
        (451.25, 0.01878, -0.02439, 0.26653),
        (463.75, -0.00517, -0.00738, 0.21740),
        (476.25, -0.03486, 0.01909, 0.14781),
        (488.75, -0.05374, 0.04431, 0.06433),
        (501.25, -0.08595, 0.08734, 0.02824),
        (513.75, -0.10480, 0.12851, 0.00240),
        (526.25, -0.11286, 0.18189, -0.01286),
        (538.75, -0.06869, 0.17907, -0.01808),
        (551.25, -0.00928, 0.18128, -0.02140),
        (563.75, 0.06774, 0.13553, -0.01800),
        (576.25, 0.16271, 0.10229, -0.01592),
        (588.75, 0.21306, 0.04896, -0.01034),
        (601.25, 0.27169, 0.01538, -0.00737),
        (613.75, 0.24049, -0.00612, -0.00410),
        (626.25, 0.19760, -0.01284, -0.00240),
        (638.75, 0.11899, -0.01029, -0.00113),
        (651.25, 0.07223, -0.00708, -0.00058),
        (663.75, 0.03349, -0.00347, -0.00025),
        (676.25, 0.01638, -0.00174, -0.00011),
        (688.75, 0.01019, -0.00110, -0.00007),
    ],
    np.float32,
)


@inline
def _amplitudes(cos_i, cos_t, eta):
    """Reflected amplitudes, s and p, of a smooth boundary (Born and Wolf 1.5.2)."""
    return (cos_i - eta * cos_t) / (cos_i + eta * cos_t), (eta * cos_i - cos_t) / (eta * cos_i + cos_t)


@inline
def _interfering(first, second, cosine):
    """Reflectance of two boundaries of given amplitudes, by the cosine of the phase between them."""
    both = F(2) * first * second * cosine
    product = first * second
    return (first * first + second * second + both) / max(F(1) + product * product + both, F(1e-6))


@inline
def _inside(cos_i, eta_film):
    """Cosine of the way through the film; below 0 where no light gets into it."""
    square = F(1) - (F(1) - cos_i * cos_i) / (eta_film * eta_film)
    return math.sqrt(square) if square > F(0) else F(-1)


@inline
def _under_film(reflectance, first_s, first_p):
    """Amplitudes, s and p, of a metal against the film, from its reflectance without one and the film's own."""
    bare = math.sqrt(reflectance)
    return (-bare - first_s) / (F(1) + bare * first_s), (bare - first_p) / (F(1) - bare * first_p)


@inline
def _clipped(x):
    return min(max(x, F(0)), F(1))


@apart
def film_on_dielectric(cos_i, eta_film, eta_base, optical_nm):
    """Reflectance of a film on a dielectric, in linear Rec.709.

    Parameters
    ----------
    cos_i : float32
        Cosine on the incident side, in (0, 1].
    eta_film, eta_base : float32
        Index of the film, and of what is behind it, over that before it.
    optical_nm : float32
        The film's index times its thickness.

    Returns
    -------
    float32 triple in [0, 1]
    """
    cos_film = _inside(cos_i, eta_film)
    if cos_film <= F(0):
        return F(1), F(1), F(1)
    first_s, first_p = _amplitudes(cos_i, cos_film, eta_film)
    square = F(1) - (F(1) - cos_i * cos_i) / (eta_base * eta_base)
    second_s, second_p = F(-1), F(1)
    if square > F(0):
        second_s, second_p = _amplitudes(cos_film, math.sqrt(square), eta_base / eta_film)
    way = F(4 * math.pi) * optical_nm * cos_film
    red, green, blue = F(0), F(0), F(0)
    for k in range(_BANDS.shape[0]):
        cosine = math.cos(way / _BANDS[k, 0])
        share = F(0.5) * (_interfering(first_s, second_s, cosine) + _interfering(first_p, second_p, cosine))
        red += _BANDS[k, 1] * share
        green += _BANDS[k, 2] * share
        blue += _BANDS[k, 3] * share
    return _clipped(red), _clipped(green), _clipped(blue)


@apart
def film_on_metal(cos_i, eta_film, color, tint, weight, optical_nm):
    """Reflectance of a film on a metal of a colour and an edge tint, in linear Rec.709.

    Only how much a metal reflects is known, so it is taken to turn the wave round as a very dense body does. A film
    of no thickness changes nothing.

    Parameters
    ----------
    cos_i : float32
        Cosine of `wi`.
    eta_film : float32
        Index of the film.
    color, tint : float32 triples
        As for `fresnel.fresnel_metal`.
    weight : float32
        Scales the metal's own reflectance.
    optical_nm : float32
        Optical thickness of the film, nm.

    Returns
    -------
    float32 triple
    """
    cos_film = _inside(cos_i, eta_film)
    if cos_film <= F(0):
        return F(1), F(1), F(1)
    first_s, first_p = _amplitudes(cos_i, cos_film, eta_film)
    way = F(4 * math.pi) * optical_nm * cos_film
    red, green, blue = F(0), F(0), F(0)
    red_s, red_p = _under_film(fresnel_metal(cos_i, color[0], tint[0]) * weight, first_s, first_p)
    green_s, green_p = _under_film(fresnel_metal(cos_i, color[1], tint[1]) * weight, first_s, first_p)
    blue_s, blue_p = _under_film(fresnel_metal(cos_i, color[2], tint[2]) * weight, first_s, first_p)
    for k in range(_BANDS.shape[0]):
        cosine = math.cos(way / _BANDS[k, 0])
        red += _BANDS[k, 1] * (_interfering(first_s, red_s, cosine) + _interfering(first_p, red_p, cosine))
        green += _BANDS[k, 2] * (_interfering(first_s, green_s, cosine) + _interfering(first_p, green_p, cosine))
        blue += _BANDS[k, 3] * (_interfering(first_s, blue_s, cosine) + _interfering(first_p, blue_p, cosine))
    half = F(0.5)
    return _clipped(half * red), _clipped(half * green), _clipped(half * blue)
