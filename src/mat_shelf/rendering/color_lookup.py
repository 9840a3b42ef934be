"""Colours looked up in a table as they are shown."""

import numpy as np

from mat_shelf.document.color_table import ColorTable
from mat_shelf.numerics.kernels import F, inline, kernel
from mat_shelf.optics.color import decode_srgb, encode_srgb
from mat_shelf.system.processors import in_parts

_SIDE = np.linspace(0, 1, 1 << 14)
_CODED, _LINEAR = encode_srgb(_SIDE).astype(np.float32), decode_srgb(_SIDE).astype(np.float32)
"""So fine that a line between neighbours is off by 1e-6 at most."""


@inline
def _along(curve, x):
    """Value of a curve over [0, 1] at some place, a line between two of its points."""
    at = min(max(x, F(0)), F(1)) * F(curve.shape[0] - 1)
    k = min(int(at), curve.shape[0] - 2)
    return curve[k] + (curve[k + 1] - curve[k]) * (at - F(k))


@kernel
def _look_up(shown, table, amount, to_coded, to_linear, begin, end, out):
    """Tetrahedral interpolation: from the node below to the one above along the sides, the longest share first."""
    side = table.shape[0]
    top = side - 1
    colors = table.reshape(side * side * side, 3)
    east, north, up = side * side, side, 1
    for i in range(begin, end):
        r, g, b = _along(to_coded, shown[i, 0]), _along(to_coded, shown[i, 1]), _along(to_coded, shown[i, 2])
        x, y, z = min(int(r * F(top)), top - 1), min(int(g * F(top)), top - 1), min(int(b * F(top)), top - 1)
        u, v, w = r * F(top) - F(x), g * F(top) - F(y), b * F(top) - F(z)
        low, middle, high = min(u, min(v, w)), max(min(u, v), min(max(u, v), w)), max(u, max(v, w))
        first = east if high == u else (north if high == v else up)
        last = up if low == w else (north if low == v else east)
        a = east * x + north * y + z
        d = a + east + north + up
        k, m = a + first, d - last
        for c in range(3):
            coded = r if c == 0 else (g if c == 1 else b)
            value = colors[a, c] * (F(1) - high) + colors[k, c] * (high - middle)
            value += colors[m, c] * (middle - low) + colors[d, c] * low
            out[i, c] = _along(to_linear, coded + (value - coded) * amount)


def looked_up(shown: np.ndarray, table: ColorTable) -> np.ndarray:
    """Colours as a table says.

    Parameters
    ----------
    shown : (H, W, 3) float32
        Display-linear, in [0, 1].
    table : ColorTable
        The table.

    Returns
    -------
    (H, W, 3) float32
        Display-linear.
    """
    flat, colors, amount = np.ascontiguousarray(shown, np.float32).reshape(-1, 3), table.colors(), F(table.amount)
    out = np.empty_like(flat)
    in_parts(len(flat), lambda first, last: _look_up(flat, colors, amount, _CODED, _LINEAR, first, last, out))
    return out.reshape(np.shape(shown))
