"""What happens to light inside a body."""

import numpy as np

from mat_shelf.optics.kernels import F

CLEAREST = 1e-4


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
