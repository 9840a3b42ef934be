"""Cavities, levels, liquids and their edges against volumes of solids, Pappus, and capillary theory."""

import manifold3d
import numpy as np
import pytest
import trimesh
from scipy.integrate import solve_ivp
from scipy.optimize import brentq
from test_rendering import floor, take

from mat_shelf.demo import ink_bottle
from mat_shelf.document.camera import Camera
from mat_shelf.document.recipe import Recipe
from mat_shelf.fills.cavity import find_cavities
from mat_shelf.fills.edge import Wetting
from mat_shelf.fills.hollowing import hollowed
from mat_shelf.fills.liquid import pour, wall_depths, wall_thickness
from mat_shelf.fills.meniscus import capillary_length, surface_heights
from mat_shelf.fills.surface_mesh import COARSE, FINE, mesh_outlines
from mat_shelf.fills.vessel import VesselError, joined_vessel, make_vessel
from mat_shelf.geometry.mesh import Mesh, crease_normals
from mat_shelf.geometry.solids import lathe, moved
from mat_shelf.scene.lights import make_lights
from mat_shelf.scene.rooms import plain_room


def mesh_of(solid: manifold3d.Manifold) -> Mesh:
    """A solid of another library, whose z points up."""
    made = solid.to_mesh()
    vertices = np.array(made.vert_properties[:, :3])[:, [0, 2, 1]] * (1, 1, -1)
    return crease_normals(vertices, np.array(made.tri_verts, np.int32))


def cup(radius, depth, wall, base, segments=256) -> Mesh:
    outer = radius + wall
    return lathe(
        [(0, 0), (outer, 0), (outer, base + depth), (radius, base + depth), (radius, base), (0, base)], segments
    )


def cavity_in(mesh, up=(0.0, 1.0, 0.0)):
    return find_cavities(make_vessel(mesh, up))[0]


def poured(mesh, volume, up=(0.0, 1.0, 0.0), **liquid):
    cavity = cavity_in(mesh, up)
    return cavity, pour(cavity, wall_depths(wall_thickness(cavity), 0.1), volume, Wetting(**liquid))


def leaning(degrees):
    return np.sin(np.radians(degrees)), np.cos(np.radians(degrees)), 0.0


def test_capacities_are_those_of_the_solids(figure):
    cylinder = cavity_in(cup(20, 50, 2, 3))
    assert cylinder.capacity == pytest.approx(np.pi * 20**2 * 50, rel=0.003)
    assert cylinder.spill == pytest.approx(53) and cylinder.bottom == pytest.approx(3)
    cone = cavity_in(lathe([(0, 0), (23, 0), (23, 40), (20, 40), (0, 4)], 256))
    assert cone.capacity == pytest.approx(np.pi * 20**2 * 36 / 3, rel=0.003)
    # A ball cut out of a block, open above by a bore of 4 mm: a ball less its cap, and the bore.
    block = manifold3d.Manifold.cube([70, 70, 70], True)
    ball = manifold3d.Manifold.sphere(25, 200)
    bore = manifold3d.Manifold.cylinder(60, 4, 4, 200)
    found = cavity_in(mesh_of(block - ball - bore))
    h = 25 - np.sqrt(25**2 - 4**2)
    exact = 4 / 3 * np.pi * 25**3 - np.pi * h**2 * (25 - h / 3) + np.pi * 16 * (35 - np.sqrt(25**2 - 4**2))
    assert found.capacity == pytest.approx(exact, rel=0.005)
    # Half a torus sunk into a plate holds pi^2 R r^2.
    channel = [(25 + 6 * np.cos(a), 10 - 6 * np.sin(a)) for a in np.linspace(0, np.pi, 60)]
    ring = lathe([(0, 0), (40, 0), (40, 10), *channel, (0, 10)], 256)
    assert cavity_in(ring).capacity == pytest.approx(np.pi**2 * 25 * 6**2, rel=0.005)
    figure(found.capacity, exact)


def test_a_turned_bottle_holds_what_pappus_says():
    inside = np.array([(0.0, 5), (18, 5), (20, 9), (20, 40), (14, 52), (7, 56), (7, 70)])
    outside = np.array([(0.0, 0), (22, 0), (24, 8), (24, 42), (16, 55), (9, 58), (9, 70)])
    bottle = lathe([*outside, *inside[::-1]], 360)
    # Pappus: 2 pi times the first moment of the half section, side by side.
    r, y = inside.T
    r1, y1 = np.append(r[1:], 0.0), np.append(y[1:], y[-1])
    moment = ((r**2 + r * r1 + r1**2) * (y1 - y)).sum() / 6
    assert cavity_in(bottle).capacity == pytest.approx(2 * np.pi * moment, rel=0.002)


def test_a_tilted_cup_holds_the_ungula_and_keeps_its_volume():
    """A cylinder full to the lower end of its brim, tilted so far that the surface crosses the middle of its base."""
    depth = 40.0
    angle = np.degrees(np.arctan(depth / 20))
    cavity = cavity_in(cup(20, depth, 2, 3, 512), leaning(angle))
    assert cavity.capacity == pytest.approx(2 / 3 * 20**2 * depth, rel=0.005)  # Archimedes' hoof
    for degrees in (0, 10, 25):
        _, body = poured(cup(20, 60, 2, 3), 25_000.0, leaning(degrees))
        assert body.volume == pytest.approx(25_000, rel=0.002)


def test_level_and_volume_go_back_and_forth():
    cavity = cavity_in(ink_bottle.glass())
    for share in (0.02, 0.3, 0.62, 0.9, 0.999):
        level = cavity.level_of(share * cavity.capacity)
        assert cavity.volume(level) == pytest.approx(share * cavity.capacity, rel=1e-5)


def test_every_basin_is_found_and_spills_into_the_next():
    tray = manifold3d.Manifold.cube([60, 30, 12])
    low = manifold3d.Manifold.cube([20, 20, 20]).translate([5, 5, 2])
    high = manifold3d.Manifold.cube([20, 20, 20]).translate([35, 5, 4])
    found = find_cavities(make_vessel(mesh_of(tray - low - high)))
    assert [round(c.capacity) for c in found] == [4000, 3200]
    # A wall between them that is lower than the brim: two lakes, and the lake of both.
    both = tray - low - high - manifold3d.Manifold.cube([14, 4, 20]).translate([23, 13, 9])
    whole = find_cavities(make_vessel(mesh_of(both)))[0]
    assert whole.capacity == pytest.approx(4000 + 3200 + 10 * 4 * 3, rel=1e-3)
    assert whole.volume(8.0) == pytest.approx(400 * 6)  # the deeper one alone, up to the pass


def test_a_handle_a_hanging_rod_and_a_plug_are_no_leaks():
    outer = manifold3d.Manifold.cylinder(60, 30, 30, 128)
    inner = manifold3d.Manifold.cylinder(60, 26, 26, 128).translate([0, 0, 4])
    handle = manifold3d.Manifold.cube([20, 8, 40]).translate([26, -4, 10]) - manifold3d.Manifold.cube(
        [12, 20, 30]
    ).translate([28, -10, 15])
    mug = (outer - inner) + (handle - inner)
    exact = 26**2 * 56 * 128 / 2 * np.sin(2 * np.pi / 128)
    assert cavity_in(mesh_of(mug)).capacity == pytest.approx(exact, rel=1e-3)
    bridge = manifold3d.Manifold.cube([70, 6, 4]).translate([-35, -3, 60])
    rod = manifold3d.Manifold.cylinder(45, 3, 3, 64).translate([0, 0, 20])
    hung = cavity_in(mesh_of(mug + bridge + rod))
    assert hung.capacity == pytest.approx(exact - 40 * 9 * 64 / 2 * np.sin(2 * np.pi / 64), rel=2e-3)
    pipe = lathe([(20, 0), (24, 0), (24, 50), (20, 50), (20, 0)], 128)
    with pytest.raises(VesselError, match="no cavity"):
        find_cavities(make_vessel(pipe))
    plug = lathe([(0, 1), (21, 1), (21, 6), (0, 6)], 128)
    joined = find_cavities(joined_vessel([pipe, plug]))[0]
    assert joined.capacity == pytest.approx(np.pi * 20**2 * 44, rel=0.003)


def test_closed_vessels_hold_all_of_their_space():
    shell = manifold3d.Manifold.sphere(20, 128) - manifold3d.Manifold.sphere(16, 128)
    found = find_cavities(make_vessel(mesh_of(shell)))
    assert len(found) == 1 and found[0].is_closed
    assert found[0].capacity == pytest.approx(4 / 3 * np.pi * 16**3, rel=0.005)


def test_what_cannot_be_filled_is_refused_in_words():
    sheet = trimesh.creation.cylinder(20, 50, sections=64)
    open_sheet = sheet.submesh([np.flatnonzero(sheet.face_normals[:, 2] < 0.5)], append=True)
    for mesh, words in (
        (
            Mesh(np.float32(open_sheet.vertices), np.int32(open_sheet.faces), np.float32(open_sheet.vertex_normals)),
            "open",
        ),
        (Mesh(np.float32(sheet.vertices), np.int32(sheet.faces[:, ::-1]), np.float32(sheet.vertex_normals)), "inwards"),
        (mesh_of(manifold3d.Manifold.cube([10, 10, 10])), "no cavity"),
    ):
        with pytest.raises(VesselError, match=words):
            find_cavities(make_vessel(mesh))
    with pytest.raises(VesselError, match="no cavity"):  # upside down
        find_cavities(make_vessel(cup(20, 50, 2, 3), (0.0, -1.0, 0.0)))


@pytest.mark.parametrize("scale", [0.02, 1.0, 200.0])
def test_vessels_of_a_millimetre_and_of_ten_metres_are_filled(scale):
    mesh = cup(20 * scale, 50 * scale, 2 * scale, 3 * scale)
    cavity, body = poured(mesh, 0.5 * np.pi * 20**2 * 50 * scale**3)
    assert cavity.capacity == pytest.approx(np.pi * 20**2 * 50 * scale**3, rel=0.003)
    assert body.volume == pytest.approx(0.5 * np.pi * 20**2 * 50 * scale**3, rel=0.002)


def in_a_tube(radius, angle, length):
    """Heights of the surface in the middle of a round tube and at its wall, by integrating along its arc.

    Finn 1986, Equilibrium Capillary Surfaces, 1.4: the slope changes by z / a2 - sin(slope) / r along the arc.
    """
    slope = np.pi / 2 - angle

    def arc(start):
        def change(_, at):
            r, z, psi = at
            bend = np.sin(psi) / r if r > 1e-9 else z / length**2 / 2
            return [np.cos(psi), np.sin(psi), z / length**2 - bend]

        def at_wall(_, at):
            return at[2] - slope

        at_wall.terminal = True
        found = solve_ivp(change, [0, 300], [0, start, 0], events=at_wall, rtol=1e-9, atol=1e-12, max_step=radius / 10)
        return found.y[0, -1] - radius, found.y[1, -1]

    start = np.exp(brentq(lambda power: arc(np.exp(power))[0], -25, 4))
    return start, arc(start)[1]


@pytest.mark.parametrize("radius", [1.0, 2.0, 5.0])
@pytest.mark.parametrize("degrees", [0.0, 20.0, 60.0, 120.0])
def test_liquid_rises_in_tubes_as_it_should(radius, degrees, figure):
    length, turns = capillary_length(72.8, 0.998), np.linspace(0, 2 * np.pi, 220, endpoint=False)
    assert length == pytest.approx(2.73, abs=0.01)  # of water; CRC Handbook
    outline = radius * np.stack([np.cos(turns), np.sin(turns)], axis=1)
    slope = np.full(220, np.pi / 2 - np.radians(degrees))
    mesh = mesh_outlines([outline], length, float(np.abs(slope).max()))
    heights = surface_heights(mesh, [outline], slope, length)
    middle, edge = in_a_tube(radius, np.radians(min(degrees, 180 - degrees)), length)
    sign = 1 if degrees < 90 else -1
    assert sign * heights[:220].mean() == pytest.approx(edge, rel=0.02)
    assert sign * heights[np.linalg.norm(mesh.points, axis=1).argmin()] == pytest.approx(middle, rel=0.02)
    figure(sign * heights[:220].mean(), edge)
    if radius == 1.0 and degrees < 90:  # Jurin's law, for a tube this narrow with the third of the radius in its edge
        jurin = 2 * length**2 * np.cos(np.radians(degrees)) / radius
        assert middle == pytest.approx(jurin, rel=0.05)


@pytest.mark.parametrize("degrees", [20.0, 60.0, 110.0])
def test_liquid_climbs_a_wide_wall_as_batchelor_says(degrees, figure):
    """h^2 = 2 (1 - sin(angle)) a^2 (Batchelor, 1.9), here along the straight sides of a square vessel."""
    wall = manifold3d.Manifold.cube([90, 90, 60], True) - manifold3d.Manifold.cube([80, 80, 60], True).translate(
        [0, 0, 6]
    )
    _, body = poured(mesh_of(wall), 200_000.0, tension=72.8, density=0.998, angle=degrees)
    length = capillary_length(72.8, 0.998)
    exact = np.sign(90 - degrees) * np.sqrt(2 * (1 - np.sin(np.radians(degrees)))) * length
    low, high = body.edge  # in the corners it climbs, or sinks, further
    assert (low if exact > 0 else high) == pytest.approx(exact, rel=0.02)
    figure(low if exact > 0 else high, exact)


@pytest.mark.parametrize(
    ("share", "degrees"),
    [(0.03, 10.0), (0.35, 100.0), (0.65, 10.0), (0.72, 100.0), (0.72, 10.0), (0.8, 100.0), (0.97, 10.0), (0.97, 100.0)],
)
def test_a_poured_body_is_closed_and_holds_its_volume(share, degrees):
    cavity, wetting = cavity_in(ink_bottle.glass()), Wetting(angle=degrees, ripples=0.1)
    depths, volume, heights = wall_depths(wall_thickness(cavity), 0.1), share * cavity.capacity, []
    for fineness in (FINE, COARSE):
        body = pour(cavity, depths, volume, wetting, fineness)
        solid = trimesh.Trimesh(body.mesh.vertices, body.mesh.triangles)
        solid.merge_vertices(merge_norm=True, merge_tex=True, digits_vertex=8)
        a, b, c = solid.faces.T
        solid.update_faces((a != b) & (b != c) & (c != a))
        assert solid.is_watertight and solid.is_winding_consistent
        assert body.volume == pytest.approx(volume, rel=0.004)
        # It reaches into the wall by a tenth of a millimetre, all round.
        assert body.volume < solid.volume < body.volume + 0.13 * solid.area
        heights.append(max(body.edge, key=abs))
    # What is shown while a level is dragged is about the same.
    assert heights[1] == pytest.approx(heights[0], abs=0.12 * capillary_length(wetting.tension, wetting.density))


def test_it_reaches_into_thin_walls_by_a_third_at_most():
    cavity = cavity_in(cup(20, 50, 0.12, 0.12))
    assert np.nanmin(wall_thickness(cavity)) == pytest.approx(0.12, rel=0.02)
    assert wall_depths(wall_thickness(cavity), 0.1)[np.isfinite(cavity.reached)].max() <= 0.0415


def test_hollowed_solids_have_their_wall_and_hold_what_formulas_say():
    block = hollowed(mesh_of(manifold3d.Manifold.cube([40, 40, 60])), 2.0, 3.0, 0.0)
    assert cavity_in(block.mesh).capacity == pytest.approx(36 * 36 * 57, rel=1e-4)
    facets = 128 / 2 * np.sin(2 * np.pi / 128)
    drum = mesh_of(manifold3d.Manifold.cylinder(60, 20, 20, 128))
    assert cavity_in(hollowed(drum, 2.0, 5.0, 0.0).mesh).capacity == pytest.approx(facets * 18**2 * 55, rel=2e-3)
    # A round inner corner of 6 mm takes out what Pappus says of a square of that side less its quarter circle.
    middle = 18 - (10 - 3 * np.pi) / (12 - 3 * np.pi) * 6
    lost = 2 * np.pi * middle * 6**2 * (1 - np.pi / 4)
    rounded_ = cavity_in(hollowed(drum, 2.0, 5.0, 6.0).mesh).capacity
    assert facets * 18**2 * 55 - rounded_ == pytest.approx(lost, rel=0.05)
    # The wall, as rays see it.
    made = hollowed(drum, 2.0, 5.0, 0.0)
    scene = trimesh.Trimesh(made.mesh.vertices, made.mesh.triangles)
    turns = np.linspace(0.01, 6.2, 50)
    origin = np.stack([30 * np.cos(turns), np.full(50, 25.0), 30 * np.sin(turns)], axis=1)
    places, rays, _ = scene.ray.intersects_location(origin, -origin * (1, 0, 1), multiple_hits=True)
    radii = np.hypot(places[:, 0], places[:, 2])
    walls = [np.ptp(np.sort(radii[rays == k])[[0, -1]]) for k in range(50)]
    assert np.mean(walls) == pytest.approx(2.0, abs=0.03)
    # Faces of the outside are told, so that zones stay on them.
    away = np.hypot(made.mesh.vertices[:, 0], made.mesh.vertices[:, 2])[made.mesh.triangles]
    assert (away[made.faces >= 0].max(axis=1) > 17.9).all() and (away[made.faces < 0].max(axis=1) < 18.1).all()
    # The middle raised by 8 mm takes out the paraboloid pi r^2 h / 2; 8 mm deeper, it adds that.
    dome = facets * 18**2 * 8 / 2
    assert cavity_in(hollowed(drum, 2.0, 5.0, 0.0, raised=8.0).mesh).capacity == pytest.approx(
        facets * 18**2 * 55 - dome, rel=2e-3
    )
    bowl = cavity_in(hollowed(drum, 2.0, 5.0, 0.0, raised=-8.0).mesh)
    assert bowl.capacity == pytest.approx(facets * 18**2 * 47 + dome, rel=2e-3) and bowl.bottom == pytest.approx(5)
    # Over a hollow underside, a paraboloid 4 mm high, the base follows it by a share; as a ray up the middle sees it.
    radii = np.linspace(0, 20, 41)
    under = 4 * (1 - (radii / 20) ** 2)
    dished = lathe([*zip(radii, under, strict=True), (20, 60), (0, 60)], 128)
    for share in (0.5, 1.0):  # with less the wall, which goes all round, would be thicker than the base
        made = hollowed(dished, 2.0, 5.0, 0.0, follows=share)
        scene = trimesh.Trimesh(made.mesh.vertices, made.mesh.triangles)
        for radius in (0.3, 6.0, 12.0):
            places = scene.ray.intersects_location([[radius, -5, 0.1]], [[0, 1, 0]], multiple_hits=True)[0]
            beneath = 4 * (1 - (radius / 20) ** 2)
            assert np.ptp(np.sort(places[:, 1])[:2]) == pytest.approx(5 - beneath * (1 - share), abs=0.03)
        lost = share * 4 * (18**2 / 2 - 18**4 / 4 / 20**2) * 2 * facets  # the integral over the inner disc
        assert cavity_in(made.mesh).capacity == pytest.approx(facets * 18**2 * 55 - lost, rel=3e-3)
    with pytest.raises(VesselError, match="raise it less"):
        hollowed(drum, 2.0, 5.0, 0.0, raised=54.0)
    for solid, wall, base in ((drum, 25.0, 3.0), (ink_bottle.cap(), 19.5, 3.0), (drum, 3.0, 70.0)):
        with pytest.raises(VesselError, match="no room|narrower"):
            hollowed(solid, wall, base, 0.0)


@pytest.mark.long
def test_a_filled_glass_equals_the_exact_boundaries_in_an_independent_renderer(figure, tmp_path):
    """`mitsuba`, scalar_rgb, with each boundary built by hand: glass to air, glass to liquid, liquid to air.

    Here the liquid reaches into the wall and priorities find the same boundaries. Means by region within 1 percent.
    """
    mi = pytest.importorskip("mitsuba")
    mi.set_variant("scalar_rgb")
    level, size, samples = 43.0, (96, 64), 512
    glass = lathe([(0, 0), (27, 0), (27, 63), (25, 63), (25, level), (25, 3), (0, 3)], 192)
    _, body = poured(glass, cavity_in(glass).volume(level), angle=90.0)
    assert body.level == pytest.approx(level, abs=0.01) and max(np.abs(body.edge)) < 0.01
    clear = Recipe(transmission_weight=1.0, specular_roughness=0.0)
    recipes = [
        clear.with_(specular_ior=1.52, nesting_priority=5),
        clear.with_(specular_ior=1.333, nesting_priority=3, contact="wet"),
        Recipe(base_color=(0.5, 0.4, 0.3), specular_weight=0.0),
    ]
    camera = Camera(position=(0, 120, 300), target=(0, 32, 0), focal_length=80)
    room = plain_room(600, 150)
    ground = moved(floor(), (0, -0.02, 0))
    ours = take([glass, body.mesh, ground], recipes, make_lights(room), camera, size, samples, depth=24)

    def surface(profile):
        mesh = lathe(profile, 192)
        path = tmp_path / f"{len(list(tmp_path.iterdir()))}.ply"
        trimesh.Trimesh(mesh.vertices, mesh.triangles, process=False).export(path)
        return {"type": "ply", "filename": str(path), "face_normals": True}

    def boundary(profile, inside, outside):
        between = {"type": "dielectric", "int_ior": inside, "ext_ior": outside}
        return surface(profile) | {"bsdf": between}

    scene = {
        "type": "scene",
        "integrator": {"type": "path", "max_depth": 24, "rr_depth": 100},
        "sensor": {
            "type": "perspective",
            "fov": 2 * np.degrees(np.arctan(18 / 80)),
            "fov_axis": "x",
            "to_world": mi.ScalarTransform4f().look_at(camera.position, camera.target, (0, 1, 0)),
            "film": {"type": "hdrfilm", "width": size[0], "height": size[1], "rfilter": {"type": "box"}},
        },
        "dry": boundary([(0, 0), (27, 0), (27, 63), (25, 63), (25, level)], 1.52, 1.0),
        "wet": boundary([(25, level), (25, 3), (0, 3)], 1.52, 1.333),
        "top": boundary([(25, level), (0, level)], 1.333, 1.0),
        "floor": {
            "type": "rectangle",
            "to_world": mi.ScalarTransform4f().translate([0, -0.02, 0]).rotate([1, 0, 0], -90).scale(400),
            "bsdf": {"type": "diffuse", "reflectance": {"type": "rgb", "value": [0.5, 0.4, 0.3]}},
        },
        "room": {"type": "envmap", "bitmap": mi.Bitmap(np.array(room))},
    }
    theirs = np.array(mi.render(mi.load_dict(scene), spp=samples))
    # By region: the liquid from the side, its surface, the wall above, the floor beside.
    for name, rows, columns in (
        ("liquid", slice(30, 46), slice(42, 54)),
        ("surface", slice(20, 25), slice(42, 54)),
        ("wall", slice(12, 17), slice(42, 54)),
        ("floor", slice(44, 64), slice(0, 24)),
    ):
        one, other = ours[rows, columns].mean(axis=(0, 1)), theirs[rows, columns].mean(axis=(0, 1))
        figure(one, other)
        assert one == pytest.approx(other, rel=0.015 if name == "wall" else 0.01), name
    assert ours.mean() == pytest.approx(theirs.mean(), rel=0.01)


@pytest.mark.parametrize("slope", [40.0, 66.0, 85.0])
def test_a_surface_is_the_same_from_its_slopes_and_from_its_edge(slope):
    """Whatever it is begun from: the energy of a surface has one least value (it is convex), so both are that."""
    angle = np.linspace(0, 2 * np.pi, 160, endpoint=False)
    square = np.stack([np.cos(angle), np.sin(angle)], axis=1) * (22 + 4 * np.abs(np.cos(2 * angle)))[:, None]
    length, rise = 2.15, np.full(160, np.radians(slope))
    mesh = mesh_outlines([square], length, float(rise[0]))
    free = surface_heights(mesh, [square], rise, length)
    edge = free[:160]
    assert np.ptp(edge) > 0.02  # the corners hold it higher
    for guess in (None, np.zeros(len(free)), 0.5 * free, free + 0.5 * np.sin(mesh.points[:, 0])):
        held = surface_heights(mesh, [square], rise, length, edge, guess)
        assert np.abs(held - free).max() < 2e-3
