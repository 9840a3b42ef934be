"""Sets that come with the program, and their size for a product."""

from pathlib import Path

from mat_shelf.document.data_files import read_data
from mat_shelf.document.light import Light
from mat_shelf.document.set import Set

SETS = read_data(Set, Path(__file__).parent / "data" / "sets")

BUILT_FOR_MM = 290.0
"""Longest side of the product that these sets suit, mm."""
_LENGTHS = ("width", "height", "length", "diameter")


def scaled_set(studio: Set, factor: float) -> Set:
    """The set made larger or smaller about the origin; luminances stay, so it lights a larger product alike.

    Parameters
    ----------
    studio : Set
        The set.
    factor : float
        Factor of all lengths.

    Returns
    -------
    Set
    """

    def times(point):
        """A point times the factor.

        Parameters
        ----------
        point : (3,) float
            Point, mm.

        Returns
        -------
        float32
        """
        return tuple(x * factor for x in point)

    lights = tuple(
        light.with_(
            position=times(light.position),
            target=times(light.target),
            **{name: _within(name, getattr(light, name) * factor) for name in _LENGTHS},
        )
        for light in studio.lights
    )
    backdrop = studio.backdrop
    if backdrop is not None:
        names = ("width", "depth", "height", "radius")
        backdrop = backdrop.with_(**{name: min(getattr(backdrop, name) * factor, 1e5) for name in names})
    # Props keep their true size; they only stand further out.
    props = tuple(prop.with_(x=prop.x * factor, y=prop.y * factor, z=prop.z * factor) for prop in studio.props)
    return studio.with_(lights=lights, backdrop=backdrop, props=props)


def _within(name: str, value: float) -> float:
    low, high = Light.limits(name)
    return min(max(value, low), high)


def sets_for(longest_mm: float) -> tuple[Set, ...]:
    """The sets, sized for a product.

    Parameters
    ----------
    longest_mm : float
        Longest side of the product, mm.

    Returns
    -------
    tuple of Set
    """
    factor = min(max(longest_mm / BUILT_FOR_MM, 0.05), 10.0)
    return tuple(scaled_set(studio, factor) for studio in SETS)
