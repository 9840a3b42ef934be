"""Texture coordinates: brought in, kept, made by unwrapping, and measured."""

import numpy as np
import pytest
import trimesh

from mat_shelf.app.product.uv_view import coordinate_pixels, middle_texel
from mat_shelf.document.camera import Camera, View
from mat_shelf.document.product import Part, Product
from mat_shelf.document.project import Project
from mat_shelf.document.set import Set
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.models.importer import read_model
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.geometry.mesh import Mesh, MeshError, checked
from mat_shelf.geometry.pose import turn_matrix
from mat_shelf.geometry.solids import box
from mat_shelf.geometry.stretch import seams, stretches, texel_sizes, uv_measures
from mat_shelf.geometry.unwrap import charts_by_direction, unwrap
from mat_shelf.rendering.first_hit import find_first_hits
from mat_shelf.scene.project_geometry import project_geometry


def sheet(width: float, height: float, uv_scale=(1.0, 1.0), turn=(20, 30, 40)) -> Mesh:
    """A flat rectangle, turned somehow, whose coordinates run from 0 to `uv_scale`."""
    corners = np.array([[0, 0, 0], [width, 0, 0], [width, height, 0], [0, height, 0]]) @ turn_matrix(turn).T
    uv = np.array([[0, 0], [1, 0], [1, 1], [0, 1]]) * uv_scale
    return checked(corners, [[0, 1, 2], [0, 2, 3]], uv=uv)


def test_texel_size_and_stretch_of_a_sheet():
    """100 x 50 mm under one picture of 1000 pixels: texels of 0.1 x 0.05 mm, so twice as long as wide."""
    mesh = sheet(100, 50)
    most, least = uv_measures(mesh)
    assert most == pytest.approx(100, rel=1e-5) and least == pytest.approx(50, rel=1e-5)
    assert stretches(mesh) == pytest.approx(2, rel=1e-5)
    assert texel_sizes(mesh, 1000) == pytest.approx(np.sqrt(100 * 50) / 1000, rel=1e-5)
    assert stretches(sheet(100, 50, (2.0, 1.0))) == pytest.approx(1, rel=1e-5)
    folded = sheet(100, 50, (1.0, 0.0))
    assert np.isinf(texel_sizes(folded, 1000)).all()
    with pytest.raises(ValueError, match="no texture coordinates"):
        uv_measures(box((10, 10, 10), 1))


def test_coordinates_survive_a_glb_and_creases(tmp_path):
    """An OBJ cube with a seam at every edge; read back through our GLB, each corner keeps its coordinates."""
    cube = trimesh.creation.box((10, 20, 30))
    split = trimesh.Trimesh(cube.vertices[cube.faces].reshape(-1, 3), np.arange(36).reshape(-1, 3), process=False)
    uv = np.random.default_rng(2).random((36, 2))
    lines = [f"v {x} {y} {z}" for x, y, z in split.vertices] + [f"vt {u} {v}" for u, v in uv]
    lines += [f"f {a + 1}/{a + 1} {b + 1}/{b + 1} {c + 1}/{c + 1}" for a, b, c in split.faces]
    (tmp_path / "cube.obj").write_text("\n".join(lines))
    part = read_model(tmp_path / "cube.obj").parts[0]
    assert part.mesh.uv[part.mesh.triangles].reshape(-1, 2) == pytest.approx(uv, abs=1e-6)
    assets = Assets()
    kept = assets.meshes[assets.add(NamedMesh("cube", part.mesh))]
    assert kept.uv[kept.triangles].reshape(-1, 2) == pytest.approx(uv, abs=1e-6)
    theirs = trimesh.load(tmp_path / "cube.obj", process=False)
    assert part.mesh.bounds == pytest.approx(theirs.bounds) and len(part.mesh.triangles) == 12


def uv_areas(mesh: Mesh) -> np.ndarray:
    (a, b), (c, d) = np.diff(mesh.uv[mesh.triangles].astype(np.float64), axis=1).transpose(1, 2, 0)
    return np.abs(a * d - b * c) / 2


def overlap(mesh: Mesh, pixels: int = 1024) -> float:
    """Share of the covered picture that more than one face covers, at points inside faces away from edges."""
    q = mesh.uv[mesh.triangles].astype(np.float64) * pixels
    rng = np.random.default_rng(1)
    area = uv_areas(mesh) * pixels**2
    face = rng.choice(len(q), 40_000, p=area / area.sum())
    u, v = rng.random((2, len(face)))
    flip = u + v > 1
    u[flip], v[flip] = 1 - u[flip], 1 - v[flip]
    at = q[face, 0] + u[:, None] * (q[face, 1] - q[face, 0]) + v[:, None] * (q[face, 2] - q[face, 0])
    # How often the strewn points meet, beside how often they would if no two faces lay on each other.
    cells = np.unique((at / 4).astype(int), axis=0)
    return 1 - len(cells) * 16 / area.sum()


def check_charts(before: Mesh, after: Mesh, pixels: int, texel_mm: float, rel: float) -> None:
    assert (after.vertices[after.triangles] == before.vertices[before.triangles]).all()  # face for face the same
    assert after.uv.min() >= 0 and after.uv.max() <= 1
    sizes = texel_sizes(after, pixels)
    areas = np.linalg.norm(
        np.cross(*np.diff(before.vertices[before.triangles].astype(float), axis=1).swapaxes(0, 1)), axis=1
    )
    assert np.average(sizes[np.isfinite(sizes)], weights=areas[np.isfinite(sizes)]) == pytest.approx(texel_mm, rel=rel)
    assert uv_areas(after).sum() < 1  # charts that do not lie on each other cover less than the picture
    assert overlap(after, pixels) < 0.25


def test_unwrapping_gives_every_face_the_same_texel_size():
    mesh = box((40, 20, 30), 2)
    after, pixels = unwrap(mesh, 0.25)
    check_charts(mesh, after, pixels, 0.25, rel=0.06)
    assert np.percentile(stretches(after), 95) < 1.6


def test_large_smooth_parts_are_cut_by_direction_first():
    ball = trimesh.creation.icosphere(6, 30.0)
    mesh = checked(ball.vertices, ball.faces, ball.vertices)
    assert len(mesh.triangles) > 80_000 and len(np.unique(charts_by_direction(mesh))) == 6
    after, pixels = unwrap(mesh, 0.2, seconds=120)
    # Flat along six directions, a ball's faces lean up to 55 degrees: texels grow to 1 / sqrt(cos) there.
    check_charts(mesh, after, pixels, 0.2, rel=0.25)
    assert stretches(after).max() < 1.05 / np.cos(np.radians(54.8))


def test_what_cannot_be_unwrapped_in_time_says_so():
    solid = trimesh.creation.icosphere(5)  # 20,480 smooth faces take several seconds
    mesh = checked(30 * solid.vertices, solid.faces, solid.vertices)
    with pytest.raises(MeshError, match="takes longer than"):
        unwrap(mesh, 0.02, seconds=0.1)
    with pytest.raises(InterruptedError):
        unwrap(mesh, 0.02, progress=lambda: False)


def test_the_checker_has_its_true_size_and_stretch_its_colour():
    """A 100 x 50 mm sheet seen straight on: 20 x 10 squares of 5 mm; drawn out to double length, they double."""
    camera = Camera(position=(50, 25, 400), target=(50, 25, 0), focal_length=105)
    for uv_scale, across in (((2.0, 1.0), 20), ((1.0, 1.0), 14)):
        # Stretched, a square's side along and across average, as areas do, to 5 mm: 100 / (5 * sqrt 2) across.
        assets = Assets()
        part = Part(id="sheet", name="Sheet", mesh=assets.add(NamedMesh("sheet", sheet(100, 50, uv_scale, (0, 0, 0)))))
        project = Project(
            name="p",
            product=Product(name="p", parts=(part,)),
            sets=(Set(id="s", name="s", backdrop=None),),
            current_set="s",
            views=(View(id="final", name="Final", camera=camera),),
        )
        geometry = project_geometry(project, assets.meshes)
        first_hits = find_first_hits(project, geometry, camera, 600, 400)
        shown = coordinate_pixels("checker", first_hits, project, assets, camera, 2048, 0.0)
        row, column = shown[190, :, 0].astype(int), shown[:, 260, 0].astype(int)
        inside = first_hits.part[190] == 0
        changes = int((np.abs(np.diff(row[inside])) > 60).sum())
        assert changes in (across - 1, across), uv_scale
        if uv_scale == (2.0, 1.0):
            assert (np.abs(np.diff(column[first_hits.part[:, 260] == 0])) > 60).sum() in (9, 10)
        stretched = coordinate_pixels("stretch", first_hits, project, assets, camera, 2048, 0.0)[200, 300, :3].astype(
            int
        )
        assert (np.ptp(stretched) < 4) == (uv_scale == (2.0, 1.0))  # grey where square, amber where drawn out
        assert middle_texel(project, assets, 1000) == pytest.approx(np.sqrt(5000 / uv_scale[0]) / 1000, rel=1e-4)


def test_seams_lie_where_coordinates_are_cut():
    """A cylinder unrolled in one piece has one seam along its height and its two rims, by common practice."""
    turns = np.linspace(0, 1, 33)
    ring = np.stack([np.cos(2 * np.pi * turns), np.sin(2 * np.pi * turns)], axis=1).round(6)
    vertices = np.concatenate([np.c_[ring[:, 0], np.zeros(33), ring[:, 1]], np.c_[ring[:, 0], np.ones(33), ring[:, 1]]])
    uv = np.concatenate([np.c_[turns, np.zeros(33)], np.c_[turns, np.ones(33)]])
    k = np.arange(32)
    faces = np.concatenate([np.c_[k, k + 1, k + 34], np.c_[k, k + 34, k + 33]])
    mesh = checked(vertices, faces, uv=uv)
    found = seams(mesh)
    ends = mesh.vertices[mesh.triangles[:, [[1, 2], [2, 0], [0, 1]]]][found]
    upright = np.abs(ends[:, 0, 1] - ends[:, 1, 1]) > 0.5
    assert upright.sum() == 2 and (~upright).sum() == 64  # both sides of the one cut; 32 edges of each rim
    assert np.abs(ends[upright][:, :, 0] - 1).max() < 1e-5
