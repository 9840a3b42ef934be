"""Liquids that were modelled, as a closed surface: its top is where it is level, and all else is what it wets."""

import numpy as np
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import connected_components

from mat_shelf.fills.liquid import LiquidBody
from mat_shelf.fills.section import follow_loop
from mat_shelf.fills.vessel import Vessel, VesselError
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.triangles import area_vectors

_LEVEL, _CLIMBS, _SMOOTH = np.cos(np.radians(8.0)), np.cos(np.radians(84.0)), np.cos(np.radians(40.0))
"""Cosines of the slope of a level face, of the steepest one of a surface, and of the angle at an edge within it."""
_HIGHEST = 0.1
"""Of the body's height, below its highest level face, within which others are of its top too."""


def modelled_liquid(vessel: Vessel) -> tuple[LiquidBody, Mesh]:
    """A liquid that was modelled, and the wall that it wets.

    Parameters
    ----------
    vessel : Vessel
        Its closed surface, with y up.

    Returns
    -------
    LiquidBody, Mesh
        The wall looks into the liquid.

    Raises
    ------
    VesselError
        If it is nowhere level.
    """
    corners = vessel.vertices[vessel.triangles]
    facing = area_vectors(corners)
    area = np.linalg.norm(facing, axis=1)
    rise = facing[:, 1] / np.maximum(area, 1e-30)
    is_top = _top(vessel, facing / np.maximum(area, 1e-30)[:, None])
    if not is_top.any():
        raise VesselError("it has no level top; stand it upright, or fill a vessel instead")
    height = corners[..., 1].mean(axis=1)
    flat = area * rise * is_top
    level = float(flat @ height / flat.sum())
    volume = float(np.einsum("tj,tj->t", corners.mean(axis=1), facing).sum() / 3)
    lines = _contact_lines(vessel, is_top)
    edge = np.concatenate([line[:, 1] for line, _ in lines] or [np.array([level])])
    lowest = float(corners[is_top][..., 1].min())
    wetted = vessel.triangles[~is_top][:, ::-1]
    body = LiquidBody(
        _mesh_of(vessel.vertices, vessel.triangles),
        level,
        volume,
        (float(edge.min()) - lowest, float(edge.max()) - lowest),
        lines,
    )
    return body, _mesh_of(vessel.vertices, wetted)


def _top(vessel: Vessel, unit: np.ndarray) -> np.ndarray:
    """Faces of the surface, (T,) bool: level ones near the highest, and what they rise to smoothly."""
    triangles, height = vessel.triangles, vessel.vertices[:, 1]
    is_level = unit[:, 1] > _LEVEL
    if not is_level.any():
        return is_level
    middle = height[triangles].mean(axis=1)
    is_level &= middle > middle[is_level].max() - _HIGHEST * np.ptp(height)
    sides = np.sort(np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]), axis=1)
    face = np.tile(np.arange(len(triangles)), 3)
    key = sides[:, 0].astype(np.int64) * len(height) + sides[:, 1]
    order = np.argsort(key, kind="stable")
    is_pair = key[order][1:] == key[order][:-1]
    one, other = face[order][:-1][is_pair], face[order][1:][is_pair]
    may_be = unit[:, 1] > _CLIMBS
    is_joined = may_be[one] & may_be[other] & (np.einsum("nk,nk->n", unit[one], unit[other]) > _SMOOTH)
    one, other = one[is_joined], other[is_joined]
    links = csr_matrix((np.ones(len(one), bool), (one, other)), shape=(len(triangles),) * 2)
    label = connected_components(links, directed=False)[1]
    return np.isin(label, np.unique(label[is_level]))


def _contact_lines(vessel: Vessel, is_top: np.ndarray) -> list[tuple[np.ndarray, np.ndarray]]:
    """Lines round the top, and level directions from there into it."""
    top, count = vessel.triangles[is_top].astype(np.int64), len(vessel.vertices)
    runs = np.concatenate([top[:, [0, 1]], top[:, [1, 2]], top[:, [2, 0]]])
    forth, back = runs[:, 0] * count + runs[:, 1], runs[:, 1] * count + runs[:, 0]
    start, end = runs[~np.isin(forth, back)].T
    following = np.full(count, -1, np.int64)
    following[start] = end
    seen, room, lines = np.zeros(count, bool), np.zeros(count + 1, np.int64), []
    for begin in start:
        if not seen[begin] and (n := follow_loop(begin, following, seen, room)) > 2:
            line = vessel.vertices[room[:n]]
            ahead = np.roll(line, -1, axis=0) - np.roll(line, 1, axis=0)
            inwards = np.cross((0.0, 1.0, 0.0), ahead)  # to the left, as seen from above
            lines.append((line, inwards / np.maximum(np.linalg.norm(inwards, axis=1, keepdims=True), 1e-12)))
    return lines


def _mesh_of(vertices: np.ndarray, triangles: np.ndarray) -> Mesh:
    """A mesh of flat faces."""
    corners = np.ascontiguousarray(vertices[triangles].reshape(-1, 3), np.float32)
    facing = area_vectors(corners.reshape(-1, 3, 3))
    facing /= np.maximum(np.linalg.norm(facing, axis=1, keepdims=True), 1e-30)
    return Mesh(corners, np.arange(len(corners), dtype=np.int32).reshape(-1, 3), np.repeat(facing, 3, axis=0))
