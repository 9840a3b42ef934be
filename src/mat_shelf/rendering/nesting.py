"""Which clear bodies a path is inside of, and which of them counts where several lie at the same place.

References
----------
Schmidt and Budge 2002, Simple Nested Dielectrics in Ray Traced Images.
"""

from mat_shelf.optics import parameters as P
from mat_shelf.optics.kernels import inline

NESTING = 4
"""How many clear bodies a path may be inside of at once."""


@inline
def surrounding(inside, i, block, without):
    """Row of the body of highest priority round path i, leaving one out; -1 for air."""
    best = -1
    for k in range(NESTING):
        row = inside[i, k]
        if row >= 0 and row != without and (best < 0 or block[row, P.PRIORITY] > block[best, P.PRIORITY]):
            best = row
    return best


@inline
def times_inside(inside, i, row):
    """How many pieces of the body of a row path i is inside of."""
    times = 0
    for k in range(NESTING):
        if inside[i, k] == row:
            times += 1
    return times


@inline
def turn_over(inside, i, row, entering):
    """Notes that path i crossed into, or out of, the body of a row."""
    for k in range(NESTING):
        if entering and inside[i, k] < 0:
            inside[i, k] = row
            return
        if not entering and inside[i, k] == row:
            inside[i, k] = -1
            return


@inline
def is_hidden(inside, i, row, entering, outside, block):
    """Whether a boundary has no effect: another body counts there, or path i is inside of another piece of the same.

    Parameters
    ----------
    outside : int
        What `surrounding` says without this row.
    """
    if outside >= 0 and block[outside, P.PRIORITY] > block[row, P.PRIORITY]:
        return True
    return times_inside(inside, i, row) > (0 if entering else 1)
