"""Smoothed meshes against B-splines of another library, published limit points, and what is hostile."""

import numpy as np
import pytest
import trimesh
from driving import LEFT, grabbed, picture_of, seen, shortcut
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from scipy.interpolate import BSpline

from mat_shelf.document.product import Part, Pose, Zone
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.model_update import update_model
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.exchange.project_file import read_project, save_project
from mat_shelf.geometry.adjacency import adjacency
from mat_shelf.geometry.mesh import Mesh, checked
from mat_shelf.geometry.smoothing import MOST_SMOOTH_TRIANGLES, levels_that_fit, smooth
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.scene.smoothed_parts import smooth_surface_of


def box(side=2.0) -> Mesh:
    body = trimesh.creation.box((side, side, side))
    return checked(body.vertices, body.faces)


def smoothed(mesh: Mesh, level=2, hard=180.0, borders=None):
    return smooth(
        mesh, adjacency(mesh), level, hard, np.zeros(len(mesh.triangles), int) if borders is None else borders
    )


def grid(heights: np.ndarray) -> Mesh:
    """A sheet of quads, each cut in two, over whole x and y."""
    rows, columns = heights.shape
    y, x = np.mgrid[:rows, :columns]
    at = np.arange(rows * columns).reshape(rows, columns)
    corners = [at[:-1, :-1], at[:-1, 1:], at[1:, 1:], at[1:, :-1]]
    a, b, c, d = (corner.reshape(-1) for corner in corners)
    triangles = np.stack([np.stack([a, b, c], 1), np.stack([a, c, d], 1)], axis=1).reshape(-1, 3)
    vertices = np.stack([x, y, heights], axis=-1).reshape(-1, 3)
    return checked(vertices, triangles, crease_degrees=180.0, uv=np.stack([x, y], axis=-1).reshape(-1, 2) / 10)


def of_cubic(values: np.ndarray, at: np.ndarray) -> np.ndarray:
    """Uniform cubic B-spline with some control values, at places counted from the first of them."""
    knots = np.arange(-2, len(values) + 2, dtype=float)
    return BSpline(knots, values, 3)(at)


def test_corners_of_a_cube_go_where_the_literature_says():
    """Halstead, Kass and DeRose 1993: (n2 v + 4 sum of neighbours + sum of diagonals) / (n (n + 5)), n = 3."""
    corner = (9 * np.ones(3) + 4 * np.ones(3) - np.ones(3)) / 24
    for level in (1, 2, 4):
        vertices = smoothed(box(), level).mesh.vertices
        assert np.abs(vertices - corner).sum(axis=1).min() < 1e-6
        assert np.abs(vertices).max() == pytest.approx(0.839506, abs=1e-4)  # the middles of its sides, at any level
    coarse, fine = smoothed(box(), 1).mesh.vertices, smoothed(box(), 4).mesh.vertices
    nearest = trimesh.Trimesh(fine, process=False).kdtree.query(coarse)[0]
    assert nearest.max() < 1e-6  # points of one level lie among those of the next: all are on the limit surface


def test_a_regular_sheet_is_a_bicubic_spline():
    heights = 0.03 * np.random.default_rng(4).normal(size=(9, 11))
    made = smoothed(grid(heights), 3)
    vertices = made.mesh.vertices.astype(float)
    inside = ((vertices[:, :2] > 2) & (vertices[:, :2] < (8, 6))).all(axis=1)
    assert inside.sum() > 1000
    across = np.array([of_cubic(row, vertices[inside, 0]) for row in heights])
    expected = np.array([of_cubic(column, y) for column, y in zip(across.T, vertices[inside, 1], strict=True)])
    assert vertices[inside, 2] == pytest.approx(expected, abs=2e-5)
    steep = np.linalg.norm(made.mesh.normals, axis=1)
    assert steep == pytest.approx(1, abs=1e-5)


def test_hard_edges_stay_and_smooth_ones_run_as_splines():
    """A prism of 12 sides: its rims stay, each a closed cubic spline; its ends stay flat; nothing gapes."""
    can = trimesh.creation.cylinder(10, 30, sections=12)
    made = smoothed(checked(can.vertices, can.faces), 3, hard=60.0)
    solid = trimesh.Trimesh(made.mesh.vertices, made.mesh.triangles)
    assert solid.is_watertight and solid.volume > 0
    top = made.mesh.vertices[made.mesh.vertices[:, 2] > 15 - 1e-5]
    radii = np.linalg.norm(top[:, :2], axis=1)
    corners = 10 * np.exp(2j * np.pi * np.arange(-3, 16) / 12)
    x = np.linspace(3, 15, 400)
    spline = np.abs(of_cubic(corners.real, x) + 1j * of_cubic(corners.imag, x))
    assert radii.max() == pytest.approx(spline.max(), abs=1e-3)
    assert (made.mesh.vertices[:, 2].min(), made.mesh.vertices[:, 2].max()) == pytest.approx((-15, 15), abs=1e-5)
    for face in np.flatnonzero(made.mesh.vertices[made.mesh.triangles][:, :, 2].min(axis=1) > 15 - 1e-5)[:50]:
        assert made.mesh.normals[made.mesh.triangles[face]] == pytest.approx(np.tile([0, 0, 1], (3, 1)), abs=1e-4)
    assert trimesh.Trimesh(*(lambda m: (m.vertices, m.triangles))(smoothed(box(), 3, hard=60.0).mesh)).volume == (
        pytest.approx(8, abs=1e-5)
    )


def test_each_piece_knows_where_it_was():
    """Pieces tile their triangles, and coordinates are those of the coarse mesh at that place."""
    coarse = grid(0.03 * np.random.default_rng(8).normal(size=(6, 7)))
    for level in (1, 3):
        made = smoothed(coarse, level)
        place = made.place.reshape(-1, 3, 2).astype(float)
        one, two = place[:, 1] - place[:, 0], place[:, 2] - place[:, 0]
        area = (one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0]) / 2
        assert area.min() > 0 and np.bincount(made.face, area) == pytest.approx(0.5, abs=1e-6)
        shares = np.concatenate([1 - place.sum(axis=2, keepdims=True), place], axis=2)
        was = np.einsum("tij,tjk->tik", shares, coarse.vertices[coarse.triangles[made.face]].astype(float))
        assert made.mesh.uv[made.mesh.triangles] * 10 == pytest.approx(was[..., :2], abs=1e-4)
    ball = trimesh.creation.icosphere(2)
    loose = checked(ball.vertices, ball.faces, ball.vertex_normals)
    made = smoothed(loose, 2)
    place = made.place.reshape(-1, 3, 2).astype(float)
    one, two = place[:, 1] - place[:, 0], place[:, 2] - place[:, 0]
    area = (one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0]) / 2
    assert np.bincount(made.face, area) == pytest.approx(0.5, abs=1e-5)
    assert trimesh.Trimesh(made.mesh.vertices, made.mesh.triangles).is_watertight


def test_broken_and_huge_meshes_are_no_obstacle():
    chance = np.random.default_rng(12)
    for _ in range(40):
        count = chance.integers(3, 30)
        triangles = chance.integers(0, count, (50, 3))
        triangles[0] = 0, 1, 2
        mesh = checked(chance.normal(size=(count, 3)), triangles)
        made = smoothed(mesh, int(chance.integers(1, 4)), float(chance.uniform(0, 180)))
        assert np.isfinite(made.mesh.vertices).all() and np.isfinite(made.mesh.normals).all()
        assert made.face.max() < 50 and np.abs(made.mesh.vertices).max() < 10
    assert levels_that_fit(12, 8) == 5 and levels_that_fit(1_000_000, 5) == 0
    assert 0 < levels_that_fit(50_000, 5) < 5
    assert 6 * 50_000 * 4 ** (levels_that_fit(50_000, 5) - 1) <= MOST_SMOOTH_TRIANGLES


@pytest.fixture
def caged(small_project):
    """A cube of 40 mm in red, whose top is a zone in the room's plainest white, in a project."""
    project, _ = small_project
    assets = Assets()
    cube = trimesh.creation.box((40, 40, 40))
    mesh = checked(cube.vertices, cube.faces)
    top = assets.add_faces(np.flatnonzero(cube.face_normals[:, 1] > 0.9))
    zone = Zone(id="top", name="Top", faces=top)
    part = Part(id="block", name="Block", mesh=assets.add(NamedMesh("block", mesh)), material="red", zones=(zone,),
                pose=Pose(shift=(0, 20, 0)))  # fmt: skip
    return project.with_(product=project.product.with_(parts=(part,))), assets


def test_zones_and_the_file_survive_smoothing(caged, tmp_path):
    project, assets = caged
    round_project = project.with_part(project.part("block").with_(smoothing=3, hard_angle=180.0, edge_radius=1.5))
    save_project(tmp_path / "a.matshelf", round_project, assets)
    again, found = read_project(tmp_path / "a.matshelf")
    assert again == round_project
    sharp, smooth_light = (render_picture(p, found, 90, 60, 4, denoise=False).light for p in (project, again))

    def redness(light):
        return light[..., 0] / np.maximum(light[..., 1], 1e-6)

    assert np.abs(sharp - smooth_light).max() > 0.01
    red = [(redness(light) > 3).sum() for light in (sharp, smooth_light)]
    assert 0.3 * red[0] < red[1] < red[0]  # smaller, and the white top is still white


@pytest.mark.long
def test_a_part_is_smoothed_and_rounded_on_the_board(open_window, caged, qtbot):
    window = open_window(*caged)
    workshop, card = window.workshop, window.product_board.surface_card
    window.stations.buttons()[0].click()
    workshop.select("block")
    plain = picture_of(qtbot, window)
    wide = (window.viewport.frame.first_hits.part == 0).sum()

    def typed(row, text):
        row.number.setFocus()
        row.number.selectAll()
        QTest.keyClicks(row.number, text)
        QTest.keyClick(row.number, Qt.Key.Key_Return)
        return picture_of(qtbot, window)

    rounded = typed(card.radius, "4")
    part = workshop.project.part("block")
    assert part.edge_radius == 4 and workshop.history.undo_label == "Edge radius"
    changed = np.abs(rounded.astype(int) - plain).max(axis=2) > 12
    mask = window.viewport.frame.first_hits.part == 0
    assert 0.03 < changed[mask].mean() < 0.6 and changed[~mask].mean() < 0.02 and mask.sum() == wide
    typed(card.smoothing, "3")
    assert workshop.project.part("block").smoothing == 3 and card.hard.isEnabled()
    typed(card.hard, "180")
    round_wide = (window.viewport.frame.first_hits.part == 0).sum()
    assert round_wide < 0.9 * wide  # the silhouette itself is another one
    hits = window.viewport.frame.first_hits
    faces = {hits.face(row, column) for row, column in np.argwhere(hits.part == 0)[::17]}
    assert len(faces) > 3 and max(faces) < 12  # still told by the faces of the cube, for zones and picking
    for _ in range(3):
        shortcut(qtbot, window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert workshop.project == caged[0]
    assert np.array_equal(picture_of(qtbot, window), plain)

    # A zone's edges have their own radius, until they follow the part again.
    workshop.select("block", "top")
    typed(card.radius, "6")
    part = workshop.project.part("block")
    assert part.edge_radius == 0 and part.zone("top").edge_radius == 6 and card.as_part.isVisible()
    QTest.mouseClick(card.as_part, LEFT)
    assert workshop.project.part("block").zone("top").edge_radius is None and not card.as_part.isVisible()
    typed(card.radius, "900")
    assert workshop.project.part("block").zone("top").edge_radius is None
    assert "100" in window.notice.text.text() and grabbed(window).any() and seen(window, "block").any()


@pytest.mark.long
def test_chosen_edges_stay_hard_through_edits_of_the_model(open_window, caged, qtbot):
    """The rim of the cube's bottom is kept; it stays in its plane when the rest becomes round, and after a split."""
    window = open_window(*caged)
    workshop, work, card = window.workshop, window.work, window.product_board.surface_card
    window.stations.buttons()[0].click()
    part = workshop.project.part("block").with_(smoothing=3, hard_angle=180.0, zones=())
    workshop.edit("Smooth", workshop.project.with_part(part))
    workshop.select("block")

    def lowest(part) -> np.ndarray:
        """Vertices in the plane of the cube's bottom."""
        vertices = smooth_surface_of(part, workshop.assets.meshes, workshop.assets.faces).mesh.vertices
        return vertices[np.abs(vertices[:, 1] + 20) < 1e-4]

    assert not len(lowest(part)) and not card.keep_button.isEnabled()
    mesh = workshop.assets.meshes[part.mesh]
    below = trimesh.Trimesh(mesh.vertices, mesh.triangles, process=False).face_normals[:, 1] < -0.9
    work.choose(("block", below))
    before = picture_of(qtbot, window)
    QTest.mouseClick(card.keep_button, LEFT)
    kept = workshop.project.part("block")
    rim = lowest(kept)
    assert len(rim) > 20 and workshop.history.undo_label == "Hard edges"
    assert np.abs(picture_of(qtbot, window).astype(int) - before).max() > 30
    assert np.linalg.norm(rim[:, [0, 2]], axis=1).max() < 20 * np.sqrt(2)  # a smooth curve in that plane
    shifted = np.roll(np.arange(len(mesh.triangles)), 5)
    again = workshop.assets.add(NamedMesh("turned", Mesh(mesh.vertices, mesh.triangles[shifted], mesh.normals)))
    product = workshop.project.product.with_(parts=(Part(id="new", name="Block", mesh=again),))
    updated, _ = update_model(workshop.project, workshop.assets, product, ())
    assert np.sort(lowest(updated.product.parts[0]), axis=0) == pytest.approx(np.sort(rim, axis=0), abs=1e-3)
    QTest.mouseClick(card.soften_button, LEFT)
    assert not len(lowest(workshop.project.part("block")))
    workshop.undo()
    assert workshop.project.part("block") == kept
