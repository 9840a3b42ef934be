"""A printing process made up, as an ICC profile of version 2 with tables of 16 bits (ICC.1:2001-04)."""

import struct

import numpy as np

from mat_shelf.optics.color import decode_srgb, encode_srgb

_D50 = np.array([0.9642, 1.0, 0.8249])
_TO_D50 = np.array(
    [[0.4360747, 0.3850649, 0.1430804], [0.2225045, 0.7168786, 0.0606169], [0.0139322, 0.0971045, 0.7141733]]
)
"""Linear Rec.709 to CIE XYZ of D50 (Bradford), as it is often published."""


def squeezed(coded: np.ndarray, least: float) -> np.ndarray:
    """sRGB as the process prints it: no channel below a least one."""
    return np.maximum(coded, least)


def cmyk_profile(least: float, nodes: int = 17) -> bytes:
    """Profile of a process whose inks leave so much of each channel, sRGB-coded, where they are thickest."""
    side = np.linspace(0, 1, 9)
    ink = np.stack(np.meshgrid(side, side, side, side, indexing="ij"), axis=-1).reshape(-1, 4)
    shown = (1 - (1 - least) * ink[:, :3]) * (1 - ink[:, 3:])
    forth = _table(4, 3, 9, _pcs(shown))
    axes = [np.linspace(0, 65535, nodes) for _ in range(3)]
    code = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3)
    lab = np.stack([code[:, 0] * 100 / 65280, code[:, 1] / 256 - 128, code[:, 2] / 256 - 128], axis=1)
    wanted = encode_srgb(np.clip(_linear(lab), 0, 1))
    back = _table(3, 4, nodes, np.concatenate([(1 - squeezed(wanted, least)) / (1 - least), wanted[:, :1] * 0], axis=1))
    tags = {b"desc": b"desc\0\0\0\0" + struct.pack(">I", 6) + b"Press\0" + bytes(78), b"cprt": b"text\0\0\0\0none\0"}
    tags |= {b"wtpt": b"XYZ \0\0\0\0" + b"".join(struct.pack(">i", round(v * 65536)) for v in _D50)}
    tags |= dict.fromkeys((b"A2B0", b"A2B1", b"A2B2"), forth) | dict.fromkeys((b"B2A0", b"B2A1", b"B2A2"), back)
    at, body, table, places = 128 + 4 + 12 * len(tags), b"", struct.pack(">I", len(tags)), {}
    for name, data in tags.items():
        if data not in places:
            places[data] = at + len(body)
            body += data + bytes(-len(data) % 4)
        table += name + struct.pack(">II", places[data], len(data))
    head = struct.pack(">I4sI4s4s4s", at + len(body), b"lcms", 0x02400000, b"prtr", b"CMYK", b"Lab ")
    head += struct.pack(">6H", 2026, 1, 1, 0, 0, 0) + b"acsp" + bytes(28)
    head += b"".join(struct.pack(">i", round(v * 65536)) for v in _D50)
    return head.ljust(128, b"\0") + table + body


def _table(inputs: int, outputs: int, nodes: int, values: np.ndarray) -> bytes:
    """A lut16Type of values in [0, 1], its curves straight."""
    head = b"mft2\0\0\0\0" + struct.pack(">BBBB", inputs, outputs, nodes, 0)
    head += b"".join(struct.pack(">i", 65536 * (k % 4 == 0)) for k in range(9)) + struct.pack(">HH", 2, 2)
    straight = struct.pack(">HH", 0, 65535)
    levels = np.round(np.clip(values, 0, 1) * 65535).astype(">u2")
    return head + straight * inputs + levels.tobytes() + straight * outputs


def _pcs(coded: np.ndarray) -> np.ndarray:
    """Lab of sRGB, coded as a lut16Type has it, in [0, 1]."""
    t = decode_srgb(np.asarray(coded, np.float64)) @ _TO_D50.T / _D50
    f = np.where(t > (6 / 29) ** 3, np.cbrt(t), t * (29 / 6) ** 2 / 3 + 4 / 29)
    lab = np.stack([116 * f[:, 1] - 16, 500 * (f[:, 0] - f[:, 1]), 200 * (f[:, 1] - f[:, 2])], axis=1)
    return np.stack([lab[:, 0] * 652.8, (lab[:, 1] + 128) * 256, (lab[:, 2] + 128) * 256], axis=1) / 65535


def _linear(lab: np.ndarray) -> np.ndarray:
    y = (lab[:, 0] + 16) / 116
    f = np.stack([y + lab[:, 1] / 500, y, y - lab[:, 2] / 200], axis=1)
    t = np.where(f > 6 / 29, f**3, 3 * (6 / 29) ** 2 * (f - 4 / 29))
    return (t * _D50) @ np.linalg.inv(_TO_D50).T
