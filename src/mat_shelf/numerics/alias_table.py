"""Tables by which one of many things is drawn at once, whatever their chances.

References
----------
Walker 1977, An Efficient Method for Generating Discrete Random Variables. Vose 1991, A Linear Algorithm.
"""

import numpy as np

from mat_shelf.numerics.kernels import F, kernel


def alias_table(chance: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The alias table of some chances: slot i, drawn evenly, stands for i with `keep[i]`, else for `alias[i]`.

    Parameters
    ----------
    chance : (N,) float
        Their sum is 1.

    Returns
    -------
    keep : (N,) float32
    alias : (N,) int32
    """
    count = len(chance)
    keep, alias = np.empty(count, np.float32), np.empty(count, np.int32)
    _fill(np.asarray(chance, np.float64) * count, keep, alias, np.empty(count, np.int64))
    return keep, alias


@kernel
def _fill(scaled, keep, alias, work):
    """Vose's alias table. `scaled` is chance times count and is used up; `work` is scratch space of its size."""
    count = scaled.shape[0]
    small = 0
    large = count
    for i in range(count):
        if scaled[i] < 1.0:
            work[small] = i
            small += 1
        else:
            large -= 1
            work[large] = i
    # The stack of small ones grows from the left, that of large ones from the right.
    while small > 0 and large < count:
        small -= 1
        less = work[small]
        more = work[large]
        keep[less] = scaled[less]
        alias[less] = more
        scaled[more] -= 1.0 - scaled[less]
        if scaled[more] < 1.0:
            large += 1
            work[small] = more
            small += 1
    while small > 0:
        small -= 1
        keep[work[small]] = F(1)
        alias[work[small]] = work[small]
    while large < count:
        keep[work[large]] = F(1)
        alias[work[large]] = work[large]
        large += 1
