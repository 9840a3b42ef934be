"""Liquids that come with the program, as they behave in a vessel; `docs/sources.md` says where the values are from."""

import json
from pathlib import Path
from typing import NamedTuple


class Liquid(NamedTuple):
    """One liquid at 20 degrees Celsius.

    swatch : str, id of the swatch that it looks like
    name : str
    tension : float, mN/m
    density : float, g/cm3
    glass, plastic, metal, wax : float, degrees; contact angle on walls of each
    """

    swatch: str
    name: str
    tension: float
    density: float
    glass: float
    plastic: float
    metal: float
    wax: float

    def angle_on(self, family: str) -> float:
        """Contact angle on a wall, degrees.

        Parameters
        ----------
        family : str
            Family of the wall's material.

        Returns
        -------
        float
        """
        return getattr(self, _WALLS.get(family, "plastic"))


_WALLS = {"Glass": "glass", "Stone": "glass", "Metal": "metal", "Wax and soft": "wax"}
"""What a family counts as; all others as plastic."""

LIQUIDS = tuple(
    Liquid(**fields) for fields in json.loads((Path(__file__).parent / "data" / "liquids.json").read_text())
)
"""The liquids, in the order of their menu."""
