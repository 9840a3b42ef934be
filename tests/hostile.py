"""Files that are made to harm: small ones that claim to be huge, or that never end."""

import hashlib
import io
import json
import struct
import zipfile
import zlib
from pathlib import Path

import numpy as np


def sha(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def packed(path: Path, text: dict | bytes, entries: dict[str, bytes]) -> Path:
    """A project package of any text and entries."""
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as package:
        package.writestr("project.json", text if isinstance(text, bytes) else json.dumps(text))
        for name, data in entries.items():
            package.writestr(name, data)
    return path


def glb(description: dict | bytes, binary: bytes = b"") -> bytes:
    """A GLB of any description."""
    text = description if isinstance(description, bytes) else json.dumps(description).encode()
    text += b" " * (-len(text) % 4)
    binary += b"\0" * (-len(binary) % 4)
    chunks = struct.pack("<II", len(text), 0x4E4F534A) + text + struct.pack("<II", len(binary), 0x004E4942) + binary
    return struct.pack("<III", 0x46546C67, 2, 12 + len(chunks)) + chunks


def triangle_glb(**changes) -> dict:
    """The description of a GLB of one triangle, some of it replaced."""
    made = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0, "name": "t"}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3", "min": [0, 0, 0], "max": [1, 1, 0]},
            {"bufferView": 1, "componentType": 5125, "count": 3, "type": "SCALAR"},
        ],
        "bufferViews": [{"buffer": 0, "byteLength": 36}, {"buffer": 0, "byteOffset": 36, "byteLength": 12}],
        "buffers": [{"byteLength": 48}],
    }
    return made | changes


TRIANGLE = np.float32([[0, 0, 0], [1, 0, 0], [0, 1, 0]]).tobytes() + np.uint32([0, 1, 2]).tobytes()


def hostile_glbs() -> dict[str, bytes]:
    """GLBs that a reader may stumble over, by what is wrong with them."""
    nodes = [{"children": [k + 1], "name": f"n{k}"} for k in range(60_000)] + [{"mesh": 0, "name": "t"}]
    nan = [float("nan")] + [0.0] * 14 + [1.0]
    good = triangle_glb()["accessors"]
    return {
        "60,000 nodes in a row": glb(triangle_glb(nodes=nodes), TRIANGLE),
        "60,000 nodes beside each other": glb(
            triangle_glb(nodes=[{"mesh": 0, "name": "same"}] * 60_000, scenes=[{"nodes": list(range(60_000))}]),
            TRIANGLE,
        ),
        "a matrix of no numbers": glb(triangle_glb(nodes=[{"mesh": 0, "name": "t", "matrix": nan}]), TRIANGLE),
        "nodes in a circle": glb(
            triangle_glb(nodes=[{"mesh": 0, "name": "t", "children": [1]}, {"children": [0], "name": "u"}]), TRIANGLE
        ),
        "faces of no vertices": glb(triangle_glb(), TRIANGLE[:36] + np.uint32([0, 1, 900]).tobytes()),
        "four billion vertices": glb(triangle_glb(accessors=[good[0] | {"count": 1 << 32}, good[1]]), TRIANGLE),
        "vertices of nothing": glb(
            triangle_glb(accessors=[{"componentType": 5126, "count": 3_000_000_000, "type": "VEC3"}, good[1]]), TRIANGLE
        ),
        "a description of 8 MB": glb(b"[" * (8 << 20)),
        "no description": glb(b"{}"),
        "a null in it": glb(json.dumps(triangle_glb(nodes=None)).encode(), TRIANGLE),
    }


def empty_png(width: int, height: int, depth: int = 16, color: int = 6, rows: int | None = None) -> bytes:
    """A black PNG of any size, its rows squeezed a thousandfold; it may be cut off after some of them."""
    row = b"\0" + b"\0" * (width * {0: 1, 2: 3, 6: 4}[color] * depth // 8)
    squeezer = zlib.compressobj(1)
    data = b"".join(squeezer.compress(row) for _ in range(height if rows is None else rows)) + squeezer.flush()

    def chunk(kind: bytes, content: bytes) -> bytes:
        return struct.pack(">I", len(content)) + kind + content + struct.pack(">I", zlib.crc32(kind + content))

    head = struct.pack(">IIBBBBB", width, height, depth, color, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", data) + chunk(b"IEND", b"")


def nested_drawing(levels: int = 12, each: int = 10) -> bytes:
    """An SVG whose uses of uses draw one dot ten to the twelfth times."""
    groups = '<g id="g0"><circle r="1"/></g>' + "".join(
        f'<g id="g{k}">' + f'<use href="#g{k - 1}" x="1"/>' * each + "</g>" for k in range(1, levels)
    )
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><defs>{groups}</defs>'
        f'<use href="#g{levels - 1}"/></svg>'
    ).encode()


def blurred_drawing() -> bytes:
    """An SVG with a blur in a group that is enlarged a millionfold."""
    return (
        b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><filter id="f"><feGaussianBlur '
        b'stdDeviation="900"/></filter><g transform="scale(1000000)"><rect width="9" height="9" filter="url(#f)"/></g>'
        b"</svg>"
    )


def nested_forms(levels: int = 14, each: int = 10) -> bytes:
    """A PDF whose forms draw forms, ten to the fourteenth times."""
    objects = [b"<< /Type /Catalog /Pages 2 0 R >>", b"<< /Type /Pages /Kids [3 0 R] /Count 1 >>"]
    objects.append(
        b"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 200 200] /Contents 4 0 R "
        b"/Resources << /XObject << /F 5 0 R >> >> >>"
    )
    objects.append(b"<< /Length 4 >>\nstream\n/F Do\nendstream".replace(b"/Length 4", b"/Length 5"))
    for level in range(levels):
        drawn = b"/F Do " * each if level < levels - 1 else b"0 0 1 1 re f"
        inner = b"/Resources << /XObject << /F %d 0 R >> >>" % (6 + level) if level < levels - 1 else b""
        head = b"<< /Type /XObject /Subtype /Form /BBox [0 0 200 200] %s /Length %d >>" % (inner, len(drawn))
        objects.append(head + b"\nstream\n" + drawn + b"\nendstream")
    out = io.BytesIO(b"%PDF-1.4\n")
    out.seek(0, 2)
    places = []
    for number, content in enumerate(objects, 1):
        places.append(out.tell())
        out.write(b"%d 0 obj\n%s\nendobj\n" % (number, content))
    start = out.tell()
    out.write(b"xref\n0 %d\n0000000000 65535 f \n" % (len(objects) + 1))
    out.write(b"".join(b"%010d 00000 n \n" % place for place in places))
    out.write(b"trailer << /Size %d /Root 1 0 R >>\nstartxref\n%d\n%%%%EOF" % (len(objects) + 1, start))
    return out.getvalue()


def wide_exr(width: int = 16384, height: int = 16384, channels: int = 8) -> bytes:
    """A black EXR of float channels, its blocks squeezed a thousandfold: of 8 channels it decodes to 8 GB."""

    def attribute(name: bytes, kind: bytes, value: bytes) -> bytes:
        return name + b"\0" + kind + b"\0" + struct.pack("<I", len(value)) + value

    names = sorted(b"ABGRWXYZ"[k : k + 1] for k in range(channels))
    listed = b"".join(name + b"\0" + struct.pack("<IIII", 2, 0, 1, 1) for name in names) + b"\0"
    window = struct.pack("<iiii", 0, 0, width - 1, height - 1)
    head = (
        attribute(b"channels", b"chlist", listed)
        + attribute(b"compression", b"compression", b"\x03")
        + attribute(b"dataWindow", b"box2i", window)
        + attribute(b"displayWindow", b"box2i", window)
        + attribute(b"lineOrder", b"lineOrder", b"\0")
        + attribute(b"pixelAspectRatio", b"float", struct.pack("<f", 1))
        + attribute(b"screenWindowCenter", b"v2f", struct.pack("<ff", 0, 0))
        + attribute(b"screenWindowWidth", b"float", struct.pack("<f", 1))
        + b"\0"
    )
    start = b"\x76\x2f\x31\x01\x02\0\0\0" + head
    # All blocks are the same: zeros after the format's predictor, squeezed.
    block = zlib.compress(b"\0" + b"\x80" * (16 * width * channels * 4 - 1), 9)
    rows, each = height // 16, len(block) + 8
    first = len(start) + 8 * rows
    table = b"".join(struct.pack("<Q", first + each * k) for k in range(rows))
    return start + table + b"".join(struct.pack("<ii", 16 * k, len(block)) + block for k in range(rows))
