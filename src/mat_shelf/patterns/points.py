"""The points at which patterns are looked up, and the frames of the parts they lie on."""

from collections import namedtuple
from collections.abc import Sequence
from zlib import crc32

import numpy as np

from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.stretch import uv_scale

Frames = namedtuple("Frames", "turn shift centre radius low high salt per_uv")
"""How parts stand; the last row is the whole product's.

turn : (G, 3, 3) float32, from the part to the world; shift : (G, 3) float32, mm
centre : (G, 3) float32, mm, middle of the part's box in its own frame
radius : (G, 4) float32, mm, largest distance from the axes x, y, z through the centre, and from the centre
low, high : (G, 3) float32, mm, the part's box in its own frame
salt : (G,) int32, a random number of each part's own
per_uv : (G, 2) float32, mm that a unit of u and of v covers, on average
"""

FLAT = Frames(
    np.eye(3, dtype=np.float32)[None],
    np.zeros((1, 3), np.float32),
    np.zeros((1, 3), np.float32),
    np.ones((1, 4), np.float32),
    np.zeros((1, 3), np.float32),
    np.ones((1, 3), np.float32),
    np.zeros(1, np.int32),
    np.ones((1, 2), np.float32),
)


def part_salt(part_id: str) -> int:
    """A random number of a part's own, the same wherever it is rendered or baked.

    Parameters
    ----------
    part_id : str
        Id of the part.

    Returns
    -------
    int
    """
    return crc32(part_id.encode()) & 0x7FFFFFFF


class Points:
    """Points on surfaces, as a struct of arrays.

    Parameters
    ----------
    position : (N, 3) float32
        Positions, mm.
    normal : (N, 3) float32
        Unit normals.
    part : Part
        The part.
    frames : Frames
        Frames of the parts.
    uv : (V, 2) float32
        Texture coordinates.
    uv_slope : (N, 6) float32
        Gradients of the coordinates, 1/mm.
    cosine : (N,) float32
        Cosines.
    is_flat : bool
        Whether it conforms to no surface.
    footprint : (N,) float32
        Width of a pixel at each point, mm.
    hits : Hits
        Hits of the wave.

    Attributes
    ----------
    position : (N, 3) float32, mm, of the world
    normal : (N, 3) float32, shading normal, of the world
    part : (N,) int32, row of `frames`
    frames : Frames
    uv : (N, 2) float32, of the mesh's own coordinates
    uv_slope : (N, 2, 3) float32
        How u and v change along the world's axes, per mm.
    cosine : (N,) float32
        Between the normal and the direction one looks from; 1 is straight on.
    is_flat : bool
        A sheet of paper rather than a part: every placement lies on it alike.
    hits : tuple or None
        What has geometry maps (see `evaluation.bind_maps`), and the triangle, u and v of each point, (N,) each; None
        away from a scene.
    footprint : float
        Width of what one point stands for, mm: pictures are averaged over that much. 0 for points proper.
    """

    def __init__(
        self,
        position,
        normal,
        part,
        frames,
        uv=None,
        uv_slope=None,
        cosine=None,
        is_flat=False,
        footprint=0.0,
        hits=None,
    ):
        self.position = position
        self.normal = normal
        self.part = part
        self.frames = frames
        self.uv = np.zeros((len(position), 2), np.float32) if uv is None else uv
        self.uv_slope = uv_slope
        self.cosine = np.ones(len(position), np.float32) if cosine is None else cosine
        self.is_flat = is_flat
        self.footprint = footprint
        self.hits = hits

    def __len__(self) -> int:
        return len(self.position)

    def take(self, index: np.ndarray) -> "Points":
        """Some of the points, by index or mask.

        Parameters
        ----------
        index : (m,) int or (N,) bool
            Points to take.

        Returns
        -------
        Points
        """
        slope = None if self.uv_slope is None else self.uv_slope[index]
        return Points(
            self.position[index],
            self.normal[index],
            self.part[index],
            self.frames,
            self.uv[index],
            slope,
            self.cosine[index],
            self.is_flat,
            self.footprint,
            self.hits and (self.hits[0], *(column[index] for column in self.hits[1:])),
        )


def flat_points(width: float, columns: int, rows: int) -> Points:
    """A sheet seen straight on, `width` mm wide, row by row from its upper left corner, middles of pixels.

    Parameters
    ----------
    width : float
        Width, mm.
    columns : int
        Columns of pixels.
    rows : int
        Rows of pixels.

    Returns
    -------
    Points
    """
    pitch = width / columns
    x = (np.arange(columns, dtype=np.float32) + 0.5) * pitch
    y = (rows - 0.5 - np.arange(rows, dtype=np.float32)) * pitch
    position = np.zeros((rows, columns, 3), np.float32)
    position[..., 0] = x
    position[..., 1] = y[:, None]
    position = position.reshape(-1, 3)
    normal = np.zeros_like(position)
    normal[:, 2] = 1
    part = np.zeros(len(position), np.int32)
    uv = np.ascontiguousarray(position[:, :2])
    return Points(position, normal, part, FLAT, uv, is_flat=True, footprint=pitch)


def part_frames(meshes: Sequence[Mesh], poses: Sequence[tuple[np.ndarray, np.ndarray, float]], salts) -> Frames:
    """Frames of some parts and, as the last, of all of them together.

    Parameters
    ----------
    meshes : sequence of Mesh
        In their own coordinates.
    poses : sequence of (turn (3, 3), shift (3,), scale)
        As `geometry.pose` has them. A part's frame keeps the world's millimetres, whatever the scale.
    salts : sequence of int
        One a part.

    Returns
    -------
    Frames
    """
    boxes = [mesh.bounds * scale for mesh, (_, _, scale) in zip(meshes, poses, strict=True)]
    radii = [mesh.radii * scale for mesh, (_, _, scale) in zip(meshes, poses, strict=True)]
    scales = [
        uv_scale(mesh) * scale if mesh.uv is not None else np.ones(2)
        for mesh, (_, _, scale) in zip(meshes, poses, strict=True)
    ]
    turns = [np.asarray(turn) for turn, _, _ in poses]
    shifts = [np.asarray(shift) for _, shift, _ in poses]
    corners = [
        box[[[i, j, k] for i in (0, 1) for j in (0, 1) for k in (0, 1)], [0, 1, 2]] @ turn.T + shift
        for box, turn, shift in zip(boxes, turns, shifts, strict=True)
    ]
    together = np.concatenate(corners) if corners else np.zeros((1, 3))
    low, high = together.min(0), together.max(0)
    half = (high - low) / 2
    whole = np.array([np.hypot(half[1], half[2]), np.hypot(half[0], half[2]), np.hypot(half[0], half[1]), max(half)])
    boxes.append(np.stack([low, high]))
    return Frames(
        np.stack([*turns, np.eye(3)]).astype(np.float32),
        np.stack([*shifts, np.zeros(3)]).astype(np.float32),
        np.stack([box.mean(0) for box in boxes]).astype(np.float32),
        np.maximum(np.stack([*radii, whole]), 1e-3).astype(np.float32),
        np.stack([box[0] for box in boxes]).astype(np.float32),
        np.stack([box[1] for box in boxes]).astype(np.float32),
        np.array([*salts, 0], np.int32),
        np.stack([*scales, np.ones(2)]).astype(np.float32),
    )
