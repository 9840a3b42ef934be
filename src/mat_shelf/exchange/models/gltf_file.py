"""glTF 2.0 as a file: its JSON, its buffers, and numbers out of them.

References
----------
Khronos glTF 2.0, 3.6 (accessors, sparse ones too) and 4 (GLB); KHR_draco_mesh_compression, KHR_mesh_quantization.
"""

import base64
import binascii
import json
import re
import struct
from pathlib import Path
from urllib.parse import unquote

import numpy as np

from mat_shelf.exchange.models.beside import PartFaultError, read_beside
from mat_shelf.geometry.mesh import MeshError

_TYPES = {5120: np.int8, 5121: np.uint8, 5122: np.int16, 5123: np.uint16, 5125: np.uint32, 5126: np.float32}
_WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
LARGEST_TEXT = 256 << 20
_MOST_ELEMENTS = 100_000_000
_COMPRESSED = {
    "EXT_meshopt_compression": "meshopt compression",
    "KHR_meshopt_compression": "meshopt compression",
    "KHR_draco_mesh_compression": "Draco compression",
}
_UNDERSTOOD = re.compile(
    r"KHR_(materials_.*|texture_transform|mesh_quantization|draco_mesh_compression|lights_punctual)$"
)


def block(value, name: str) -> dict:
    """An object in JSON of any kind; empty where there is none.

    Parameters
    ----------
    value : object
        JSON.
    name : str
        Its key.

    Returns
    -------
    dict
    """
    found = value.get(name) if isinstance(value, dict) else None
    return found if isinstance(found, dict) else {}


def rows(value, name: str) -> list[dict]:
    """The objects of a list in JSON of any kind; those that are none are empty.

    Parameters
    ----------
    value : object
        JSON.
    name : str
        Its key.

    Returns
    -------
    list of dict
    """
    found = value.get(name) if isinstance(value, dict) else None
    return [row if isinstance(row, dict) else {} for row in found] if isinstance(found, list) else []


def number(value, name: str, default: float) -> float:
    """A number in JSON of any kind.

    Parameters
    ----------
    value : object
        JSON.
    name : str
        Its key.
    default : float
        Where there is none.

    Returns
    -------
    float
    """
    found = value.get(name) if isinstance(value, dict) else None
    return float(found) if _is_number(found) else default


def numbers(value, name: str, default: tuple[float, ...]) -> tuple[float, ...]:
    """Numbers in JSON of any kind, as many as the default has.

    Parameters
    ----------
    value : object
        JSON.
    name : str
        Its key.
    default : tuple of float
        Where there are none, or too few.

    Returns
    -------
    tuple of float
    """
    found = value.get(name) if isinstance(value, dict) else None
    if not isinstance(found, list) or len(found) < len(default) or not all(map(_is_number, found)):
        return default
    return tuple(float(x) for x in found[: len(default)])


def place(value, name: str, among: list) -> int | None:
    """An index in JSON of any kind; None where it points nowhere.

    Parameters
    ----------
    value : object
        JSON.
    name : str
        Its key.
    among : list
        What it points into.

    Returns
    -------
    int or None
    """
    found = value.get(name) if isinstance(value, dict) else None
    is_index = isinstance(found, int) and not isinstance(found, bool)
    return found if is_index and 0 <= found < len(among) else None


def _is_number(value) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool) and abs(value) < 1e300


class GltfFile:
    """An opened file.

    Parameters
    ----------
    path : Path
        A GLB or glTF file.
    data : bytes
        Its content.

    Attributes
    ----------
    text : dict
        Its JSON.

    Raises
    ------
    MeshError
        If it is no glTF 2.0, or its JSON is damaged.
    """

    def __init__(self, path: Path, data: bytes):
        self.path = path
        self._inside: bytes | None = None
        if data[:4] == b"glTF":
            version = struct.unpack_from("<I", data, 4)[0] if len(data) >= 12 else 2
            self._check_version(str(version))
            data = self._chunks(data)
        if len(data) > LARGEST_TEXT:
            raise MeshError(f"the description in {path.name} is larger than {LARGEST_TEXT >> 20} MiB; simplify it")
        try:
            self.text = json.loads(data)
        except (ValueError, RecursionError):
            raise MeshError(f"{path.name} cannot be read; it is no glTF, or it is damaged") from None
        if not isinstance(self.text, dict):
            raise MeshError(f"{path.name} cannot be read; it is no glTF, or it is damaged")
        self._check_version(str(block(self.text, "asset").get("version", "2.0")))
        self._buffers: dict[int, bytes] = {}
        self._read: dict[int, np.ndarray] = {}

    def _check_version(self, version: str) -> None:
        if version.split(".")[0] == "1":
            raise MeshError(f"{self.path.name} is glTF 1.0, which is not read; export it as glTF 2.0")

    def _chunks(self, data: bytes) -> bytes:
        """The JSON of a GLB; its binary chunk is kept."""
        at, text = 12, b""
        while at + 8 <= len(data):
            length, kind = struct.unpack_from("<II", data, at)
            content = data[at + 8 : at + 8 + length]
            if len(content) < length:
                raise MeshError(f"{self.path.name} is cut off; copy it again")
            if kind == 0x4E4F534A and not text:
                text = content
            elif kind == 0x004E4942 and self._inside is None:
                self._inside = content
            at += 8 + length + -length % 4
        return text

    def unread_extensions(self) -> list[str]:
        """Extensions that the file says it cannot do without, and that are not known here.

        Returns
        -------
        list of str
        """
        required = self.text.get("extensionsRequired")
        required = required if isinstance(required, list) else []
        return [str(name)[:80] for name in required if not _UNDERSTOOD.match(str(name))]

    def data_of(self, uri: str) -> bytes:
        """Content of what a file refers to: within it, or in its own folder.

        Parameters
        ----------
        uri : str
            As the file has it.

        Returns
        -------
        bytes

        Raises
        ------
        PartFaultError
            If it is not there, or not in the folder.
        """
        if uri.startswith("data:"):
            try:
                return base64.b64decode(uri.partition(",")[2], validate=True)
            except (binascii.Error, ValueError):
                raise PartFaultError("its data is damaged") from None
        return read_beside(self.path, unquote(uri))

    def buffer(self, index: int) -> bytes:
        """A buffer. Raises PartFaultError.

        Parameters
        ----------
        index : int
            Its place.

        Returns
        -------
        bytes
        """
        if index not in self._buffers:
            listed = rows(self.text, "buffers")
            if not 0 <= index < len(listed):
                raise PartFaultError("it refers to a buffer that is not there")
            uri = listed[index].get("uri")
            if uri is None:
                if self._inside is None or index:
                    raise PartFaultError("its binary part is missing")
                self._buffers[index] = self._inside
            else:
                self._buffers[index] = self.data_of(str(uri))
        return self._buffers[index]

    def view(self, index: int) -> tuple[memoryview, int]:
        """Bytes of a buffer view, and their stride, 0 where they follow each other. Raises PartFaultError.

        Parameters
        ----------
        index : int
            Its place.

        Returns
        -------
        data : memoryview
        stride : int
        """
        listed = rows(self.text, "bufferViews")
        if not 0 <= index < len(listed):
            raise PartFaultError("it refers to data that is not there")
        found = listed[index]
        for name in block(found, "extensions"):
            if name in _COMPRESSED:
                raise PartFaultError(f"it uses {_COMPRESSED[name]}; export it without")
        buffer = self.buffer(_whole(found, "buffer", -1))
        start, length = _whole(found, "byteOffset", 0), _whole(found, "byteLength", 0)
        if start + length > len(buffer):
            raise PartFaultError("it refers to data beyond the end of its file")
        return memoryview(buffer)[start : start + length], _whole(found, "byteStride", 0)

    def values(self, index) -> np.ndarray:
        """Numbers of an accessor, (N,) or (N, width); normalised ones as float32. Raises PartFaultError.

        Parameters
        ----------
        index : int
            Its place.

        Returns
        -------
        array
        """
        listed = rows(self.text, "accessors")
        if not isinstance(index, int) or not 0 <= index < len(listed):
            raise PartFaultError("it refers to numbers that are not there")
        if index not in self._read:
            self._read[index] = self._values(listed[index])
        return self._read[index]

    def _values(self, accessor: dict) -> np.ndarray:
        kind, width = _TYPES.get(accessor.get("componentType")), _WIDTHS.get(accessor.get("type"))
        count = _whole(accessor, "count", 0)
        if kind is None or width is None or not 0 < count <= _MOST_ELEMENTS:
            raise PartFaultError("it has numbers of an unknown kind, or none")
        if place(accessor, "bufferView", rows(self.text, "bufferViews")) is None:
            found = np.zeros((count, width), kind)
        else:
            found = self._strided(accessor, count, width, kind)
        sparse = block(accessor, "sparse")
        if sparse:
            found = self._with_sparse(found.copy(), sparse, width, kind)
        if accessor.get("normalized") is True and kind is not np.float32:
            found = np.maximum(found.astype(np.float32) / np.float32(np.iinfo(kind).max), -1)
        return found[:, 0] if width == 1 else found

    def _strided(self, accessor: dict, count: int, width: int, kind) -> np.ndarray:
        data, stride = self.view(accessor["bufferView"])
        size = np.dtype(kind).itemsize
        stride = stride or size * width
        start = _whole(accessor, "byteOffset", 0)
        if stride < size * width or start + (count - 1) * stride + size * width > len(data):
            raise PartFaultError("it claims more numbers than its file holds")
        return np.ndarray((count, width), kind, data, start, (stride, size))

    def _with_sparse(self, found: np.ndarray, sparse: dict, width: int, kind) -> np.ndarray:
        count = _whole(sparse, "count", 0)
        if not 0 < count <= len(found):
            raise PartFaultError("it replaces more numbers than it has")
        where, values = block(sparse, "indices"), block(sparse, "values")
        index_kind = _TYPES.get(where.get("componentType"), np.uint32)
        index = self._strided(where | {"bufferView": _whole(where, "bufferView", -1)}, count, 1, index_kind)[:, 0]
        if int(index.max()) >= len(found):
            raise PartFaultError("it replaces numbers that are not there")
        found[index] = self._strided(values | {"bufferView": _whole(values, "bufferView", -1)}, count, width, kind)
        return found


def _whole(value: dict, name: str, default: int) -> int:
    found = value.get(name, default)
    if not isinstance(found, int) or isinstance(found, bool) or found < min(default, 0):
        raise PartFaultError("it has offsets that are no numbers")
    return found
