"""Points of the unit circle, for kernels: without a call, before which all that is in registers would have to be saved.

References
----------
Moshier 1989, Methods and Programs for Mathematical Functions (Cephes): polynomials of sine and cosine up to pi / 4.
"""

import math

import numpy as np

from mat_shelf.numerics.kernels import F, inline


@inline
def circle_point(turn):
    """Cosine and sine of a share of a whole turn.

    Parameters
    ----------
    turn : float32
        Between -1 and 1.

    Returns
    -------
    (cosine, sine) : float32
        Each within 2e-7.
    """
    quarters = np.int32(F(4) * turn + F(4.5)) - np.int32(4)  # math.floor would be a call
    x = (turn - F(0.25) * F(quarters)) * F(2 * math.pi)
    z = x * x
    sine = x + x * z * (F(-1.6666654611e-1) + z * (F(8.3321608736e-3) - z * F(1.9515295891e-4)))
    cosine = F(1) - F(0.5) * z
    cosine += z * z * (F(4.1666645683e-2) + z * (F(2.4433157118e-5) * z - F(1.3887316255e-3)))
    # A branch would be guessed wrongly every other time.
    turned, sign = F(quarters & np.int32(1)), F(1) - F(quarters & np.int32(2))
    kept = F(1) - turned
    return sign * (cosine * kept - sine * turned), sign * (sine * kept + cosine * turned)
