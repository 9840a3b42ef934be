"""Choosing faces, keeping them as zones, and what they wear: in lists, files, masks and pixels."""

import numpy as np
import pytest
import trimesh
from hypothesis import example, given, settings
from hypothesis import strategies as st
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from mat_shelf.document.camera import Camera, View
from mat_shelf.document.material import Material
from mat_shelf.document.product import Part, Pose, Product, Zone
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.set import Set
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.model_update import update_model
from mat_shelf.exchange.models.importer import ImportedModel, ImportedPart
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.exchange.product_import import product_of
from mat_shelf.exchange.project_file import read_project, save_project
from mat_shelf.geometry.adjacency import adjacency, connected_pieces, face_areas, face_normals
from mat_shelf.geometry.faces import FacesError, faces_bytes, read_faces
from mat_shelf.geometry.mesh import Mesh, checked
from mat_shelf.geometry.part_matching import Shape, match_parts
from mat_shelf.geometry.pose import euler_degrees, posed, turn_matrix, turned_about
from mat_shelf.geometry.repair import Repairs
from mat_shelf.geometry.selecting import (
    connected_faces,
    coplanar_region,
    edge_loop,
    grown,
    inside_loop,
    inside_polygon,
    shrunk,
    smooth_region,
)
from mat_shelf.geometry.solids import box, merged, moved
from mat_shelf.geometry.unassigned_faces import unassigned_regions
from mat_shelf.rendering.aovs import render_aovs
from mat_shelf.rendering.final_render import render_picture


@pytest.fixture(scope="module")
def bevelled():
    """A cube of 40 mm whose edges are bevelled flat, each side cut into many triangles."""
    solid = trimesh.creation.box((40, 40, 40))
    corners = []
    for signs in np.array(np.meshgrid([-1, 1], [-1, 1], [-1, 1])).reshape(3, -1).T:
        corners += [signs * (20, 17, 17), signs * (17, 20, 17), signs * (17, 17, 20)]
    solid = trimesh.convex.convex_hull(np.array(corners))
    for _ in range(3):
        solid = solid.subdivide()
    return checked(solid.vertices, solid.faces)


def test_growing_by_angle_finds_the_six_sides_of_a_bevelled_cube(bevelled):
    graph, normals, areas = adjacency(bevelled), face_normals(bevelled), face_areas(bevelled)
    assert graph.is_watertight
    sides = []
    for axis in np.concatenate([np.eye(3), -np.eye(3)]):
        face = int(np.argmax(normals @ axis))
        side = smooth_region(graph, face, 30)
        assert (normals[side] @ axis > 0.999).all() and areas[side].sum() == pytest.approx(34 * 34, rel=1e-4)
        assert (side == coplanar_region(bevelled, graph, face, 10)).all()
        sides.append(side)
    assert (np.sum(sides, axis=0) <= 1).all()
    assert smooth_region(graph, 0, 60).all()  # bevels of 45 degrees no longer stop it


def test_growing_agrees_with_scipys_connected_components(bevelled):
    graph = adjacency(merged([bevelled, moved(bevelled, (60, 0, 0))]))
    kept = graph.pairs[graph.bend <= 20]
    matrix = coo_matrix((np.ones(len(kept)), (kept[:, 0], kept[:, 1])), shape=(graph.count, graph.count))
    labels = connected_components(matrix, directed=False)[1]
    for face in range(0, graph.count, 997):
        assert (smooth_region(graph, face, 20) == (labels == labels[face])).all()
    assert connected_faces(graph, 0).sum() == graph.count // 2 and len(np.unique(connected_pieces(graph))) == 2


def test_growing_and_shrinking_undo_each_other_inside(bevelled):
    graph = adjacency(bevelled)
    side = smooth_region(graph, int(np.argmax(face_normals(bevelled)[:, 1])), 30)
    small = shrunk(graph, side)
    assert 0 < small.sum() < side.sum() and not (small & ~side).any()
    assert not (grown(graph, small) & ~side).any()
    assert (grown(graph, side) & side == side).all() and grown(graph, side).sum() > side.sum()


@pytest.mark.parametrize("other", [(-3.5, 3.5), (3.5, 3.5), (0.0, 5.0)])
def test_a_loop_through_two_clicks_parts_a_rod(other):
    rod = trimesh.creation.cylinder(5, 40, sections=48).subdivide().subdivide().subdivide()
    mesh = checked(rod.vertices, rod.faces)
    graph, areas = adjacency(mesh), face_areas(mesh)
    centres = mesh.vertices[mesh.triangles].mean(axis=1)
    clicks = [int(np.argmin(np.linalg.norm(centres - (*xy, 4), axis=1))) for xy in ((3.5, -3.5), other)]
    cut = edge_loop(mesh, graph, *clicks)
    top, foot = int(np.argmax(centres[:, 2])), int(np.argmin(centres[:, 2]))
    upper = inside_loop(graph, cut, top)
    assert upper[top] and not upper[foot]
    # The part above the clicks: 16 of 40 mm of the side, and the lid.
    expected = 2 * np.pi * 5 * 16 + np.pi * 25
    assert areas[upper].sum() == pytest.approx(expected, rel=0.06)


def test_points_in_a_polygon():
    """The even-odd rule, against Pillow's own polygon filling."""
    from PIL import Image, ImageDraw

    rng = np.random.default_rng(3)
    polygon = rng.uniform(5, 95, (9, 2))
    image = Image.new("L", (800, 800))
    ImageDraw.Draw(image).polygon([tuple(p * 8) for p in polygon], fill=1)
    points = rng.uniform(0, 100, (4000, 2))
    theirs = np.asarray(image)[(points[:, 1] * 8).astype(int), (points[:, 0] * 8).astype(int)].astype(bool)
    ours = inside_polygon(points, polygon)
    assert (ours == theirs).mean() > 0.93 or (ours & ~theirs).sum() == 0  # Pillow fills overlaps of the line as well
    square = np.array([[0, 0], [10, 0], [10, 10], [0, 10]], float)
    assert inside_polygon(np.array([[5, 5], [11, 5], [-1, 5], [5, 9.99]]), square).tolist() == [
        True,
        False,
        False,
        True,
    ]


@given(st.sets(st.integers(0, 5000), max_size=300))
@settings(max_examples=80, deadline=None)
def test_lists_of_faces_come_back(faces):
    assert read_faces(faces_bytes(sorted(faces)), 5001).tolist() == sorted(faces)


@pytest.mark.parametrize("data", [b"\1", b"\0" * 8, b"\xff" * 16])
def test_damaged_lists_are_refused(data):
    with pytest.raises(FacesError):
        read_faces(data, 5001)


@given(st.tuples(*[st.floats(-180, 180)] * 3), st.floats(-180, 180))
@example((0.0, 1.25, 0.0), 89.0)  # close to straight up, where two of the angles are hard to part
@example((0.0, 0.0, 30.0), 90.0)
@settings(max_examples=200, deadline=None)
def test_turning_a_pose_turns_its_points(turn, degrees):
    pose, point = Pose(shift=(3, 4, 5), turn=turn, scale=2.0), np.array([10.0, 0, -7])
    corners = np.float32([[0, 0, 0], [1, 0, 0], [0, 1, 0]])
    flat = Mesh(corners, np.int32([[0, 1, 2]]), np.float32([[0, 0, 1]] * 3))
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    about_y = np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]])
    after = turned_about(pose, about_y, point)
    expected = (posed(flat, pose).vertices - point) @ about_y.T + point
    assert posed(flat, after).vertices == pytest.approx(expected, abs=1e-3)
    assert turn_matrix(euler_degrees(turn_matrix(turn))) == pytest.approx(turn_matrix(turn), abs=1e-5)


@pytest.fixture
def zoned(bevelled):
    """The cube, red, with a glowing zone on the side towards the camera."""
    assets = Assets()
    key = assets.add(NamedMesh("Cube", bevelled))
    normals = face_normals(assets.meshes[key])
    front = smooth_region(adjacency(assets.meshes[key]), int(np.argmax(normals[:, 2])), 30)
    glow = Recipe(base_weight=0.0, specular_weight=0.0, emission_luminance=500.0)
    zone = Zone(id="front", name="Front", faces=assets.add_faces(np.flatnonzero(front)), material="glow")
    project = Project(
        name="Cube",
        product=Product(
            name="Cube",
            parts=(Part(id="cube", name="Cube", mesh=key, material="red", zones=(zone,), pose=Pose(shift=(0, 20, 0))),),
        ),
        materials=(
            Material(id="glow", name="Glow", recipe=glow),
            Material(id="red", name="Red", recipe=Recipe(base_color=(0.5, 0, 0))),
        ),
        sets=(Set(id="s", name="s", backdrop=None, surround=0, ground=0),),
        current_set="s",
        views=(View(id="final", name="Final", camera=Camera(position=(0, 20, 300), target=(0, 20, 0))),),
    )
    return project, assets, front


def test_a_zone_wears_its_own_material_to_its_exact_border(zoned):
    project, assets, _ = zoned
    picture = render_picture(project, assets, 120, 80, 32, denoise=False)
    masks = render_aovs(project, picture, ("materials", "parts"))
    glow = masks["material.Glow"]
    # 34 mm square at 280 mm from the lens, on a frame of 36 mm over 120 pixels at 105 mm.
    side = 34 / 280 * 105 / 36 * 120
    assert glow.sum() == pytest.approx(side**2, rel=0.01)
    assert masks["part.Cube"] == pytest.approx(glow + masks.get("material.Red", 0), abs=1e-5)
    assert picture.light[40, 60] == pytest.approx((0.5, 0.5, 0.5), rel=1e-4)
    assert (abs(picture.light[..., 0] - glow[..., 0] * 0.5) < 0.02).all()


def test_zones_are_kept_in_the_file_and_checked(zoned, tmp_path):
    project, assets, front = zoned
    save_project(tmp_path / "cube.matshelf", project, assets)
    again, kept = read_project(tmp_path / "cube.matshelf")
    assert (
        again == project
        and kept.faces[project.product.parts[0].zones[0].faces].tolist() == np.flatnonzero(front).tolist()
    )


def test_bare_faces_are_found_down_to_slivers(zoned):
    project, assets, front = zoned
    part = project.part("cube")
    graph = adjacency(assets.meshes[part.mesh])
    areas = face_areas(assets.meshes[part.mesh])

    def found(changed: Part):
        return unassigned_regions(project.with_part(changed), assets.meshes, assets.faces, lambda mesh: graph)

    assert found(part) == []
    bare = found(part.with_zone(part.zones[0].with_(material=None)))
    assert len(bare) == 1 and len(bare[0].faces) == front.sum() and bare[0].area == pytest.approx(34 * 34, rel=1e-4)
    assert bare[0].normal == pytest.approx((0, 0, 1), abs=1e-5) and not bare[0].is_sliver
    assert bare[0].bounds == pytest.approx(np.array([[-17, 3, 20], [17, 37, 20]]), abs=1e-3)
    # All but one face dressed: the sliver is found, with its area.
    sliver = int(np.flatnonzero(~front)[np.argmin(areas[~front])])
    rest = assets.add_faces(np.setdiff1d(np.flatnonzero(~front), [sliver]))
    nearly = part.with_(material=None, zones=(*part.zones, Zone(id="rest", name="Rest", faces=rest, material="red")))
    (gap,) = found(nearly)
    assert gap.faces.tolist() == [sliver] and gap.area == pytest.approx(areas[sliver], rel=1e-4) and gap.is_sliver
    assert len(found(part.with_(material=None, zones=()))) == 1

    # The same face left in the part's old material, amid zones of another one, is found; what was put there on
    # purpose is not, nor a border of two materials.
    left = part.with_(zones=tuple(zone.with_(material="glow") for zone in nearly.zones))
    (gap,) = found(left)
    assert gap.faces.tolist() == [sliver] and gap.left_in == "red" and gap.is_sliver
    small = Zone(id="small", name="Small", faces=assets.add_faces(np.array([sliver])), material="red")
    assert found(left.with_zone(small)) == []
    touching = graph.pairs[(graph.pairs == sliver).any(axis=1)]
    beside = assets.add_faces(np.array([touching[0][touching[0] != sliver][0]]))
    other = project.material("glow").with_(id="other", name="Other")
    project = project.with_material(other)
    assert found(left.with_zone(Zone(id="beside", name="Beside", faces=beside, material="other"))) == []


def test_hidden_parts_are_not_rendered(zoned):
    project, assets, _ = zoned
    hidden = project.with_part(project.part("cube").with_(is_hidden=True))
    assert render_picture(hidden, assets, 60, 40, 2, denoise=False).light.max() == 0
    other = assets.add(NamedMesh("Other", box((10, 10, 10), 1)))
    both = hidden.with_parts((*hidden.product.parts, Part(id="other", name="Other", mesh=other, material="glow")))
    masks = render_aovs(both, render_picture(both, assets, 60, 40, 4, denoise=False), ("parts",))
    assert set(masks) == {"part.Other", "part.No part"}


def test_the_next_version_of_a_product_keeps_materials_places_and_zones(zoned):
    """The cube comes again from another mesher, finer and under another name, with a pin that is new."""
    project, assets, front = zoned
    gone = Part(id="lid", name="Lid", mesh=assets.add(NamedMesh("Lid", box((5, 60, 5), 1))), material="glow")
    project = project.with_parts((*project.product.parts, gone))
    cube = assets.meshes[project.part("cube").mesh]
    solid = trimesh.Trimesh(cube.vertices, cube.triangles)
    solid.merge_vertices()
    finer = trimesh.convex.convex_hull(solid).subdivide().subdivide()
    model = ImportedModel("next", "mm", True)
    for name, mesh in (("Body", checked(finer.vertices, finer.faces)), ("Pin", box((3, 90, 3), 0.5))):
        model.parts.append(ImportedPart(name, mesh, None, [], Repairs()))
    fresh = Assets()
    product, materials = product_of(model, fresh)
    assets.take(fresh)
    after, told = update_model(project, assets, product, materials)
    assert (told.by_name, told.by_shape, told.new, told.gone) == ([], [("Cube", "Body")], ["Pin"], ["Lid"])
    cube = after.part("cube")
    assert (cube.name, cube.material, cube.pose) == ("Cube", "red", project.part("cube").pose)
    mesh = assets.meshes[cube.mesh]
    faces = assets.faces[cube.zones[0].faces]
    assert (face_normals(mesh)[faces][:, 2] > 0.99).all()
    assert face_areas(mesh)[faces].sum() == pytest.approx(
        34 * 34, rel=1e-3
    )  # the border is as exact as the faces allow
    assert after.product.parts[1].pose == cube.pose and "new: Pin; removed: Lid" in told.words()


def test_parts_are_matched_by_name_then_by_shape():
    def shape(x, size, area):
        return Shape(np.array([x, 0.0, 0.0]), np.full(3, float(size)), float(area))

    old = [shape(0, 10, 600), shape(50, 10, 600), shape(90, 4, 90)]
    new = [shape(50.5, 10.2, 610), shape(0, 3, 50), shape(90, 4, 90)]
    by_name, by_shape = match_parts(["A", "B", "C"], old, ["left", "a ", "right"], new)
    assert by_name == {1: 0} and by_shape == {0: 1, 2: 2}
    assert match_parts([], [], ["x"], new[:1]) == ({}, {})
