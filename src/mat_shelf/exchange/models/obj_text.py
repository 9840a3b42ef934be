"""The text of Wavefront OBJ: its objects with their names, and the materials of their faces.

trimesh reads OBJ too, but gives every object the name of the first.
"""

import re
from dataclasses import dataclass, field

import numpy as np

from mat_shelf.geometry.mesh import MeshError


@dataclass
class ObjPart:
    """An object: corners as indices into the file's lists, -1 where it has none.

    Attributes
    ----------
    corners : list of (T, 3, 3) int64
        Vertex, texture coordinate and normal of each corner, a block for each change of material.
    materials : list of str
        Of each block.
    """

    name: str
    corners: list[np.ndarray] = field(default_factory=list)
    materials: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class ObjFile:
    """Contents of one OBJ file: vertices, coordinates, and the faces of its groups."""

    vertices: np.ndarray
    coordinates: np.ndarray
    normals: np.ndarray
    parts: list[ObjPart]
    libraries: list[str]


_CHANGE = re.compile(rb"^[ \t]*(o|g|usemtl|mtllib)[ \t]*([^\r\n]*)\r?$", re.MULTILINE)


def parse_obj(data: bytes) -> ObjFile:
    """Raises MeshError where it is none.

    Parameters
    ----------
    data : bytes
        Content of the file.

    Returns
    -------
    ObjFile
    """
    data = _in_ascii(data)
    data = data.replace(b"\\\r\n", b" ").replace(b"\\\n", b" ")
    lines = data.split(b"\n")
    vertices, normals = _numbers(lines, b"v ", 3), _numbers(lines, b"vn", 3)
    coordinates = _numbers(lines, b"vt", 2)
    if not len(vertices):
        raise MeshError("the file has no vertices; it is no OBJ, or it is damaged")
    del lines
    parts, libraries = [ObjPart("")], []
    named_by_object = re.search(rb"^[ \t]*o[ \t]", data, re.MULTILINE) is not None
    material, place = "", 0
    marks = list(_CHANGE.finditer(data))
    sizes = np.array([len(vertices), len(coordinates), len(normals)])
    for mark in [*marks, None]:
        end = mark.start() if mark else len(data)
        corners = _corners(data[place:end], sizes, data, place)
        if len(corners):
            parts[-1].corners.append(corners)
            parts[-1].materials.append(material)
        if mark is None:
            break
        word, value = mark.group(1), mark.group(2).decode("utf-8", "replace").strip()
        if word == b"usemtl":
            material = value
        elif word == b"mtllib":
            libraries.append(value)
        elif word == b"o" or not named_by_object:
            parts.append(ObjPart(value))
        place = mark.end()
    return ObjFile(vertices, coordinates, normals, [part for part in parts if part.corners], libraries)


def _in_ascii(data: bytes) -> bytes:
    """Text in the encoding that the rest goes by: some programs write UTF-16."""
    for mark, encoding in ((b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16"), (b"\xef\xbb\xbf", "utf-8-sig")):
        if data.startswith(mark):
            return data.decode(encoding, "replace").encode()
    return data


def _numbers(lines: list[bytes], prefix: bytes, width: int) -> np.ndarray:
    """The first numbers of each line that begins with a word, (N, width) float64."""
    rows = [line[2:] for line in lines if line.startswith(prefix)]
    if not rows:
        return np.zeros((0, width))
    columns = len(rows[0].split())
    flat = _floats(b" ".join(rows))
    if columns < width or flat.size != len(rows) * columns:
        try:
            return np.array([[_float(word) for word in row.split()[:width]] for row in rows], np.float64)
        except ValueError:
            raise MeshError("the file has vertices that are not numbers; it is damaged") from None
    return flat.reshape(len(rows), columns)[:, :width]


def _floats(text: bytes) -> np.ndarray:
    words = text.split()
    try:
        return np.array(words, np.float64)
    except ValueError:
        pass
    try:
        return np.array([_float(word) for word in words], np.float64)
    except ValueError:
        raise MeshError("the file has values that are not numbers; it is damaged") from None


def _float(word: bytes) -> float:
    """A number, also with a comma in it or with the exponent of Fortran. Raises ValueError."""
    return float(word.translate(_PLAIN))


_PLAIN = bytes.maketrans(b",dD", b".ee")


def _corners(text: bytes, sizes: np.ndarray, data: bytes, start: int) -> np.ndarray:
    """Triangles of a block of lines, (T, 3, 3) int64, counted from 0; polygons are cut into fans."""
    rows = [line.split()[1:] for line in text.split(b"\n") if line.lstrip().startswith((b"f ", b"f\t"))]
    rows = [row for row in rows if len(row) >= 3]
    if not rows:
        return np.zeros((0, 3, 3), np.int64)
    counts = np.array([len(row) for row in rows])
    words = [word for row in rows for word in row]
    slashes = words[0].count(b"/")
    joined = b" ".join(words)
    try:
        if joined.count(b"/") == slashes * len(words) and b"//" not in joined:
            flat = np.array(joined.replace(b"/", b" ").split(), np.int64).reshape(len(words), -1)
            whole = np.zeros((len(words), 3), np.int64)
            whole[:, : min(flat.shape[1], 3)] = flat[:, :3]
        else:
            triples = [(word.split(b"/") + [b"", b""])[:3] for word in words]
            whole = np.array([[int(part or 0) for part in triple] for triple in triples], np.int64)
    except (ValueError, OverflowError):
        raise MeshError("the file has faces that are not numbers; it is damaged") from None
    # Counted from 1; 0 stands for none; negative numbers count back from the last one before the line.
    if (whole < 0).any():
        whole = np.where(whole < 0, whole + np.repeat(_counts_before(text, data, start), counts, axis=0) + 1, whole)
    whole = whole - 1
    if (whole >= sizes).any() or (whole[:, 0] < 0).any():
        raise MeshError("the mesh refers to vertices that are not there; the file is damaged")
    first = np.repeat(np.cumsum(counts) - counts, counts - 2)
    step = np.arange(len(first)) - np.repeat(np.cumsum(counts - 2) - (counts - 2), counts - 2)
    return np.stack([whole[first], whole[first + step + 1], whole[first + step + 2]], axis=1)


def _counts_before(text: bytes, data: bytes, start: int) -> np.ndarray:
    """Numbers of vertices, texture coordinates and normals before each face of a block, (N, 3) int64."""
    words = (b"v", b"vt", b"vn")
    counts = [len(re.findall(rb"^[ \t]*" + word + rb"[ \t]", data[:start], re.MULTILINE)) for word in words]
    found = []
    for line in text.split(b"\n"):
        row = line.split()
        if row[:1] == [b"f"] and len(row) >= 4:
            found.append(tuple(counts))
        elif row and row[0] in words:
            counts[words.index(row[0])] += 1
    return np.array(found, np.int64)
