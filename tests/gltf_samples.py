"""glTF files made by hand, as far as tests need them: what a standard library writes is too tame."""

import io
import json
import struct
from pathlib import Path

import numpy as np
from PIL import Image

TYPES = {"int8": 5120, "uint8": 5121, "int16": 5122, "uint16": 5123, "uint32": 5125, "float32": 5126}
QUAD = np.float32([[-0.05, 0.0, 0.0], [0.05, 0.0, 0.0], [0.05, 0.1, 0.0], [-0.05, 0.1, 0.0]])
QUAD_UV = np.float32([[0, 1], [1, 1], [1, 0], [0, 0]])
"""v downwards, as glTF has it."""
QUAD_FACES = np.uint16([0, 1, 2, 0, 2, 3])


class Sample:
    """A glTF file as it grows."""

    def __init__(self, **text):
        self.text = {"asset": {"version": "2.0"}, **text}
        self.data = bytearray()

    def add(self, key: str, thing: dict) -> int:
        self.text.setdefault(key, []).append(thing)
        return len(self.text[key]) - 1

    def view(self, data: bytes, **more) -> int:
        self.data += b"\0" * (-len(self.data) % 4)
        view = {"buffer": 0, "byteOffset": len(self.data), "byteLength": len(data), **more}
        self.data += data
        return self.add("bufferViews", view)

    def numbers(self, values, **more) -> int:
        values = np.ascontiguousarray(values)
        kind = "SCALAR" if values.ndim == 1 else f"VEC{values.shape[1]}"
        component = TYPES[values.dtype.name]
        accessor = {"bufferView": self.view(values.tobytes()), "componentType": component, "count": len(values)}
        return self.add("accessors", accessor | {"type": kind, **more})

    def image(self, pixels: np.ndarray, **texture) -> int:
        """A texture of some pixels."""
        data = io.BytesIO()
        Image.fromarray(pixels).save(data, "PNG")
        image = self.add("images", {"bufferView": self.view(data.getvalue()), "mimeType": "image/png"})
        return self.add("textures", {"source": image, **texture})

    def quad(self, material: dict | None = None, **node) -> int:
        """A node with an upright square, 100 mm wide; returns the node."""
        primitive = {"attributes": {"POSITION": self.numbers(QUAD), "TEXCOORD_0": self.numbers(QUAD_UV)}}
        primitive["indices"] = self.numbers(QUAD_FACES)
        if material is not None:
            primitive["material"] = self.add("materials", material)
        return self.add("nodes", {"mesh": self.add("meshes", {"primitives": [primitive]}), **node})

    def write(self, path: Path) -> Path:
        self.text["buffers"] = [{"byteLength": len(self.data)}]
        words = json.dumps(self.text).encode()
        words += b" " * (-len(words) % 4)
        data = bytes(self.data) + b"\0" * (-len(self.data) % 4)
        body = struct.pack("<II", len(words), 0x4E4F534A) + words + struct.pack("<II", len(data), 0x004E4942) + data
        path.write_bytes(struct.pack("<III", 0x46546C67, 2, 12 + len(body)) + body)
        return path


def four_colors() -> np.ndarray:
    """Red and green above, blue and white below, (8, 8, 3) uint8."""
    pixels = np.zeros((8, 8, 3), np.uint8)
    pixels[:4, :4], pixels[:4, 4:], pixels[4:, :4], pixels[4:, 4:] = (255, 0, 0), (0, 255, 0), (0, 0, 255), 255
    return pixels
