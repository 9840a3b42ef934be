"""Pictures of how texture coordinates lie on the product: a checker at true size, stretch, and the size of a texel."""

import numpy as np

from mat_shelf.document.camera import Camera
from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.pose import posed
from mat_shelf.geometry.stretch import seams, stretches, texel_sizes, uv_measures
from mat_shelf.geometry.triangles import area_vectors, triangle_normals
from mat_shelf.rendering.camera import make_camera_view
from mat_shelf.rendering.first_hit import FirstHits, pixel_rays

CHECKER, STRETCH, TEXEL = "checker", "stretch", "texel"
VIEWS = {
    "": "Off",
    CHECKER: "Checker, 5 mm",
    STRETCH: "Stretch",
    TEXEL: "Texel size",
}
CELL_MM = 5.0
NONE = np.array([120, 120, 120], np.float32)
"""Colour of parts without coordinates."""
SEAM = np.array([15, 107, 98], np.float32)
_GREY = np.array([226, 226, 226], np.float32)
_AMBER = np.array([233, 160, 60], np.float32)
_RED = np.array([196, 52, 40], np.float32)
_BLUE = np.array([52, 110, 190], np.float32)

LEGENDS = {
    CHECKER: ("squares of 5 mm where nothing is stretched", None),
    STRETCH: ("length of a texel over its width", ((_GREY, "1"), (_AMBER, "2"), (_RED, "4 ×"))),
    TEXEL: (
        "side of a texel where each part has an image of 2048 pixels",
        ((_BLUE, "¼"), (_GREY, "{middle}"), (_RED, "4 ×")),
    ),
}


def ramp(view: str, values: np.ndarray, middle: float) -> np.ndarray:
    """Colours of stretch or texel sizes, (N,) to (N, 3) float32; without coordinates they are infinite."""
    with np.errstate(divide="ignore", invalid="ignore"):
        steps = np.log2(values) if view == STRETCH else np.log2(values / middle)
    steps = np.nan_to_num(steps, nan=9, posinf=9, neginf=-9)[:, None]
    if view == STRETCH:
        low = np.clip(steps, 0, 1)
        high = np.clip(steps - 1, 0, 1)
        return (_GREY + (_AMBER - _GREY) * low) * (1 - high) + _RED * high
    up, down = np.clip(steps / 2, 0, 1), np.clip(-steps / 2, 0, 1)
    return _GREY + (_RED - _GREY) * up + (_BLUE - _GREY) * down


def middle_texel(project: Project, assets: Assets, pixels: int) -> float:
    """Side of the texel that half of the product's area has smaller ones than, mm; 0 where nothing has coordinates."""
    sizes, areas = [], []
    for part in project.product.parts:
        mesh = assets.meshes[part.mesh]
        if mesh.uv is not None and not part.is_hidden:
            corners = mesh.vertices[mesh.triangles].astype(np.float64)
            areas.append(np.linalg.norm(area_vectors(corners), axis=1))
            sizes.append(texel_sizes(mesh, pixels) * part.pose.scale)
    if not sizes:
        return 0.0
    sizes, areas = np.concatenate(sizes), np.concatenate(areas)
    order = np.argsort(sizes)
    share = np.cumsum(areas[order])
    found = float(sizes[order][min(np.searchsorted(share, share[-1] / 2), len(order) - 1)])
    return found if np.isfinite(found) else 0.0


def coordinate_pixels(
    view: str, first_hits: FirstHits, project: Project, assets: Assets, camera: Camera, pixels: int, middle: float
) -> np.ndarray:
    """The picture, (H, W, 4) uint8, premultiplied, blue first; clear where no part is seen.

    Parameters
    ----------
    pixels : int
        Side of the texture picture that texel sizes are told for.
    middle : float
        The texel size, mm, that is shown grey.
    """
    height, width = first_hits.part.shape
    looking = make_camera_view(camera, width, height)
    _, directions, cosines = pixel_rays(looking, width, height)
    view_height = 2 * float(looking.half_height)
    depth = np.where(np.isfinite(first_hits.depth), first_hits.depth, 0).reshape(-1)
    places = np.array(camera.position, np.float32) + directions * (depth / cosines)[:, None]
    part_of, own_faces = first_hits.part.reshape(-1), first_hits.faces.reshape(-1)
    out = np.zeros((height * width, 4), np.uint8)
    for place, part in enumerate(project.product.parts):
        seen = np.flatnonzero(part_of == place)
        if not len(seen):
            continue
        mesh = assets.meshes[part.mesh]
        faces = own_faces[seen]
        if faces.max() >= len(mesh.triangles):
            continue  # the picture still shows an older mesh
        corners = posed(mesh, part.pose).vertices[mesh.triangles[faces]]
        light = 0.45 + 0.55 * np.abs(np.einsum("ij,ij->i", triangle_normals(corners), directions[seen]))
        if mesh.uv is None:
            color = np.broadcast_to(NONE, (len(seen), 3))
        elif view == CHECKER:
            color = _checker(mesh, faces, corners, places[seen], part.pose.scale)
        else:
            values = stretches(mesh) if view == STRETCH else texel_sizes(mesh, pixels) * part.pose.scale
            color = ramp(view, values[faces], middle or 1.0)
        shown = color * light[:, None]
        if mesh.uv is not None:
            reach = depth[seen] * view_height / height
            shown = np.where(_on_seam(mesh, faces, corners, places[seen], reach)[:, None], SEAM, shown)
        out[seen, :3] = shown[:, ::-1]
        out[seen, 3] = 255
    return out.reshape(height, width, 4)


def _inside(corners, places) -> tuple[np.ndarray, np.ndarray]:
    """Barycentric places in triangles: shares of the second and third corner, (N,) each."""
    one, other = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    to = places - corners[:, 0]
    a, b, c = (np.einsum("ij,ij->i", x, y) for x, y in ((one, one), (one, other), (other, other)))
    d, e = np.einsum("ij,ij->i", to, one), np.einsum("ij,ij->i", to, other)
    whole = np.maximum(a * c - b * b, 1e-20)
    return (c * d - b * e) / whole, (a * e - b * d) / whole


_seams: dict[int, tuple[Mesh, np.ndarray]] = {}


def _on_seam(mesh: Mesh, faces, corners, places, reach) -> np.ndarray:
    """Which places lie nearer to a seam of the coordinates than `reach`, (N,) mm."""
    if id(mesh) not in _seams:
        if len(_seams) > 256:
            _seams.clear()
        _seams[id(mesh)] = mesh, seams(mesh)  # the mesh is kept so that its id stays its own
    is_seam = _seams[id(mesh)][1][faces]
    v, w = _inside(corners, places)
    shares = np.stack([1 - v - w, v, w], axis=1)
    edges = np.linalg.norm(corners[:, [2, 0, 1]] - corners[:, [1, 2, 0]], axis=2)
    heights = 2 * np.linalg.norm(area_vectors(corners), axis=1)[:, None] / np.maximum(edges, 1e-20)
    return (is_seam & (shares * heights < reach[:, None])).any(axis=1)


def _checker(mesh, faces, corners, places, scale: float) -> np.ndarray:
    """Light and dark squares in the coordinates, as large as `CELL_MM` where the texture is not stretched."""
    v, w = _inside(corners, places)
    uv = mesh.uv[mesh.triangles[faces]]
    at = uv[:, 0] + v[:, None] * (uv[:, 1] - uv[:, 0]) + w[:, None] * (uv[:, 2] - uv[:, 0])
    most, least = uv_measures(mesh)
    usual = np.isfinite(most)
    side = float(np.median(np.sqrt(most[usual] * least[usual]))) * scale if usual.any() else 1.0
    cells = np.floor(at * (side / CELL_MM)).astype(np.int64).sum(axis=1) % 2
    return np.where(cells[:, None] == 0, np.float32(232), np.float32(92)) * np.ones(3, np.float32)
