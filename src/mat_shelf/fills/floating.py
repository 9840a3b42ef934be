"""Solids that float: how deep they lie in a liquid, by Archimedes."""

import manifold3d
import numpy as np
from scipy.optimize import brentq

from mat_shelf.fills.cavity import Cavity
from mat_shelf.fills.vessel import Vessel, VesselError


def rise_to_float(solid: Vessel, cavity: Cavity, volume: float, ratio: float) -> float:
    """Way up that a solid has to go so as to float upright as it stands, mm; below 0 where it has to sink.

    Parameters
    ----------
    solid : Vessel
        Its closed surface, with y up.
    cavity : Cavity
        The cavity, without the room that it takes.
    volume : float
        Volume of the liquid in that, mm3.
    ratio : float
        Density of the solid, of the liquid's.

    Returns
    -------
    float

    Raises
    ------
    VesselError
        If it sinks, or there is too little liquid to bear it.
    """
    if ratio >= 1:
        raise VesselError("it is denser than the liquid, and sinks")
    body = manifold3d.Manifold(
        manifold3d.Mesh64(np.ascontiguousarray(solid.vertices), solid.triangles.astype(np.uint64))
    )
    if body.status() != manifold3d.Error.NoError:
        raise VesselError("its faces do not fit together; mend it in the Product station")
    pushed = ratio * body.volume()
    level = cavity.level_of(min(volume + pushed, cavity.capacity))
    low, high = float(solid.vertices[:, 1].min()), float(solid.vertices[:, 1].max())

    def too_much(rise: float) -> float:
        """Volume under the level, over what it has to push aside, mm3.

        Parameters
        ----------
        rise : float
            Way up, mm.

        Returns
        -------
        float
        """
        return body.trim_by_plane((0.0, -1.0, 0.0), -(level - rise)).volume() - pushed

    rise = float(brentq(too_much, level - high, level - low, xtol=1e-6 * (high - low)))
    if low + rise < cavity.bottom:
        raise VesselError("it stands on the bottom; there is too little liquid to bear it")
    return rise
