"""Colour spaces. Inside the program colour is linear Rec.709 with a D65 white."""

import numpy as np

from mat_shelf.numerics.kernels import F, inline

XYZ_FROM_RGB = np.array(
    [[0.4123908, 0.3575843, 0.1804808], [0.2126390, 0.7151687, 0.0721923], [0.0193308, 0.1191948, 0.9505322]]
)
"""IEC 61966-2-1, primaries of Rec.709 and white D65 (x 0.3127, y 0.3290)."""
RGB_FROM_XYZ = np.linalg.inv(XYZ_FROM_RGB)
D65 = XYZ_FROM_RGB.sum(axis=1)
_Y_RED, _Y_GREEN, _Y_BLUE = (F(share) for share in XYZ_FROM_RGB[1])


def encode_srgb(linear):
    """Linear to sRGB-encoded values, any shape, [0, 1] (IEC 61966-2-1).

    Parameters
    ----------
    linear : (3,) float
        Linear Rec.709.

    Returns
    -------
    float32
    """
    linear = np.clip(np.asarray(linear), 0, 1)
    return np.where(linear <= 0.0031308, linear * 12.92, 1.055 * np.maximum(linear, 0.0031308) ** (1 / 2.4) - 0.055)


def decode_srgb(encoded):
    """sRGB-encoded to linear values, any shape, [0, 1] (IEC 61966-2-1).

    Parameters
    ----------
    encoded : array
        sRGB, [0, 1].

    Returns
    -------
    float32
    """
    encoded = np.clip(np.asarray(encoded), 0, 1)
    return np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)


def hex_from_linear(linear) -> str:
    """``#rrggbb`` of a linear colour.

    Parameters
    ----------
    linear : (3,) float
        Linear Rec.709.

    Returns
    -------
    str
    """
    return "#" + "".join(f"{round(float(c) * 255):02X}" for c in encode_srgb(linear))


def linear_from_hex(text: str) -> tuple[float, float, float]:
    """Linear colour of ``#rrggbb``. Raises ValueError for any other text.

    Parameters
    ----------
    text : str
        Text.

    Returns
    -------
    (3,) float
    """
    digits = text.strip().removeprefix("#")
    if len(digits) != 6:
        raise ValueError(f"'{text}' is no colour; write six hexadecimal digits such as #0F6B62")
    try:
        encoded = [int(digits[i : i + 2], 16) / 255 for i in (0, 2, 4)]
    except ValueError:
        raise ValueError(f"'{text}' is no colour; write six hexadecimal digits such as #0F6B62") from None
    return tuple(float(c) for c in decode_srgb(encoded))


def lab_from_linear(linear):
    """CIELAB (D65 white) of linear Rec.709, shape (..., 3) (CIE 15:2004, 8.2.1).

    Parameters
    ----------
    linear : (3,) float
        Linear Rec.709.

    Returns
    -------
    (D65 white)
    """
    t = np.asarray(linear, dtype=np.float64) @ XYZ_FROM_RGB.T / D65
    f = np.where(t > (6 / 29) ** 3, np.cbrt(t), t * (29 / 6) ** 2 / 3 + 4 / 29)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], axis=-1)


def linear_from_lab(lab):
    """Linear Rec.709 of CIELAB (D65 white), shape (..., 3); may lie outside [0, 1].

    Parameters
    ----------
    lab : (3,) float
        CIELAB, D65.

    Returns
    -------
    (D65 white)
    """
    lab = np.asarray(lab, dtype=np.float64)
    fy = (lab[..., 0] + 16) / 116
    f = np.stack([fy + lab[..., 1] / 500, fy, fy - lab[..., 2] / 200], axis=-1)
    t = np.where(f > 6 / 29, f**3, 3 * (6 / 29) ** 2 * (f - 4 / 29))
    return (t * D65) @ RGB_FROM_XYZ.T


def color_difference(one, other):
    """CIEDE2000 difference of colours in CIELAB, shape (...) of (..., 3); 1 is just about seen.

    Parameters
    ----------
    one, other : (..., 3) float
        CIELAB, D65.

    Returns
    -------
    (...) float64

    References
    ----------
    G. Sharma, W. Wu, E. Dalal, The CIEDE2000 color-difference formula, Color Research and Application 30, 2005.
    """
    (l1, a1, b1), (l2, a2, b2) = (np.moveaxis(np.asarray(lab, np.float64), -1, 0) for lab in (one, other))
    chroma = (np.hypot(a1, b1) + np.hypot(a2, b2)) / 2
    more = 0.5 * (1 - np.sqrt(chroma**7 / (chroma**7 + 25.0**7)))
    a1, a2 = a1 * (1 + more), a2 * (1 + more)
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = (np.degrees(np.arctan2(b, a)) % 360 for a, b in ((a1, b1), (a2, b2)))
    is_grey = c1 * c2 == 0
    apart = np.where(is_grey, 0.0, (h2 - h1 + 180) % 360 - 180)
    hue = np.where(is_grey, h1 + h2, (h1 + (((h2 - h1 + 180) % 360) - 180) / 2) % 360)
    light, chroma = (l1 + l2) / 2, (c1 + c2) / 2
    weight = (
        1
        - 0.17 * np.cos(np.radians(hue - 30))
        + 0.24 * np.cos(np.radians(2 * hue))
        + 0.32 * np.cos(np.radians(3 * hue + 6))
        - 0.20 * np.cos(np.radians(4 * hue - 63))
    )
    turn = 60 * np.exp(-(((hue - 275) / 25) ** 2))
    blue = -2 * np.sqrt(chroma**7 / (chroma**7 + 25.0**7)) * np.sin(np.radians(turn))
    by_light = (l2 - l1) / (1 + 0.015 * (light - 50) ** 2 / np.sqrt(20 + (light - 50) ** 2))
    by_chroma = (c2 - c1) / (1 + 0.045 * chroma)
    by_hue = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(apart / 2)) / (1 + 0.015 * chroma * weight)
    return np.sqrt(by_light**2 + by_chroma**2 + by_hue**2 + blue * by_chroma * by_hue)


_FULL_TINT = 0.02
"""How far a whole green or magenta filter moves a light from the Planckian locus, CIE 1960 uv (common practice)."""


def _planckian(t: float) -> np.ndarray:
    """CIE 1960 uv of a black body of `t` kelvin, (2,) float64."""
    u = (0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t * t) / (1 + 8.42420235e-4 * t + 7.08145163e-7 * t * t)
    v = (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t * t) / (1 - 2.89741816e-5 * t + 1.61456053e-7 * t * t)
    return np.array([u, v])


def black_body(kelvin: float, tint: float = 0.0) -> np.ndarray:
    """Linear Rec.709 of a black body, luminance 1, relative to a D65 white.

    Parameters
    ----------
    kelvin : float
        Colour temperature, K.
    tint : float
        Away from the Planckian locus at right angles, in parts of 0.02 of CIE 1960 uv: to magenta above 0, to green
        below.

    Returns
    -------
    (3,) float32

    References
    ----------
    Krystek 1985, An algorithm to calculate correlated colour temperature: rational fit of the Planckian locus in
    CIE 1960 uv, 1000 to 15000 K.
    """
    t = float(kelvin)
    u, v = _planckian(t)
    if tint:
        along = _planckian(t + 1) - _planckian(t - 1)
        along /= np.hypot(*along)
        # Left of the locus, seen towards higher temperatures, lies magenta: larger u, smaller v.
        u, v = u - along[1] * tint * _FULL_TINT, v + along[0] * tint * _FULL_TINT
    x, y = 3 * u / (2 * u - 8 * v + 4), 2 * v / (2 * u - 8 * v + 4)
    rgb = np.maximum(RGB_FROM_XYZ @ np.array([x / y, 1.0, (1 - x - y) / y]), 0)
    return (rgb / (XYZ_FROM_RGB[1] @ rgb)).astype(np.float32)


@inline
def luminance_of(red, green, blue):
    """The same of one colour, in kernels; see `luminance`.

    Parameters
    ----------
    red, green, blue : float32
        Linear Rec.709.

    Returns
    -------
    float32
    """
    return _Y_RED * red + _Y_GREEN * green + _Y_BLUE * blue


def luminance(linear):
    """CIE Y of linear Rec.709.

    Parameters
    ----------
    linear : (..., 3) float32 or float64
        Linear Rec.709.

    Returns
    -------
    (...), of the same dtype
    """
    linear = np.asarray(linear)
    return linear @ XYZ_FROM_RGB[1].astype(linear.dtype if linear.dtype == np.float32 else np.float64)
