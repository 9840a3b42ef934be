"""Daylight: a clear or overcast sky, its sun, and where the sun stands at a date.

References
----------
ISO 15469:2004 (CIE S 011), standard general sky: how bright the sky is in each direction, types 12, 13 and 1.
IES Lighting Handbook, daylight availability: lux on level ground under clear and overcast skies by the sun's height.
Preetham, Shirley, Smits 1999, A Practical Analytic Model for Daylight: the colour of a clear sky by haze, and, after
Kasten 1966 and Angstrom 1929, the light of the sun; ozone and water vapour are left out.
"""

import math
from datetime import UTC, datetime
from functools import lru_cache

import numpy as np

from mat_shelf.document.light import Light
from mat_shelf.document.set import Sky
from mat_shelf.optics.color import RGB_FROM_XYZ, black_body, luminance
from mat_shelf.optics.parameters import WHITE

SUN_ANGLE = 0.53
"""Degrees across the sun."""
_SUN_LUX = 133_100.0
"""Lux of the sun outside of the air (Darula, Kittler, Gueymard 2005)."""
_SUN_KELVIN = 5778.0
_ROWS = 128
_CLEAR, _HAZY, _OVERCAST = (-1, -0.32, 10, -3, 0.45), (-1, -0.32, 16, -3, 0.3), (4, -0.7, 0, -1, 0)
"""Gradation a, b and indicatrix c, d, e of the types 12 (clear), 13 (clear, polluted air) and 1 (overcast)."""
_OVERCAST_WHITE = (0.3127, 0.3290)
_PEREZ = (
    # Slope by haze and constant of A to E, for chromaticity x and y.
    ((-0.0193, -0.2592), (-0.0665, 0.0008), (-0.0004, 0.2125), (-0.0641, -0.8989), (-0.0033, 0.0452)),
    ((-0.0167, -0.2608), (-0.0950, 0.0092), (-0.0079, 0.2102), (-0.0441, -1.6537), (-0.0109, 0.0529)),
)
_ZENITH_X = np.array(
    [
        [0.00166, -0.00375, 0.00209, 0.0],
        [-0.02903, 0.06377, -0.03202, 0.00394],
        [0.11693, -0.21196, 0.06052, 0.25886],
    ]
)
_ZENITH_Y = np.array(
    [
        [0.00275, -0.00610, 0.00317, 0.0],
        [-0.04214, 0.08970, -0.04153, 0.00516],
        [0.15346, -0.26756, 0.06670, 0.26688],
    ]
)


def sun_direction(sky: Sky) -> np.ndarray:
    """Unit vector towards the sun, (3,) float64.

    Parameters
    ----------
    sky : Sky
        The sky.

    Returns
    -------
    (3,) float64
    """
    height, azimuth = math.radians(sky.height), math.radians(sky.azimuth)
    level = math.cos(height)
    return np.array([math.sin(azimuth) * level, math.sin(height), math.cos(azimuth) * level])


def sky_light(sky: Sky, up, cos_to_sun) -> np.ndarray:
    """Colour of the sky, linear Rec.709, 1 = 1000 cd/m2.

    Parameters
    ----------
    sky : Sky
        The sky.
    up : (...) float64
        Cosine of the angle from straight up, above 0.
    cos_to_sun : (...) float64
        Cosine of the angle to the sun.

    Returns
    -------
    (..., 3) float64
    """
    up = np.maximum(up, 1e-3)
    sun = math.radians(90 - sky.height)
    bright = _relative(sky, up, cos_to_sun) * (ground_lux(sky) / _unit_lux(sky) / WHITE)
    if sky.is_overcast:
        x, y = _OVERCAST_WHITE
    else:
        gamma = np.arccos(np.clip(cos_to_sun, -1, 1))
        x, y = (
            at_zenith * _perez(sky.haze, lines, up, gamma) / _perez(sky.haze, lines, 1.0, sun)
            for lines, at_zenith in zip(_PEREZ, _at_zenith(sky.haze, sun), strict=True)
        )
    xyz = np.stack([bright * x / y, bright, bright * (1 - x - y) / y], axis=-1)
    return np.maximum(xyz @ RGB_FROM_XYZ.T, 0)


def ground_lux(sky: Sky) -> float:
    """Lux that the sky without its sun brings to level ground.

    Parameters
    ----------
    sky : Sky
        The sky.

    Returns
    -------
    float
    """
    rise = math.sin(math.radians(sky.height))
    return 300 + 21_000 * rise if sky.is_overcast else 800 + 15_500 * math.sqrt(rise)


def _relative(sky: Sky, up, cos_to_sun) -> np.ndarray:
    """Luminance of the sky in a direction, in a unit of its own."""
    sun = math.radians(90 - sky.height)
    gamma = np.arccos(np.clip(cos_to_sun, -1, 1))
    share = min(max((sky.haze - 2) / 8, 0), 1)
    kinds = ((_OVERCAST, 1.0),) if sky.is_overcast else ((_CLEAR, 1 - share), (_HAZY, share))
    found = 0.0
    for (a, b, c, d, e), weight in kinds:

        def indicatrix(angle, c=c, d=d, e=e):
            """Luminance of the sky by the angle to the sun.

            Parameters
            ----------
            angle : (...) float64
                The angle, radians.

            Returns
            -------
            (...) float64
            """
            return 1 + c * (np.exp(d * angle) - math.exp(d * math.pi / 2)) + e * np.cos(angle) ** 2

        found = found + weight * indicatrix(gamma) / indicatrix(sun) * (1 + a * np.exp(b / up)) / (1 + a * math.exp(b))
    return found


@lru_cache(maxsize=32)
def _unit_lux(sky: Sky) -> float:
    """Light that the sky of `_relative` brings to level ground."""
    rise, around = (np.arange(90) + 0.5) / 90 * np.pi / 2, (np.arange(180) + 0.5) / 180 * 2 * np.pi
    up, level = np.cos(rise)[:, None], np.sin(rise)[:, None]
    sun = math.radians(90 - sky.height)
    cos_to_sun = up * math.cos(sun) + level * math.sin(sun) * np.cos(around)
    steps = (np.pi / 180) * (2 * np.pi / 180)
    return float((_relative(sky, up, cos_to_sun) * up * level).sum() * steps)


def _perez(haze: float, lines, up, gamma):
    a, b, c, d, e = (slope * haze + constant for slope, constant in lines)
    return (1 + a * np.exp(b / up)) * (1 + c * np.exp(d * gamma) + e * np.cos(gamma) ** 2)


def sky_room(sky: Sky) -> np.ndarray:
    """The sky without its sun, over a floor that it and the sun light, (H, 2H, 3) float32, 1 = 1000 cd/m2.

    Parameters
    ----------
    sky : Sky
        The sky.

    Returns
    -------
    (H, 2H, 3) float32
    """
    up = np.cos((np.arange(_ROWS) + 0.5) / _ROWS * np.pi)
    around = (np.arange(2 * _ROWS) + 0.5) / (2 * _ROWS) * 2 * np.pi - np.pi
    level, rise = np.sqrt(1 - up * up)[:, None], np.repeat(up[:, None], 2 * _ROWS, axis=1)
    ways = np.stack([-level * np.sin(around), rise, level * np.cos(around)], axis=-1)
    room = sky_light(sky, up[:, None], ways @ sun_direction(sky))
    above = up > 0
    # Light on a level floor: the sky's by the cosine of its height, and the sun's.
    solid_angle = (2 * np.pi / (2 * _ROWS)) * (np.pi / _ROWS) * level
    lit = (room * (solid_angle * np.maximum(up, 0)[:, None])[..., None])[above].sum(axis=(0, 1))
    if sky.has_sun and not sky.is_overcast:
        lit = lit + sun_color(sky) * max(math.sin(math.radians(sky.height)), 0) * sun_lux(sky) / WHITE
    room[~above] = lit / np.pi * np.array(sky.floor)
    return (room * 2.0**sky.strength).astype(np.float32)


def sun_lux(sky: Sky) -> float:
    """Lux that the sun alone brings to what faces it.

    Parameters
    ----------
    sky : Sky
        The sky.

    Returns
    -------
    float
    """
    clear, dimmed = _sun_xyz(sky)
    return float(_SUN_LUX * dimmed[1] / clear[1])


def sun_color(sky: Sky) -> np.ndarray:
    """Colour of the sun's light, linear Rec.709 of luminance 1, (3,) float64.

    Parameters
    ----------
    sky : Sky
        The sky.

    Returns
    -------
    (3,) float64
    """
    rgb = np.maximum(RGB_FROM_XYZ @ _sun_xyz(sky)[1], 0)
    return rgb / luminance(rgb)


def sun_of(sky: Sky) -> Light:
    """The sun as a distant light.

    Parameters
    ----------
    sky : Sky
        The sky.

    Returns
    -------
    Light
    """
    body = black_body(_SUN_KELVIN).astype(np.float64)
    filtered = sun_color(sky) / body
    filtered = filtered / filtered.max()
    bright = sun_lux(sky) / (math.pi * math.sin(math.radians(SUN_ANGLE) / 2) ** 2)
    bright /= float(luminance(body * filtered))
    return Light(
        name="Sun",
        kind="distant",
        position=tuple(float(x) for x in sun_direction(sky) * 1000),
        angle=SUN_ANGLE,
        luminance=min(bright, Light.limits("luminance")[1]),
        strength=sky.strength,
        temperature=_SUN_KELVIN,
        color=tuple(float(x) for x in filtered),
    )


def sun_at(moment: datetime, latitude: float, longitude: float) -> tuple[float, float]:
    """Position of the sun at a moment, to some hundredths of a degree until 2050, without the bending of the air.

    Parameters
    ----------
    moment : datetime
        Of any time zone.
    latitude, longitude : float
        Degrees, to the north and to the east.

    Returns
    -------
    height, azimuth : float
        Degrees above the horizon, and from north over east.

    References
    ----------
    The Astronomical Almanac, low-precision formulas for the sun.
    """
    days = (moment.astimezone(UTC) - datetime(2000, 1, 1, 12, tzinfo=UTC)).total_seconds() / 86400
    mean = 280.460 + 0.9856474 * days
    anomaly = math.radians(357.528 + 0.9856003 * days)
    ecliptic = math.radians(mean + 1.915 * math.sin(anomaly) + 0.020 * math.sin(2 * anomaly))
    tilt = math.radians(23.439 - 0.0000004 * days)
    ascension = math.atan2(math.cos(tilt) * math.sin(ecliptic), math.cos(ecliptic))
    declination = math.asin(math.sin(tilt) * math.sin(ecliptic))
    sidereal = math.radians(280.46062 + 360.98564737 * days + longitude)
    hour, north = sidereal - ascension, math.radians(latitude)
    sine = math.sin(north) * math.sin(declination) + math.cos(north) * math.cos(declination) * math.cos(hour)
    east = -math.cos(declination) * math.sin(hour)
    along = math.cos(north) * math.sin(declination) - math.sin(north) * math.cos(declination) * math.cos(hour)
    return math.degrees(math.asin(min(max(sine, -1), 1))), math.degrees(math.atan2(east, along)) % 360


def _at_zenith(haze: float, sun: float) -> tuple[float, float]:
    """Chromaticity x and y straight up; `sun` in radians from there."""
    hazes, suns = np.array([haze**2, haze, 1]), np.array([sun**3, sun**2, sun, 1])
    return float(hazes @ _ZENITH_X @ suns), float(hazes @ _ZENITH_Y @ suns)


def _sun_xyz(sky: Sky) -> tuple[np.ndarray, np.ndarray]:
    """CIE XYZ of the sun outside of the air and beneath it, in one unit."""
    nm = np.arange(380.0, 781.0, 5.0)
    um = nm / 1000
    body = nm**-5 / np.expm1(1.4388e7 / (nm * _SUN_KELVIN))
    zenith = min(90 - sky.height, 90.0)
    mass = 1 / (math.cos(math.radians(zenith)) + 0.15 * (93.885 - zenith) ** -1.253)
    through = np.exp(-0.008735 * um**-4.08 * mass) * np.exp(-(0.04608 * sky.haze - 0.04586) * um**-1.3 * mass)
    curves = color_matching(nm)
    return curves @ body, curves @ (body * through)


def color_matching(nm) -> np.ndarray:
    """CIE 1931 colour matching functions, within about 1 percent of their peaks, (3, N) float64.

    Parameters
    ----------
    nm : (N,) float64
        Wavelengths.

    Returns
    -------
    (3, N) float64

    References
    ----------
    Wyman, Sloan, Shirley 2013, Simple Analytic Approximations to the CIE XYZ Color Matching Functions, multi-lobe fit.
    """

    def lobe(height, middle, below, above):
        """One lobe, of other widths on its two sides.

        Parameters
        ----------
        height, middle, below, above : float
            Its height, middle, and widths, nm.

        Returns
        -------
        (N,) float64
        """
        width = np.where(nm < middle, below, above)
        return height * np.exp(-0.5 * ((nm - middle) / width) ** 2)

    x = lobe(1.056, 599.8, 37.9, 31.0) + lobe(0.362, 442.0, 16.0, 26.7) + lobe(-0.065, 501.1, 20.4, 26.2)
    y = lobe(0.821, 568.8, 46.9, 40.5) + lobe(0.286, 530.9, 16.3, 31.1)
    return np.stack([x, y, lobe(1.217, 437.0, 11.8, 36.0) + lobe(0.681, 459.0, 26.0, 13.8)])
