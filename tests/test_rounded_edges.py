"""Rounded edges against bodies whose fillets are modelled, by another library's measures, and on what is hostile."""

import hashlib

import numpy as np
import pytest
import trimesh
from scipy.spatial.transform import Rotation

from mat_shelf.document.camera import Camera
from mat_shelf.document.light import Light
from mat_shelf.document.product import Part, Pose, Zone
from mat_shelf.document.recipe import Recipe
from mat_shelf.geometry.adjacency import adjacency
from mat_shelf.geometry.mesh import Mesh, checked
from mat_shelf.geometry.pose import posed
from mat_shelf.geometry.sharp_edges import sharp_edges
from mat_shelf.geometry.solids import lathe, rounded
from mat_shelf.patterns.step import NO_CONTEXT
from mat_shelf.rendering.baking import bake
from mat_shelf.rendering.camera import make_camera_view
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.render_task import RenderTask
from mat_shelf.rendering.tracer import Tracer
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.lights import make_lights
from mat_shelf.scene.material_table import make_material_table
from mat_shelf.scene.rounded_edges import round_edges, round_normals

RADIUS = 3.0
STEEL = Recipe(base_metalness=1.0, base_color=(0.7, 0.7, 0.7), specular_roughness=0.25)
PAINT = Recipe(base_color=(0.5, 0.5, 0.5), specular_roughness=0.4)


def block(size=(40.0, 40.0, 40.0)) -> Mesh:
    body = trimesh.creation.box(size)
    return checked(body.vertices, body.faces)


def prism(outline, length=60.0) -> Mesh:
    """An outline, counter-clockwise in x and y, drawn out along z; flat between its points."""
    flat = np.array(outline, float)
    after = np.roll(flat, -1, axis=0)
    n = len(flat)
    low, high = -length / 2, length / 2
    corners = [np.insert(flat, 2, low, 1), np.insert(after, 2, low, 1), np.insert(after, 2, high, 1),
               np.insert(flat, 2, high, 1)]  # fmt: skip
    vertices = np.concatenate(corners)
    quads = np.arange(n)[:, None] + n * np.array([[0, 1, 2, 0, 2, 3]])
    return checked(vertices, quads.reshape(-1, 3))


def filleted(outline, radius=RADIUS, steps=48) -> np.ndarray:
    """An outline whose corners are arcs that touch both sides."""
    points, made = np.array(outline, float), []
    for k, corner in enumerate(points):
        one, other = points[k - 1] - corner, points[(k + 1) % len(points)] - corner
        one, other = one / np.linalg.norm(one), other / np.linalg.norm(other)
        half = np.arccos(np.clip(one @ other, -1, 1)) / 2
        middle = corner + (one + other) / np.linalg.norm(one + other) * radius / np.sin(half)
        start, end = corner + one * radius / np.tan(half) - middle, corner + other * radius / np.tan(half) - middle
        turn = np.arctan2(start[0] * end[1] - start[1] * end[0], start @ end)
        angles = np.linspace(0, turn, steps)[:, None]
        made.append(middle + start * np.cos(angles) + np.array([-start[1], start[0]]) * np.sin(angles))
    return np.concatenate(made)


def smooth(mesh: Mesh) -> Mesh:
    return checked(mesh.vertices, mesh.triangles, crease_degrees=20.0)


SQUARE = [(-20, -20), (20, -20), (20, 20), (-20, 20)]
STEP = [(-20, -20), (20, -20), (20, 0), (0, 0), (0, 20), (-20, 20)]


def part_of(radius=RADIUS, **more) -> Part:
    return Part(id="body", name="Body", mesh="0" * 64, edge_radius=radius, **more)


def edges_of(mesh: Mesh, part: Part, faces=None):
    content = hashlib.sha256(mesh.vertices.tobytes() + mesh.triangles.tobytes()).hexdigest()
    return round_edges([part.with_(mesh=content)], {content: mesh}, faces or {}, 1)


def seen(mesh: Mesh, recipe: Recipe, part: Part | None, turn: float, samples=64) -> np.ndarray:
    """A body turned about z, from far along its x axis, beside a softbox; (H, W, 3)."""
    pose = Pose(turn=(0, 0, turn))
    table = make_material_table([recipe], [0])
    if part is not None:
        table = table._replace(edges=edges_of(mesh, part.with_(pose=pose)))
    lamp = Light(position=(500, 300, 100), target=(0, 0, 0), width=160, height=160)
    camera = Camera(position=(1500, 0, 0), target=(0, 0, 0), focal_length=600)
    room = np.linspace(0.2, 1.0, 16, dtype=np.float32)[:, None, None] * np.ones((16, 32, 3), np.float32)
    task = RenderTask(
        Geometry([posed(mesh, pose)]), table, make_lights(room, [lamp]), make_camera_view(camera, 48, 160)
    )
    film, tracer = Film(48, 160), Tracer(2)
    tracer.fill(task, film, samples)
    tracer.close()
    return film.picture()


def width_at_half(profile: np.ndarray) -> float:
    """Width of the highest bump of a profile at half its height over the lowest value, in samples."""
    level = (profile.max() + np.median(profile)) / 2
    k = int(profile.argmax())
    left = k - np.flatnonzero(profile[k::-1] < level)[0]
    right = k + np.flatnonzero(profile[k:] < level)[0]

    def crossing(a, b):
        return a + (level - profile[a]) / (profile[b] - profile[a]) * (b - a)

    return crossing(right - 1, right) - crossing(left + 1, left)


@pytest.mark.parametrize("turn", [45.0, 20.0])
@pytest.mark.parametrize("recipe", [STEEL, PAINT], ids=["steel", "paint"])
def test_an_outer_edge_is_lit_as_a_modelled_fillet(recipe, turn, figure):
    """Straight on, and with one face at a grazing angle: the light of the region, and the highlight's width."""
    shaded = seen(prism(SQUARE), recipe, part_of(), turn).mean(axis=(1, 2))
    modelled = seen(smooth(prism(filleted(SQUARE))), recipe, None, turn).mean(axis=(1, 2))
    plain = seen(prism(SQUARE), recipe, None, turn).mean(axis=(1, 2))
    near = slice(46, 114)
    figure([shaded[near].mean(), modelled[near].mean(), plain[near].mean()])
    assert shaded[near].mean() == pytest.approx(modelled[near].mean(), rel=0.02)
    if recipe is STEEL:
        assert width_at_half(shaded) == pytest.approx(width_at_half(modelled), rel=0.1)
        # The outline stays sharp, which is in one row of the picture above and below most of what differs.
        left, before = np.abs(shaded - modelled), np.abs(plain - modelled)
        outline = np.flatnonzero(before > 1e-5)[[0, -1]]
        left[outline], before[outline] = 0, 0
        assert left[near].mean() < 0.4 * before[near].mean()


def test_an_inner_edge_is_lit_as_a_modelled_fillet(figure):
    rounded_way = part_of(rounded_edges="both")
    shaded = seen(prism(STEP), STEEL, rounded_way, -45.0)
    modelled = seen(smooth(prism(filleted(STEP))), STEEL, None, -45.0)
    figure([shaded.mean(), modelled.mean()])
    assert shaded.mean() == pytest.approx(modelled.mean(), rel=0.02)
    outer = seen(prism(STEP), STEEL, part_of(), -45.0)
    inner = np.abs(shaded - outer).max(axis=(1, 2)) > 0.01
    assert inner.any() and not inner.all()  # outer edges alone leave the inner one as it is


def normals_at(edges, points, facing) -> np.ndarray:
    shape = np.shape(points)
    position, side, normal = (np.array(np.broadcast_to(a, shape), np.float32) for a in (points, facing, facing))
    round_normals(edges.tables, 0, position, side, normal)
    return normal


def between(one, other) -> np.ndarray:
    """Angles, degrees."""
    return np.degrees(np.arccos(np.clip((one * other).sum(axis=1), -1, 1)))


def test_all_faces_agree_about_the_edges_and_corners_of_a_box():
    """Points a hair beside each edge, on both faces, corners included; far away nothing is changed, bit for bit."""
    edges = edges_of(block(), part_of())
    along = np.linspace(-19.9999, 19.9999, 400)
    for axis, (a, b) in enumerate(((1, 2), (2, 0), (0, 1))):
        one, other = np.zeros((400, 3)), np.zeros((400, 3))
        one[:, axis] = other[:, axis] = along
        one[:, a], one[:, b], other[:, a], other[:, b] = 20, 20 - 1e-4, 20 - 1e-4, 20
        up, aside = np.eye(3)[a], np.eye(3)[b]
        apart = between(normals_at(edges, one, up), normals_at(edges, other, aside))
        assert apart.max() < 0.5
        middle = normals_at(edges, one[150:250], up)
        assert between(middle, (up + aside)[None] / np.sqrt(2)).max() < 0.5  # the bisector of both faces
    corner = normals_at(edges, np.array([[20, 19.999, 19.999]]), np.eye(3)[0])
    assert between(corner, np.ones((1, 3)) / np.sqrt(3))[0] < 1
    flat = np.random.default_rng(3).uniform(-16.9, 16.9, (500, 3))
    flat[:, 1] = 20
    assert (normals_at(edges, flat, np.eye(3)[1]) == np.float32([0, 1, 0])).all()


def test_the_rim_of_a_can_is_that_of_a_turned_one(figure):
    """A can of another library's making; normals seen from along the bisector of its rim are the torus' own."""
    can = trimesh.creation.cylinder(20, 40, sections=128)
    can = checked(can.vertices, can.faces)
    edges = edges_of(can, part_of())
    turned = lathe(rounded([(0, -20), (20, -20), (20, 20), (0, 20)], [0, RADIUS, RADIUS, 0], 64), 256)
    solid = trimesh.Trimesh(turned.vertices, turned.triangles, process=False)
    chance = np.random.default_rng(5)
    around, inwards = chance.uniform(0, 2 * np.pi, 200), chance.uniform(0.05, 2.9, 200)
    out = np.stack([np.cos(around), np.sin(around)], axis=1)
    points = np.column_stack([out * (20 - inwards)[:, None], np.full(200, 20.0)])
    made = normals_at(edges, points, (0, 0, 1))
    # The lathe turns about y.
    swap = [0, 2, 1]
    view = -(np.column_stack([out, np.ones(200)]) / np.sqrt(2))[:, swap] * (1, 1, 1)
    hit, ray, face = solid.ray.intersects_location(points[:, swap] - view * 30, view, multiple_hits=False)
    assert len(hit) == 200
    bary = trimesh.triangles.points_to_barycentric(solid.triangles[face], hit)
    theirs = (turned.normals[turned.triangles[face]] * bary[:, :, None]).sum(axis=1)[:, swap]
    off = between(made[ray], theirs / np.linalg.norm(theirs, axis=1, keepdims=True))
    figure([off.max(), off.mean()])
    assert off.max() < 4 and off.mean() < 1  # a facet of the can is 2.8 degrees wide


def test_edges_follow_their_part_and_zones_have_their_own():
    pose = Pose(shift=(7, -3, 11), turn=(30, 40, 50), scale=2.5)
    mesh, turn = block(), Rotation.from_euler("xyz", (30, 40, 50), degrees=True)
    chance = np.random.default_rng(9)
    local = chance.uniform(-20, 20, (300, 3))
    local[:, 2] = 20
    plain = normals_at(edges_of(mesh, part_of(RADIUS)), local, (0, 0, 1))
    moved = edges_of(mesh, part_of(RADIUS * 2.5, pose=pose))
    there = turn.apply(local) * 2.5 + (7, -3, 11)
    assert normals_at(moved, there, turn.apply([0, 0, 1])) == pytest.approx(turn.apply(plain), abs=2e-3)

    top = np.flatnonzero(trimesh.Trimesh(mesh.vertices, mesh.triangles, process=False).face_normals[:, 2] > 0.9)
    zone = Zone(id="top", name="Top", faces="1" * 64, edge_radius=6.0)
    own = edges_of(mesh, part_of(0.0, zones=(zone,)), {"1" * 64: top})
    assert between(normals_at(own, [[15, 0, 20.0]], (0, 0, 1)), [[0, 0, 1]])[0] > 3
    assert (normals_at(own, [[20, 19.9, 0.0]], (1, 0, 0)) == np.float32([1, 0, 0])).all()  # an edge far from the zone
    none = edges_of(
        mesh, part_of(RADIUS, zones=(zone.with_(edge_radius=0.0, faces="2" * 64),)), {"2" * 64: np.arange(12)}
    )
    assert not len(none.tables.segments)


def test_facets_of_what_is_round_are_no_edges():
    ball = trimesh.creation.icosphere(3)
    smooth_ball = checked(ball.vertices, ball.faces, ball.vertex_normals)
    assert not len(sharp_edges(smooth_ball, adjacency(smooth_ball)))
    can = trimesh.creation.cylinder(20, 40, sections=64)
    can = checked(can.vertices, can.faces)
    found = sharp_edges(can, adjacency(can))
    assert len(found) == 128 and found.is_convex.all()  # its two rims
    hole = sharp_edges(prism(STEP), adjacency(prism(STEP)))
    assert (~hole.is_convex).sum() >= 1 and hole.is_convex.sum() >= 5


@pytest.mark.parametrize("radius", [0.3, 3.0, 100.0])
@pytest.mark.parametrize("size", [(40, 0.5, 40), (0.01, 0.01, 0.01), (900, 900, 900)])
def test_a_radius_larger_than_the_part_rounds_as_far_as_there_is_room(size, radius):
    """On a plate the middle of each face keeps its normal, and both its faces agree at the edges."""
    edges = edges_of(block(size), part_of(radius))
    half = np.array(size) / 2
    for axis in range(3):
        up = np.eye(3)[axis]
        middle = up * half
        assert between(normals_at(edges, middle[None], up), up[None])[0] < 0.1
        for other in np.flatnonzero(np.arange(3) != axis):
            at = middle + np.eye(3)[other] * half * (1 - 1e-6)
            beside = np.eye(3)[other] * half + up * half * (1 - 1e-6)
            both = normals_at(edges, [at], up), normals_at(edges, [beside], np.eye(3)[other])
            assert between(*both)[0] < 1


def test_broken_meshes_are_no_obstacle():
    """Faces without area, doubled ones, three in one edge, open ones, random ones: numbers, of unit length."""
    chance = np.random.default_rng(11)
    for _ in range(30):
        count = chance.integers(3, 40)
        vertices = chance.normal(size=(count, 3)) * 10
        triangles = chance.integers(0, count, (60, 3))
        triangles[0] = 0, 1, 2
        mesh = checked(vertices, triangles)
        edges = edges_of(mesh, part_of(float(chance.uniform(0.01, 20)), rounded_edges="both"))
        face = chance.integers(0, 60, 200)
        share = chance.dirichlet((1, 1, 1), 200)
        points = (mesh.vertices[mesh.triangles[face]] * share[:, :, None]).sum(axis=1)
        facing = chance.normal(size=(200, 3))
        facing /= np.linalg.norm(facing, axis=1, keepdims=True)
        made = normals_at(edges, points, facing)
        assert np.isfinite(made).all() and np.linalg.norm(made, axis=1) == pytest.approx(1, abs=1e-4)


def test_baked_normals_are_those_that_the_renderer_shades_with():
    """On a box with charts of its own: tangent space gives back the world's normals, face by face."""
    body = trimesh.creation.box((40, 40, 40))
    faces = trimesh.Trimesh(body.vertices, body.faces, process=False)
    vertices, triangles, uv = [], [], []
    for k, normal in enumerate(np.vstack([np.eye(3), -np.eye(3)])):
        one = np.roll(np.abs(normal), 1)
        other = np.cross(normal, one)
        corners = [normal * 20 + 20 * (i * one + j * other) for i, j in ((-1, -1), (1, -1), (1, 1), (-1, 1))]
        at, low = len(vertices), np.array([k % 3, k // 3]) / 3 + 0.02
        vertices += corners
        uv += [low + 0.29 * np.array(c) for c in ((0, 0), (1, 0), (1, 1), (0, 1))]
        triangles += [[at, at + 1, at + 2], [at, at + 2, at + 3]]
    mesh = checked(np.array(vertices), triangles, uv=np.array(uv))
    assert trimesh.Trimesh(mesh.vertices, mesh.triangles).volume == pytest.approx(faces.volume)
    baked = bake(Recipe(), part_of(), mesh, 128, NO_CONTEXT)
    assert "height" not in baked.maps
    edges, size, seen_any = edges_of(mesh, part_of()), 128, 0
    for k, normal in enumerate(np.vstack([np.eye(3), -np.eye(3)])):
        one = np.roll(np.abs(normal), 1)
        other = np.cross(normal, one)
        low = np.array([k % 3, k // 3]) / 3 + 0.02
        shares = np.random.default_rng(k).uniform(0.02, 0.98, (60, 2))
        texel = np.floor((low + 0.29 * shares) * size).astype(int)
        shares = ((texel + 0.5) / size - low) / 0.29
        place = normal * 20 + 20 * ((2 * shares[:, :1] - 1) * one + (2 * shares[:, 1:] - 1) * other)
        tangent = baked.maps["normal"][size - 1 - texel[:, 1], texel[:, 0]]
        world = tangent[:, :1] * one + tangent[:, 1:2] * other + tangent[:, 2:] * normal
        assert between(world, normals_at(edges, place, normal)).max() < 0.5
        seen_any += (between(world, normal[None]) > 5).sum()
    assert seen_any > 20


@pytest.mark.parametrize(
    "fields",
    [{"base_metalness": 1.0, "specular_roughness": 0.3}, {"specular_weight": 0.0}, {"transmission_weight": 1.0}],
    ids=["metal", "matt", "glass"],
)
def test_rounded_edges_lose_next_to_no_light(fields, figure):
    """White furnace: a box whose edges of 6 mm take most of its 40 loses a hundredth, at its silhouette."""
    recipe = Recipe(base_color=(1, 1, 1)).with_(**fields)
    pose = Pose(turn=(20, 30, 0))
    edges = edges_of(block(), part_of(6.0, rounded_edges="both", pose=pose))
    table = make_material_table([recipe], [0])._replace(edges=edges)
    camera = make_camera_view(Camera(position=(0, 0, 400), target=(0, 0, 0), focal_length=200), 32, 32)
    room = np.ones((16, 32, 3), np.float32)
    task = RenderTask(Geometry([posed(block(), pose)]), table, make_lights(room), camera)
    film, tracer = Film(32, 32), Tracer(2)
    tracer.fill(task, film, 100)
    tracer.close()
    seen_light = film.picture()
    figure([seen_light.mean(), seen_light.min()])
    assert seen_light.mean() == pytest.approx(1, abs=0.015) and seen_light.max() < 1.1
