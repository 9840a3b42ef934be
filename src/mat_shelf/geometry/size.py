"""Size of a product, and how plausible it is."""

from typing import NamedTuple

UNITS = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4, "ft": 304.8}
"""Millimetres in each."""
UNIT_NAMES = {"mm": "millimetres", "cm": "centimetres", "m": "metres", "in": "inches", "ft": "feet"}
PLAUSIBLE_MM = (4.0, 1500.0)
"""What products on a photographer's table measure along their longest side; common practice."""


class UnitGuess(NamedTuple):
    """A unit a file may have been made in, and how long the product's longest side then is, mm."""

    unit: str
    longest_mm: float


def other_units(longest_mm: float, unit: str) -> list[UnitGuess]:
    """Units that would make the product a plausible size, likeliest first, if that read as `unit` does not.

    Parameters
    ----------
    longest_mm : float
        Longest side as it was read, taking the file's numbers for `unit`.
    unit : str
        Unit, a key of `geometry.size.UNITS`.

    Returns
    -------
    list of UnitGuess
    """
    low, high = PLAUSIBLE_MM
    if low <= longest_mm <= high:
        return []
    number = longest_mm / UNITS[unit]
    guesses = [UnitGuess(name, number * factor) for name, factor in UNITS.items() if name != unit]
    fitting = [guess for guess in guesses if low <= guess.longest_mm <= high]
    middle = 150.0  # mm: of several that fit, the one nearest the size of something held in the hand
    return sorted(fitting, key=lambda guess: max(guess.longest_mm / middle, middle / guess.longest_mm))


def length_words(mm: float) -> str:
    """A length as one says it: 0.4 mm, 85 mm, 2.1 m.

    Parameters
    ----------
    mm : float
        Length, mm.

    Returns
    -------
    str
    """
    if abs(mm) >= 1000:
        return f"{mm / 1000:.3g} m"
    return f"{mm:.3g} mm" if abs(mm) < 100 else f"{mm:.0f} mm"


def size_question(name: str, size_mm, unit: str) -> str | None:
    """Question about an implausible size; None where it is plausible.

    Parameters
    ----------
    name : str
        Name.
    size_mm : (3,) float
        Along x, y (up) and z.
    unit : str
        What the file's numbers were taken for.

    Returns
    -------
    str or None
    """
    longest = max(size_mm)
    if PLAUSIBLE_MM[0] <= longest <= PLAUSIBLE_MM[1]:
        return None
    way = "high" if size_mm[1] == longest else "long"
    odd = "large" if longest > PLAUSIBLE_MM[1] else "small"
    guesses = other_units(longest, unit)
    what = f"{name} is {length_words(longest)} {way}, very {odd} for a product, with its numbers read as "
    what += f"{UNIT_NAMES[unit]}."
    return f"{what} Is the unit {UNIT_NAMES[guesses[0].unit]}?" if guesses else f"{what} Set its size in Product."


def depth_warning(color, depth_mm: float, thickness_mm: float) -> str | None:
    """Mismatch between a transmission depth and the size of a part, in words; None where they agree.

    Parameters
    ----------
    color : (3,) float
        Linear Rec.709 transmittance over `depth_mm`.
    depth_mm : float
        Depth, mm.
    thickness_mm : float
        Shortest side of the part.

    Returns
    -------
    str or None
    """
    if depth_mm <= 0 or thickness_mm <= 0:
        return None
    depths = thickness_mm / depth_mm
    lightest, darkest = max(color), min(color)
    thick, depth = length_words(thickness_mm), length_words(depth_mm)
    if lightest > 0.02 and lightest**depths < 0.002:
        return f"{thick} thick, but full colour is reached at {depth}: black throughout"
    if darkest < 0.9 and darkest**depths > 0.995:
        return f"{thick} thick, but the colour needs {depth}: it will not show"
    return None
