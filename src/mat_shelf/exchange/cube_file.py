"""Colour tables as text, ``.cube``."""

import re
import warnings
from pathlib import Path

import numpy as np
from scipy.ndimage import map_coordinates

from mat_shelf.document.color_table import MOST_NODES, ColorTable
from mat_shelf.document.ids import name_from
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.system.file_reader import read_file
from mat_shelf.system.file_writer import write_file

CUBE_ENDING = ".cube"
_LARGEST = 64 << 20
"""Bytes."""
_MOST_SIDE, _MOST_LINE = 129, 65536
"""Nodes along a side of a cube, and of a table for each channel."""
_MOST_HEAD = 1 << 16
"""Bytes before the first colour."""
_FIRST_COLOR, _REMARK = re.compile(rb"^[ \t]*[-+.\d]", re.M), re.compile(rb"^[ \t]*#.*$", re.M)


def read_cube(path: Path) -> ColorTable:
    """Reads a table; one with more nodes than are kept, or of other ends than 0 and 1, is met between its nodes.

    Parameters
    ----------
    path : Path
        File.

    Returns
    -------
    ColorTable

    Raises
    ------
    ImageError, OSError
        If it is no such table; the message says why.
    """
    path = Path(path)
    words, values = _parts(read_file(path, _LARGEST))
    is_cube = "LUT_3D_SIZE" in words
    side = words.get("LUT_3D_SIZE") or words.get("LUT_1D_SIZE")
    if side is None or not side[0].isdecimal():
        raise ImageError("it does not say how large its table is (LUT_3D_SIZE)")
    count = int(side[0][:9])
    if not 2 <= count <= (_MOST_SIDE if is_cube else _MOST_LINE):
        raise ImageError(f"a table of {count} nodes cannot be; a cube has 2 to {_MOST_SIDE} along each side")
    low, high = _domain(words, "LUT_3D_INPUT_RANGE" if is_cube else "LUT_1D_INPUT_RANGE")
    if len(values) != 3 * (count**3 if is_cube else count):
        raise ImageError(f"it has {len(values) // 3} colours; a size of {count} needs {count**3 if is_cube else count}")
    if not np.isfinite(values).all():
        raise ImageError("some of its values are no numbers")
    if is_cube:
        cube = values.reshape(count, count, count, 3).transpose(2, 1, 0, 3)  # red runs fastest
        is_plain = count <= MOST_NODES and (low == 0).all() and (high == 1).all()
        colors = cube if is_plain else _between(cube, low, high)
    else:
        at = (np.linspace(0, 1, MOST_NODES)[:, None] - low) / (high - low) * (count - 1)
        line = values.reshape(count, 3)
        ends = [np.interp(at[:, c], np.arange(count), line[:, c]) for c in range(3)]
        colors = np.stack(np.meshgrid(*ends, indexing="ij"), axis=3)
    return ColorTable.of(name_from(path.stem, "Colour table"), colors)


def _parts(data: bytes) -> tuple[dict[str, list[str]], np.ndarray]:
    """Words with those that follow them in their lines, and the numbers after all of these."""
    found = _FIRST_COLOR.search(data)
    begin = len(data) if found is None else found.start()
    if begin > _MOST_HEAD:
        raise ImageError("it is no colour table")
    lines = (line.split() for line in data[:begin].decode("latin-1").splitlines())
    words = {first: rest or [""] for first, *rest in filter(None, lines)}
    body = _REMARK.sub(b"", data[begin:]) if b"#" in data[begin:] else data[begin:]
    try:
        with warnings.catch_warnings(action="error"):  # as it says that numbers end before the text does
            return words, np.fromstring(body, np.float32, sep=" ")
    except (ValueError, DeprecationWarning) as fault:
        raise ImageError("not all of its lines are three numbers") from fault


def _domain(words: dict[str, list[str]], of_all: str) -> tuple[np.ndarray, np.ndarray]:
    """Colours of the first node and of the last: of each channel, or of all in one line."""
    both = words.get(of_all, ["0", "1"])
    ends = [words.get(f"DOMAIN_{end}", 3 * both[k : k + 1]) for k, end in enumerate(("MIN", "MAX"))]
    try:
        low, high = np.array(ends, np.float64)
    except ValueError as fault:
        raise ImageError("its domain is no three numbers") from fault
    if low.shape != (3,) or not np.isfinite([low, high]).all():
        raise ImageError("its domain is no three numbers")
    if not (high > low).all():
        raise ImageError("its domain ends before it begins")
    return low, high


def _between(cube: np.ndarray, low: np.ndarray, high: np.ndarray) -> np.ndarray:
    """The cube at evenly spaced nodes from 0 to 1."""
    at = (np.linspace(0, 1, MOST_NODES)[:, None] - low) / (high - low) * (len(cube) - 1)
    places = np.stack(np.meshgrid(*at.T, indexing="ij"))
    return np.stack([map_coordinates(cube[..., c], places, order=1, mode="nearest") for c in range(3)], axis=3)


def write_cube(path: Path, name: str, colors: np.ndarray) -> None:
    """Writes a table.

    Parameters
    ----------
    path : Path
        File.
    name : str
        Its title.
    colors : (N, N, N, 3) float
        sRGB-coded colours by coded red, green and blue, in [0, 1].

    Raises
    ------
    WriteError
        If it cannot be written.
    """
    title = name.replace('"', "'")
    rows = colors.transpose(2, 1, 0, 3).reshape(-1, 3).tolist()
    lines = "\n".join(f"{red:.6f} {green:.6f} {blue:.6f}" for red, green, blue in rows)
    head = f'TITLE "{title}"\nLUT_3D_SIZE {len(colors)}\nDOMAIN_MIN 0 0 0\nDOMAIN_MAX 1 1 1\n'
    write_file(Path(path), f"{head}{lines}\n".encode())
