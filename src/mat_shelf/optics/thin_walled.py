"""A body so thin that light leaves it where it came in: a pane, a bubble's skin, a leaf of plastic.

After OpenPBR Surface 1.1, "Thin-walled": light goes straight on, and is reflected by both of its faces.
"""

from mat_shelf.numerics.kernels import F, inline


@inline
def thin_wall_shares(reflectance, tint):
    """Reflection that a pane adds to that of its first face, and its transmission.

    Parameters
    ----------
    reflectance : float32
        Of one of its faces.
    tint : float32
        Share of light left after one way through it.

    Returns
    -------
    (returned, passed) : float32
        With the first face's reflectance they add up to 1 where the tint is white.

    References
    ----------
    Stokes 1862, On the Intensity of the Light Reflected from or Transmitted through a Pile of Plates; all orders of
    reflection between the faces.
    """
    through = F(1) - reflectance
    # Both faces of a pane that reflects everything are one mirror.
    whole = max(F(1) - reflectance * reflectance * tint * tint, F(1e-6))
    return through * through * tint * tint * reflectance / whole, through * through * tint / whole
