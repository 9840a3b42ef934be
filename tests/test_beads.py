"""Drops and bubbles: shapes against spherical caps, sizes and distances against their distributions."""

import manifold3d
import numpy as np
import pytest
import trimesh
from scipy.spatial import cKDTree
from scipy.stats import kstest, lognorm
from test_rendering import EVEN, take

from mat_shelf.document.camera import Camera
from mat_shelf.document.recipe import Recipe
from mat_shelf.fills.bubbling import Amounts, bubbles, wetted_wall
from mat_shelf.fills.cavity import find_cavities
from mat_shelf.fills.edge import Wetting
from mat_shelf.fills.foaming import MOST_BUBBLES, Head, foam
from mat_shelf.fills.liquid import pour, wall_depths, wall_thickness
from mat_shelf.fills.strewing import MOST_DROPS, drops, expected_count, strew
from mat_shelf.fills.vessel import make_vessel
from mat_shelf.geometry.caps import Caps, cap_point
from mat_shelf.geometry.embree import Scene
from mat_shelf.geometry.mesh import Mesh, crease_normals
from mat_shelf.geometry.solids import box, lathe
from mat_shelf.numerics.kernels import kernel
from mat_shelf.numerics.vectors import store3
from mat_shelf.scene.lights import make_lights


@kernel
def points_of(axes, middles, primitive, u, v, position, normal):
    for i in range(primitive.shape[0]):
        place, facing = cap_point(axes, middles, primitive[i], u[i], v[i])
        store3(position, i, place)
        store3(normal, i, facing)


def plate(half=50.0, thick=1.0) -> Mesh:
    solid = trimesh.creation.box((2 * half, thick, 2 * half))
    solid.apply_translation((0, -thick / 2, 0))
    return crease_normals(np.array(solid.vertices), np.array(solid.faces, np.int32))


def upper(mesh: Mesh) -> np.ndarray:
    return mesh.normals[mesh.triangles][:, 0, 1] > 0.9


def looked_down_on(caps: Caps, half: float, count=700):
    """Heights over y = 0 and normals seen from above on a square lattice round the origin."""
    x, z = np.meshgrid(np.linspace(-half, half, count), np.linspace(-half, half, count))
    origin = np.stack([x, np.full_like(x, 30.0), z], axis=-1).reshape(-1, 3).astype(np.float32)
    way = np.tile(np.float32([0, -1, 0]), (len(origin), 1))
    geometry, primitive, u, v, distance = Scene([caps]).intersect(origin, way)
    hit = np.flatnonzero(geometry >= 0)
    position, normal = np.zeros((len(hit), 3), np.float32), np.zeros((len(hit), 3), np.float32)
    points_of(caps.corner_rows, caps.normal_rows, primitive[hit], u[hit], v[hit], position, normal)
    assert np.abs(position - (origin[hit] + way[hit] * distance[hit, None])).max() < 2e-5
    return position, normal, (2 * half / (count - 1)) ** 2


def one_drop(width: float, angle: float, sag: float = 0.0) -> Caps:
    mesh = plate()
    strewn = strew(mesh, upper(mesh), 1.0, width, 0.0, 1.0, 0.0, 10.0, 1)
    alone = strewn._replace(
        foot=np.zeros((1, 3)), normal=np.array([[0.0, 1, 0]]), width=np.array([width]), face=strewn.face[:1]
    )
    caps = drops(mesh, alone, angle, sag, 1)
    round_ = np.linalg.norm(caps.axes, axis=2, keepdims=True)
    return Caps(caps.centre, np.float32(caps.axes / round_ * round_[:, 2:]), caps.cut)  # its foot is not quite round


@pytest.mark.parametrize("angle", [30.0, 65.0, 90.0])
def test_a_drop_has_the_volume_and_the_contact_angle_of_a_cap(angle, figure):
    """V = pi h (3 a^2 + h^2) / 6 of a spherical cap, and its slope at the foot, both as rays see them."""
    position, normal, area = looked_down_on(one_drop(2.0, angle), 1.05)
    above = position[:, 1] > 0
    foot, height = 1.0, np.tan(np.radians(angle) / 2)  # h = a tan(angle / 2)
    exact = np.pi * height * (3 * foot**2 + height**2) / 6
    assert position[above, 1].sum() * area == pytest.approx(exact, rel=0.005)
    assert position[:, 1].max() == pytest.approx(height, rel=1e-3)
    figure(position[above, 1].sum() * area, exact)
    rim = above & (position[:, 1] < 0.02 * height)
    slope = np.degrees(np.arccos(normal[rim, 1]))
    assert np.median(slope) == pytest.approx(angle, abs=1.5)


@pytest.mark.long
def test_a_drop_is_met_as_a_fine_mesh_of_it_is():
    """Stretched, sheared and cut caps against triangles of the same bodies, in the same Embree."""
    chance = np.random.default_rng(3)
    axes = np.linalg.qr(chance.normal(size=(40, 3, 3)))[0] * chance.uniform(0.3, 2, (40, 1, 3))
    axes[:, 2] += 0.4 * axes[:, 1]
    centre, cut = chance.uniform(-8, 8, (40, 3)), chance.uniform(-0.7, 0.8, 40)
    cut[:8] = -2.0  # whole ones
    caps = Caps(np.float32(centre), np.float32(axes), np.float32(cut))
    meshes = []
    for k in range(40):
        ball = manifold3d.Manifold.sphere(1, 256)
        part = (ball.trim_by_plane((0, 0, 1), cut[k]) if cut[k] > -1 else ball).to_mesh()
        meshes.append((np.float32(part.vert_properties[:, :3] @ axes[k] + centre[k]), np.int32(part.tri_verts)))
    origin = np.float32(chance.uniform(-20, 20, (20_000, 3)))
    way = np.float32(chance.normal(size=(20_000, 3)) - origin / 10)
    way /= np.linalg.norm(way, axis=1, keepdims=True)
    own, others = Scene([caps]).intersect(origin, way), Scene(meshes).intersect(origin, way)
    both = (own[0] >= 0) & (others[0] >= 0)
    assert both.mean() > 0.1 and ((own[0] >= 0) == (others[0] >= 0)).mean() > 0.998
    assert (own[1][both] == others[0][both]).mean() > 0.998
    assert np.abs(own[4][both] - others[4][both])[own[1][both] == others[0][both]].max() < 0.06
    blocked = Scene([caps]).occluded(origin, way, np.full(len(way), 1e5, np.float32))
    assert ((blocked == 0) == (own[0] >= 0)).all()


def test_heavy_drops_are_flat_and_lean_down_the_slope():
    """A puddle is 2 a sin(angle / 2) high, 2.7 mm of water at 60 degrees (De Gennes et al. 2004, 2.2)."""
    position, _, _ = looked_down_on(one_drop(30.0, 60.0, sag=1.0), 15.2, 300)
    assert position[:, 1].max() == pytest.approx(2 * 2.727 * np.sin(np.radians(30)), rel=0.02)
    wall = lathe([(0, 0), (30, 0), (30, 60), (0, 60)], 96)
    strewn = strew(wall, np.abs(wall.normals[wall.triangles][:, 0, 1]) < 0.5, 3.0, 4.0, 0.0, 1.2, 0.0, 10.0, 1)
    caps = drops(wall, strewn, 60.0, 1.0, 1)
    assert (caps.axes[:, 2, 1] < -0.05).all()  # their tops hang lower than their feet
    assert np.abs(drops(wall, strewn, 60.0, 0.0, 1).axes[:, 2, 1]).max() < 1e-5


@pytest.mark.parametrize("host", ["plate", "can"])
def test_nothing_of_a_drop_shows_on_the_far_side(host):
    """Flat drops, 30 degrees, on a wall of 1 mm: no ray from behind meets one before it meets the wall."""
    mesh = plate() if host == "plate" else lathe([(32, 0), (33, 0), (33, 100), (32, 100), (32, 0)], 64)
    outside = (
        upper(mesh) if host == "plate" else (mesh.vertices * mesh.normals)[mesh.triangles][:, 0, [0, 2]].sum(axis=1) > 1
    )
    strewn = strew(mesh, outside, 20.0, 3.0, 0.4, 1.05, 0.0, 10.0, 5)
    caps = drops(mesh, strewn, 30.0, 1.0, 5)
    assert len(caps) > 300
    behind = strewn.foot - strewn.normal * 0.9
    spread = np.random.default_rng(1).normal(0, 0.4, behind.shape)
    origin = np.float32(behind - strewn.normal * 20 + spread)
    scene = Scene([caps, (mesh.vertices, mesh.triangles)])
    geometry = scene.intersect(origin, np.ascontiguousarray(strewn.normal, np.float32))[0]
    assert (geometry == 1).mean() > 0.99  # the others pass beside the can


def test_drops_keep_their_distance_and_have_their_sizes(figure):
    mesh = plate(100.0)
    strewn = strew(mesh, upper(mesh), 8.0, 1.2, 0.4, 1.1, 0.0, 10.0, 4)
    assert len(strewn.width) > 3000
    pairs = cKDTree(strewn.foot).query_pairs(1.1 * 2 * strewn.width.max(), output_type="ndarray")
    apart = np.linalg.norm(strewn.foot[pairs[:, 0]] - strewn.foot[pairs[:, 1]], axis=1)
    mean = strewn.width[pairs].mean(axis=1)
    assert (apart / mean).min() >= 1.1 - 1e-9
    deviation = np.sqrt(np.log(1 + 0.4**2))
    told = lognorm(deviation, scale=1.2 * np.exp(-(deviation**2) / 2))
    assert kstest(strewn.width, told.cdf).pvalue > 0.01
    assert strewn.width.std() / strewn.width.mean() == pytest.approx(0.4, abs=0.02)
    figure(strewn.width.mean(), 1.2)


def test_patches_leave_bare_places():
    mesh = plate(100.0)
    even = strew(mesh, upper(mesh), 10.0, 0.5, 0.2, 1.0, 0.0, 20.0, 2)
    patchy = strew(mesh, upper(mesh), 10.0, 0.5, 0.2, 1.0, 1.0, 20.0, 2)

    def bare(strewn):
        cells = np.floor(strewn.foot[:, [0, 2]] / 10 + 10).astype(int)
        return (np.bincount(cells[:, 0] * 20 + cells[:, 1], minlength=400) == 0).mean()

    assert bare(even) < 0.02 < 0.15 < bare(patchy) < 0.85
    assert 0.8 < len(patchy.width) / len(even.width) <= 1  # they gather, and do not become fewer


def test_the_asked_number_is_bounded_and_seeds_differ():
    mesh = plate(300.0)
    assert expected_count(mesh, upper(mesh), 5000.0) > 10_000_000
    strewn = strew(mesh, upper(mesh), 5000.0, 0.2, 0.4, 1.0, 0.0, 10.0, 1)
    assert 100_000 < len(strewn.width) <= MOST_DROPS
    one, other = (strew(mesh, upper(mesh), 0.1, 1.0, 0.4, 1.0, 0.0, 10.0, seed) for seed in (1, 2))
    assert not np.array_equal(one.foot[:10], other.foot[:10])
    assert len(strew(mesh, np.zeros(len(mesh.triangles), bool), 5.0, 1.0, 0.4, 1.0, 0.0, 10.0, 1).width) == 0


@pytest.fixture(scope="module")
def tumbler():
    """A tumbler of 25 mm, filled to 40 mm."""
    glass = lathe([(0, 0), (27, 0), (27, 63), (25, 63), (25, 3), (0, 3)], 128)
    cavity = find_cavities(make_vessel(glass))[0]
    return cavity, pour(cavity, wall_depths(wall_thickness(cavity), 0.1), cavity.volume(43.0), Wetting())


def bubbled(tumbler, **amounts):
    none = {"body": 0.0, "wall": 0.0, "edge": 0.0, "trails": 0, "size": 0.8, "spread": 0.4}
    cavity, body = tumbler
    made = bubbles(
        body,
        wetted_wall(cavity, body.level),
        Amounts(**none | {"patches": 0.0, "patch_size": 10.0, "seed": 3} | amounts),
    )
    return made.centre, made.axes[:, 0, 0]


def test_bubbles_are_in_the_liquid_in_the_asked_number(tumbler):
    cavity, body = tumbler
    centre, radius = bubbled(tumbler, body=20.0)
    assert len(centre) == pytest.approx(20 * body.volume / 1000, rel=0.01)
    away = np.hypot(centre[:, 0], centre[:, 2])
    assert away.max() < 25.2 and centre[:, 1].min() > 2.8 and (centre[:, 1] + radius).max() < body.level + body.edge[1]
    # Evenly all through it: the middle half of a cylinder's volume lies within 0.707 of its radius.
    assert (away < 25 * np.sqrt(0.5)).mean() == pytest.approx(0.5, abs=0.06)
    assert radius.std() / radius.mean() == pytest.approx(0.4, abs=0.05) and radius.mean() == pytest.approx(
        0.4, rel=0.05
    )
    patchy, _ = bubbled(tumbler, body=20.0, patches=1.0)
    cells = [np.unique(np.floor(at / 6).astype(int), axis=0).shape[0] for at in (centre, patchy)]
    assert cells[1] < 0.9 * cells[0]


def test_bubbles_cling_gather_and_rise(tumbler):
    cavity, body = tumbler
    centre, radius = bubbled(tumbler, wall=6.0)
    away = np.hypot(centre[:, 0], centre[:, 2])
    from_wall = np.minimum(25 - away, centre[:, 1] - 3)
    assert np.quantile(np.abs(from_wall / radius - 0.85), 0.97) < 0.2  # but for those in the corner
    assert len(centre) == pytest.approx(6 * (np.pi * 25**2 + 2 * np.pi * 25 * 40) / 100, rel=0.1)
    centre, radius = bubbled(tumbler, edge=10.0)
    assert len(centre) == pytest.approx(10 * 2 * np.pi * 2.5, rel=0.05)
    assert (25 - np.hypot(centre[:, 0], centre[:, 2]) < 3.5 * radius).all() and (centre[:, 1] > body.level - 1).all()
    centre, radius = bubbled(tumbler, trails=9)
    assert len(centre) > 9 * 8
    low, high = centre[:, 1] < 15, centre[:, 1] > 33
    assert radius[high].mean() > 1.2 * radius[low].mean()  # they grow as they rise
    columns = cKDTree(centre[:, [0, 2]]).query_ball_point(centre[:, [0, 2]], 1.5)
    assert np.mean([len(each) > 5 for each in columns]) > 0.9


@pytest.mark.long
def test_foam_stands_on_the_liquid_packed_and_in_its_vessel(tumbler):
    cavity, body = tumbler

    def stood(**values):
        usual = {"thickness": 8.0, "size": 1.6, "spread": 0.4, "patches": 0.0, "patch_size": 8.0, "seed": 2}
        made = foam(cavity, body, Head(**usual | values))
        return made.centre.astype(np.float64), made.axes[:, 0, 0].astype(np.float64)

    centre, radius = stood()
    away = np.hypot(centre[:, 0], centre[:, 2])
    assert (away + 0.8 * radius < 25.05).all()
    sector = np.floor(np.arctan2(centre[:, 2], centre[:, 0]) / (np.pi / 8)).astype(int)
    assert all((25 - away - radius)[sector == k].min() < 0.3 for k in range(-8, 8))  # it reaches the wall all round
    assert (centre[:, 1] - radius > body.level - 0.6 * radius.max()).all() and centre[:, 1].max() <= body.level + 8
    pairs = cKDTree(centre).query_pairs(2 * radius.max(), output_type="ndarray")
    apart = np.linalg.norm(centre[pairs[:, 0]] - centre[pairs[:, 1]], axis=1)
    assert (apart > 0.899 * (radius[pairs[:, 0]] + radius[pairs[:, 1]])).all()
    # Equal spheres packed one after the other jam at 0.385 (Cooper 1988); of many sizes, overlapping a little, denser.
    filled = (4 / 3 * np.pi * radius**3).sum() / (np.pi * 25**2 * 8)
    assert 0.33 < filled < 0.6
    assert radius.mean() == pytest.approx(0.8, rel=0.12) and radius.std() / radius.mean() > 0.25
    raft, wide = stood(thickness=0.5)
    assert len(raft) > 200 and np.ptp(raft[:, 1] - 0.45 * wide) < 1.0  # one beside the other
    streaky, _ = stood(patches=1.0)
    cells, tops = np.unique(np.floor(streaky[:, [0, 2]] / 5), axis=0, return_inverse=True)
    heights = np.array([streaky[tops.reshape(-1) == k, 1].max() for k in range(len(cells))]) - body.level
    assert len(streaky) < 0.8 * len(centre) and np.quantile(heights, 0.1) < 0.6 * np.quantile(heights, 0.9)
    over, _ = stood(thickness=400.0, size=4.0)
    assert over[:, 1].max() < 63  # not beyond the brim
    full = pour(cavity, wall_depths(wall_thickness(cavity), 0.1), cavity.capacity, Wetting())
    assert len(foam(cavity, full, Head(8.0, 1.6, 0.4, 0.0, 8.0, 2))) == 0  # no room over it
    assert len(foam(cavity, body, Head(1000.0, 0.05, 0.4, 0.0, 8.0, 2))) <= MOST_BUBBLES


def in_a_white_furnace(meshes, recipes, camera):
    """Mean light of a picture in an even room of light 1, and the least of a pixel."""
    seen = take(meshes, recipes, make_lights(EVEN), camera, samples=96, size=(48, 48), depth=300)
    return float(seen.mean()), float(seen.min())


@pytest.mark.long
def test_clear_drops_and_bubbles_neither_take_nor_give_light():
    """Drops on glass, some in the room of others, and bubbles in a clear block, in an even room.

    A path that lost count of the bodies round it would bring 1 / 1.333^2 = 0.56.
    """
    clear = Recipe(transmission_weight=1.0, specular_roughness=0.0)
    glass, water = (
        clear.with_(specular_ior=1.52, nesting_priority=5),
        clear.with_(specular_ior=1.333, nesting_priority=3),
    )
    host = plate(30.0, 4.0)
    above = Camera(position=(60, 150, 90), target=(0, 0, 0), focal_length=100)
    strewn = strew(host, upper(host), 4.0, 6.0, 0.2, 0.5, 0.0, 10.0, 2)
    laid = drops(host, strewn, 60.0, 1.0, 2)
    pairs = cKDTree(strewn.foot).query_pairs(5.0)
    assert len(pairs) > 10  # in the room of each other
    mean, least = in_a_white_furnace([host, laid], [glass, water], above)
    assert mean == pytest.approx(1, abs=2e-3) and least > 0.8
    film, close = clear.with_(specular_ior=1.333, geometry_thin_walled=True), np.arange(20)
    grid = np.float32(np.stack([close % 5 * 7 - 14, 4 + close // 10 * 6, close // 5 % 2 * 7 - 3], axis=1))
    head = Caps(grid, np.float32(np.repeat(4 * np.eye(3)[None], 20, axis=0)), np.full(20, -2.0, np.float32))
    mean, least = in_a_white_furnace([host, head], [glass, film], above)  # films that lie in each other
    assert mean == pytest.approx(1, abs=2e-3) and least > 0.8
    block, air = box((60, 30, 60), 0.2), clear.with_(specular_ior=1.0, nesting_priority=4)
    centre = np.float32(np.random.default_rng(1).uniform((-22, 8, -22), (22, 22, 22), (30, 3)))
    held = Caps(centre, np.float32(np.repeat(4 * np.eye(3)[None], 30, axis=0)), np.full(30, -2.0, np.float32))
    mean, least = in_a_white_furnace([block, held], [water, air], above)
    assert mean == pytest.approx(1, abs=2e-3) and least > 0.8
