"""Reading files of candela by angle: ANSI/IES LM-63, of its editions from 1986 to 2019."""

from typing import NamedTuple

import numpy as np

MOST_BYTES = 4 << 20
_MOST_ANGLES = 1441
_STEP_ABOUT = 3.0
_TYPES = {2: "B", 3: "A"}


class DistributionError(ValueError):
    """A file cannot be used; the message says why and what to do."""


class CandelaTable(NamedTuple):
    """Candela by angle.

    Attributes
    ----------
    polar : (V,) float64, degrees from the axis
    about : (H,) float64, degrees about it
    candela : (H, V) float64
    """

    polar: np.ndarray
    about: np.ndarray
    candela: np.ndarray


def read_distribution(data: bytes) -> CandelaTable:
    """The candela of an LM-63 file of type C, multipliers included.

    Parameters
    ----------
    data : bytes
        Content of the file.

    Returns
    -------
    CandelaTable

    Raises
    ------
    DistributionError
        If it is damaged, too large, or measured by another geometry.
    """
    if len(data) > MOST_BYTES:
        raise DistributionError("the file is larger than 4 MB; a light distribution is a short text")
    text = data.decode("latin-1")
    _, found, rest = text.partition("TILT=")
    if not found:
        raise DistributionError("it is no LM-63 file: the line that begins with TILT= is missing")
    tilt, _, rest = rest.partition("\n")
    numbers = _numbers(rest)
    if tilt.strip().upper() == "INCLUDE":
        if len(numbers) < 2 or not 0 <= numbers[1] <= _MOST_ANGLES:
            raise DistributionError("the file is damaged: its table for tilted lamps is cut off")
        numbers = numbers[2 + 2 * int(numbers[1]) :]
    if len(numbers) < 13:
        raise DistributionError("the file is damaged: it ends before its angles")
    factor, rows, columns, kind = numbers[2], numbers[3], numbers[4], numbers[5]
    if not (2 <= rows <= _MOST_ANGLES and 1 <= columns <= _MOST_ANGLES):
        raise DistributionError("the file is damaged: it has no plausible number of angles")
    if kind in _TYPES:
        raise DistributionError(
            f"it is of type {_TYPES[kind]}, for floodlights or vehicles; ask the maker for one of type C"
        )
    rows, columns = int(rows), int(columns)
    polar, about = numbers[13 : 13 + rows], numbers[13 + rows : 13 + rows + columns]
    values = numbers[13 + rows + columns : 13 + rows + columns + rows * columns]
    if len(values) < rows * columns:
        raise DistributionError("the file is damaged: it ends before its last candela")
    candela = values.reshape(columns, rows) * factor * numbers[10]
    if (np.diff(polar) <= 0).any() or (np.diff(about) <= 0).any() or polar[0] < 0 or polar[-1] > 180:
        raise DistributionError("the file is damaged: its angles do not rise from 0 to 180 degrees")
    if candela.min() < 0 or candela.max() <= 0:
        raise DistributionError("it holds candela below zero, or none at all")
    return CandelaTable(polar, about, candela)


def shares_of(table: CandelaTable) -> tuple[np.ndarray, float]:
    """A distribution by even steps of angle, as kernels read it, and the candela of its brightest direction.

    Parameters
    ----------
    table : CandelaTable
        As `read_distribution` has it.

    Returns
    -------
    shares : (181, 121) float32
        By degrees from the axis and 3 degrees about it, the brightest 1; dark beyond the angles of the file.
    most : float
        Candela.
    """
    about, values = _all_round(table)
    polar = np.arange(181.0)
    rows = np.stack([np.interp(polar, table.polar, each, left=0.0, right=0.0) for each in values])
    wanted = np.arange(0.0, 360.0 + _STEP_ABOUT, _STEP_ABOUT)
    grid = np.stack([np.interp(wanted, about, rows[:, k]) for k in range(181)])
    most = float(table.candela.max())
    return (grid / most).astype(np.float32), most


def _all_round(table: CandelaTable) -> tuple[np.ndarray, np.ndarray]:
    """Angles from 0 to 360 with the candela at each, by the symmetry that the file's last angle says."""
    about, values = table.about, table.candela
    first, last = about[0], about[-1]
    if len(about) == 1:
        return np.array([0.0, 360.0]), np.repeat(values, 2, axis=0)
    if first == 0 and last == 90:
        about, values = np.concatenate([about, 180 - about[-2::-1]]), np.concatenate([values, values[-2::-1]])
        last = 180
    if first == 90 and last == 270:
        mirrored = np.concatenate([180 - about[about <= 180][::-1], about[about > 180], [360.0]])
        wanted = np.unique(np.concatenate([about, np.mod(540 - about, 360), mirrored, [0.0, 360.0]]))
        folded = np.where((wanted < 90) | (wanted > 270), np.mod(180 - wanted, 360), wanted)
        return wanted, np.stack([np.interp(folded, about, values[:, k]) for k in range(values.shape[1])], axis=1)
    if first == 0 and last == 180:
        return np.concatenate([about, 360 - about[-2::-1]]), np.concatenate([values, values[-2::-1]])
    if first == 0 and last == 360:
        return about, values
    raise DistributionError("its angles about the axis span neither 0, 90, 180 nor 360 degrees")


def _numbers(text: str) -> np.ndarray:
    try:
        numbers = np.array(text.replace(",", " ").split(), dtype=np.float64)
    except ValueError:
        raise DistributionError("the file is damaged: there are words where its numbers should be") from None
    if not np.isfinite(numbers).all():
        raise DistributionError("the file is damaged: it holds values that are not numbers")
    return numbers
