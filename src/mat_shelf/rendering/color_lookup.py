"""Colours looked up in a table as they are shown."""

import numpy as np

from mat_shelf.document.color_table import ColorTable
from mat_shelf.numerics.kernels import F, inline, kernel
from mat_shelf.system.processors import in_parts


@inline
def _coded(x):
    """IEC 61966-2-1."""
    return F(12.92) * x if x <= F(0.0031308) else F(1.055) * x ** F(1 / 2.4) - F(0.055)


@inline
def _linear(x):
    return x / F(12.92) if x <= F(0.04045) else ((x + F(0.055)) / F(1.055)) ** F(2.4)


@kernel
def _look_up(shown, table, amount, begin, end, coded, share, node, order):
    """Tetrahedral interpolation: from the node below to the one above along the sides, the steepest first."""
    top = table.shape[0] - 1
    for i in range(begin, end):
        for c in range(3):
            coded[c] = _coded(min(max(shown[i, c], F(0)), F(1)))
            at = coded[c] * F(top)
            node[c] = min(int(at), top - 1)
            share[c] = at - F(node[c])
            order[c] = c
        for a, b in ((0, 1), (1, 2), (0, 1)):
            if share[order[a]] < share[order[b]]:
                order[a], order[b] = order[b], order[a]
        for c in range(3):
            x, y, z = node[0], node[1], node[2]
            value = table[x, y, z, c] * (F(1) - share[order[0]])
            for k in range(3):
                x += 1 if order[k] == 0 else 0
                y += 1 if order[k] == 1 else 0
                z += 1 if order[k] == 2 else 0
                rest = share[order[k]] - (share[order[k + 1]] if k < 2 else F(0))
                value += table[x, y, z, c] * rest
            shown[i, c] = _linear(coded[c] + (value - coded[c]) * amount)


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
    out = np.array(shown, np.float32, order="C").reshape(-1, 3)
    colors, amount = table.colors(), F(table.amount)

    def run(begin: int, end: int) -> None:
        """Look up some colours.

        Parameters
        ----------
        begin, end : int
            The first of them, and the one behind the last.
        """
        room = np.empty((2, 3), np.float32), np.empty((2, 3), np.int64)
        _look_up(out, colors, amount, begin, end, *room[0], *room[1])

    in_parts(len(out), run)
    return out.reshape(np.shape(shown))
