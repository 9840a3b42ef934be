"""Light inside bodies, and among several of them: what is around a path, and dense bodies."""

from types import SimpleNamespace

import numpy as np
import pytest
from test_rendering import AHEAD, EVEN, ball, floor
from test_truth import middle

from mat_shelf.document.camera import Camera
from mat_shelf.document.material import Material
from mat_shelf.document.product import Part, Product
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.set import Set
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.solids import box, lathe, moved
from mat_shelf.optics.media import single_albedo
from mat_shelf.rendering.camera import make_camera_view
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.render_task import RenderTask
from mat_shelf.rendering.tracer import Tracer
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.interior_list import OUTSIDE, interior_at
from mat_shelf.scene.lights import make_lights
from mat_shelf.scene.material_table import make_material_table, project_material_table
from mat_shelf.scene.rooms import plain_room

CLEAR = Recipe(transmission_weight=1.0, specular_roughness=0.0, specular_ior=1.5)
WATER = CLEAR.with_(specular_ior=1.333, nesting_priority=3, contact="wet")
AIR = CLEAR.with_(specular_ior=1.0)
WAX = Recipe(subsurface_weight=1.0, subsurface_color=(0.8, 0.6, 0.4), subsurface_radius=4.0, specular_weight=0.0)
SLOPE = np.linspace(0.2, 1.5, 16, dtype=np.float32)[:, None, None] * EVEN  # brighter above than below


def joined(*meshes: Mesh) -> Mesh:
    """One part of several pieces."""
    starts = np.cumsum([0, *(len(mesh.vertices) for mesh in meshes)])
    return Mesh(
        np.concatenate([mesh.vertices for mesh in meshes]),
        np.concatenate([mesh.triangles + start for mesh, start in zip(meshes, starts, strict=False)]).astype(np.int32),
        np.concatenate([mesh.normals for mesh in meshes]),
    )


def taken(meshes, recipes, lights, camera=AHEAD, zoned=(), size=(32, 32), samples=150, **options) -> np.ndarray:
    task = RenderTask(
        Geometry(meshes),
        make_material_table(recipes, range(len(meshes)), zoned=zoned),
        lights,
        make_camera_view(camera, *size),
        **options,
    )
    film, tracer = Film(*size), Tracer(2)
    tracer.fill(task, film, samples)
    tracer.close()
    assert not film.sums.dropped.any()
    return film.picture()  # fmt: skip


@pytest.mark.parametrize("recipe", [CLEAR, WAX.with_(subsurface_color=(1, 1, 1))], ids=["clear", "soft"])
def test_a_body_whose_faces_wear_two_materials_is_one_body(recipe, figure):
    """White furnace: two zones of the same look are filled with one thing, whichever zone light comes in by."""
    solid = ball()
    faces = (np.arange(len(solid.triangles)) % 2).astype(np.int32)
    seen = taken([solid], [recipe, recipe.with_(base_color=(0.3, 0.3, 0.3))], make_lights(EVEN), zoned=[(0, faces)])
    figure(middle(seen))
    assert middle(seen) == pytest.approx([1, 1, 1], abs=0.015)


def test_pieces_of_one_body_that_overlap_bend_light_once(figure):
    """Five balls in one part, one in the other, are the one ball that they make: the same picture."""
    above = Camera(position=(150, 120, 250), target=(0, 0, 0))
    one = taken([ball()], [CLEAR], make_lights(SLOPE), above)
    five = taken([joined(*(ball(radius) for radius in (30, 25, 18, 17, 5)))], [CLEAR], make_lights(SLOPE), above)
    figure(five.mean(), one.mean())
    assert five.mean() == pytest.approx(one.mean(), rel=0.003)
    assert np.abs(five - one).mean() < 0.02


def test_boundaries_without_effect_never_end_a_path(figure):
    """A lamp within forty shells of what bends nothing, or of nothing but holes, is as bright as without them."""
    lamp = Recipe(base_color=(0, 0, 0), specular_weight=0.0, emission_luminance=500.0)
    shells, near = [ball(10.0 + k) for k in range(40)], AHEAD.with_(focal_length=800)
    bare = taken([ball(5.0)], [lamp], make_lights(EVEN * 0), near, size=(16, 16), samples=4)
    for shell in (AIR, Recipe(geometry_opacity=0.0)):
        seen = taken([ball(5.0), *shells], [lamp, *[shell] * 40], make_lights(EVEN * 0), near, size=(16, 16), samples=4)
        figure(seen.mean(), bare.mean())
        assert seen.mean() == pytest.approx(bare.mean(), rel=0.005)


def test_a_camera_is_inside_of_what_is_around_it(figure):
    """Beer-Lambert: a lamp 100 mm away through a liquid that leaves a half over 50 mm; the camera is in the liquid."""
    lamp = Recipe(base_color=(0, 0, 0), specular_weight=0.0, emission_luminance=500.0, nesting_priority=9)
    liquid = WATER.with_(transmission_color=(0.5, 0.25, 1.0), transmission_depth=50.0)
    tank = moved(box((400, 400, 400), 0.01), (0, -200, 0))
    target = moved(box((150, 150, 20), 0.01), (0, -75, -110))
    camera = Camera(position=(0, 0, 0), target=(0, 0, -100), focal_length=300)
    seen = taken([target, tank], [lamp, liquid], make_lights(EVEN * 0), camera, size=(8, 8), samples=8)
    figure(seen.mean(axis=(0, 1)), 0.5 * np.array([0.25, 0.0625, 1.0]))
    assert seen.mean(axis=(0, 1)) == pytest.approx(0.5 * np.array([0.25, 0.0625, 1.0]), rel=0.01)
    geometry, bodies = Geometry([target, tank]), make_material_table([lamp, liquid], [0, 1]).bodies
    assert (interior_at((0, 0, 0), geometry, bodies) >= 0).sum() == 1
    assert (interior_at((0, 0, 900), geometry, bodies) == OUTSIDE).all()


@pytest.mark.parametrize(("size", "away"), [(0.1, 500.0), (10.0, 9000.0), (3000.0, 20_000.0)])
def test_what_is_around_a_camera_is_found_at_any_scale(size, away):
    """In the wall of a glass, in its hollow, and around it, wherever it stands."""
    glass = lathe([(0, 0), (0.5, 0), (0.5, 1), (0.4, 1), (0.4, 0.1), (0, 0.1)], 96)
    glass = Mesh(
        (glass.vertices * size + np.float32([away, 0, away])).astype(np.float32), glass.triangles, glass.normals
    )
    geometry, bodies = Geometry([glass]), make_material_table([CLEAR], [0]).bodies
    for turn in np.linspace(0, 6, 40):
        for radius, height, is_in in ((0.45, 0.5, True), (0.2, 0.5, False), (0.7, 0.5, False), (0.3, 0.05, True)):
            at = np.array([radius * np.cos(turn), height, radius * np.sin(turn)]) * size + (away, 0, away)
            assert (interior_at(at, geometry, bodies) >= 0).any() == is_in, (turn, radius, height)


@pytest.mark.long
def test_a_drop_of_water_on_wax_leaves_no_water_in_it(figure):
    """Light that goes into wax below a drop and leaves beside it is in air again, and the other way round: whichever
    way the drop is modelled, on the wax or reaching into it, wax and drop look the same."""
    wax = moved(box((80, 30, 80), 0.01), (0, -30, 0))
    above = Camera(position=(0, 160, 160), target=(0, 0, 0), focal_length=80)
    seen = []
    for depth in (0.02, 8.0):  # how far the drop reaches into the wax
        drop = moved(box((30, 6 + depth, 30), 0.01), (0, -depth, 0))
        seen.append(taken([wax, drop], [WAX, WATER], make_lights(SLOPE), above, samples=300))
    shallow, deep = seen
    figure(deep.mean(axis=(0, 1)), shallow.mean(axis=(0, 1)))
    assert deep.mean(axis=(0, 1)) == pytest.approx(shallow.mean(axis=(0, 1)), rel=0.01)
    assert deep[12:20, 12:20].mean(axis=(0, 1)) == pytest.approx(shallow[12:20, 12:20].mean(axis=(0, 1)), rel=0.02)


def test_a_soft_body_half_in_water_is_one_body(figure):
    """A white ball half in clear water, all of it in an even room: nothing absorbs, so nothing is seen."""
    water = moved(box((400, 200, 400), 0.01), (0, -200, 0))
    seen = taken([ball(25), water], [WAX.with_(subsurface_color=(1, 1, 1)), WATER], make_lights(EVEN),
                 Camera(position=(0, 120, 250), target=(0, 0, 0), focal_length=85), samples=400)  # fmt: skip
    figure(seen[10:22, 10:22].mean(axis=(0, 1)))
    assert seen[10:22, 10:22].mean(axis=(0, 1)) == pytest.approx([1, 1, 1], abs=0.015)


def test_a_wick_in_wax_is_seen_and_takes_light():
    """What is opaque inside a soft body stops the light that wanders about there."""
    wax = moved(box((30, 60, 30), 0.01), (0, -30, 0))
    wick = moved(box((8, 50, 8), 0.01), (0, -25, 0))
    pale = WAX.with_(subsurface_color=(0.95, 0.95, 0.95), subsurface_radius=20.0)
    black = Recipe(base_color=(0, 0, 0), specular_weight=0.0)
    white = Recipe(base_color=(1, 1, 1), specular_weight=0.0)
    plain, dark, bright = (
        middle(taken([wax, wick], [pale, worn], make_lights(EVEN), AHEAD.with_(focal_length=250))).mean()
        for worn in (pale, black, white)
    )
    assert dark < 0.9 * plain and bright == pytest.approx(plain, rel=0.02)


def test_a_part_may_have_a_priority_of_its_own():
    """Two parts overlap; the one of higher priority fills the space: red over blue, or blue over red."""
    tint = {"transmission_depth": 20.0, "specular_ior": 1.0}
    made = (
        Material(id="a", name="a", recipe=CLEAR.with_(transmission_color=(1, 0.1, 0.1), **tint)),
        Material(id="b", name="b", recipe=CLEAR.with_(transmission_color=(0.1, 0.1, 1), **tint)),
    )
    meshes = [moved(box((60, 60, 40), 0.01), (0, -30, 0)), moved(box((60, 60, 40), 0.01), (0, -30, 0.5))]
    means = []
    for priorities in ((7, None), (None, 7)):
        parts = tuple(
            Part(id=letter, name=letter, mesh=letter * 64, material=letter, priority=priority)
            for letter, priority in zip("ab", priorities, strict=True)
        )
        project = Project(
            name="p", product=Product(name="p", parts=parts), materials=made,
            sets=(Set(id="s", name="s", backdrop=None),), current_set="s",
        )  # fmt: skip
        material_table = project_material_table(project, SimpleNamespace(meshes={}, faces={}, pictures={}))
        task = RenderTask(Geometry(meshes), material_table, make_lights(EVEN), make_camera_view(AHEAD, 16, 16))
        film, tracer = Film(16, 16), Tracer(1)
        tracer.add_samples(task, film)
        tracer.close()
        means.append(middle(film.picture()))
    assert means[0][0] > 5 * means[0][2] and means[1][2] > 5 * means[1][0]


@pytest.mark.parametrize("forward", [0.0, pytest.param(0.8, marks=pytest.mark.long)])
def test_the_densest_white_bodies_lose_no_light(forward, figure):
    """White furnace: 3,000 free ways thick, or a cloud of 100; nothing absorbs, however often light is scattered."""
    recipes = [
        Recipe(
            subsurface_weight=1.0, subsurface_color=(1, 1, 1), subsurface_radius=0.02, specular_weight=0.0,
            subsurface_scatter_anisotropy=forward,
        ),
        CLEAR.with_(
            transmission_color=(1, 1, 1), transmission_depth=0.6, transmission_scatter=(1, 1, 1),
            transmission_scatter_anisotropy=forward,
        ),
    ]  # fmt: skip
    for recipe in recipes:
        seen = middle(taken([ball()], [recipe], make_lights(EVEN), samples=500))
        figure(seen)
        assert seen == pytest.approx([1, 1, 1], abs=0.015)


@pytest.mark.parametrize(("thick", "color"), [(20, 1.0), pytest.param(60, 1.0, marks=pytest.mark.long), (20, 0.9)])
@pytest.mark.long
def test_dense_slabs_let_through_what_diffusion_says(thick, color, figure):
    """Ishimaru 1978, Wave Propagation and Scattering in Random Media, 9: light of a diffuse source that passes a slab
    of isotropic scatterers, with the extrapolated boundary of Milne, e = 0.7104 free ways: (z + e) / (L + 2 e)
    without absorption, the same of hyperbolic sines with it. Light from a matt boundary is first scattered z = 2/3 of a
    free way deep."""
    slab = moved(box((4000, 4000, thick), 0.01), (0, -2000, 0))
    recipe = WAX.with_(subsurface_color=(color,) * 3, subsurface_radius=1.0, subsurface_radius_scale=(1, 1, 1))
    behind = np.where(np.abs(np.arange(32) - 15.5)[None, :, None] < 8, 0, 1) * EVEN
    ends = [
        taken([slab], [recipe], make_lights(light), size=(16, 16), samples=400) for light in (behind, EVEN - behind)
    ]
    passed = min(end.mean() for end in ends)
    extrapolated, source = 0.7104, 2 / 3
    attenuation = np.sqrt(3 * (1 - float(single_albedo((color,) * 3, 0.0)[0])))
    if attenuation < 1e-3:
        expected = (source + extrapolated) / (thick + 2 * extrapolated)
    else:
        expected = np.sinh(attenuation * (source + extrapolated)) / np.sinh(attenuation * (thick + 2 * extrapolated))
    figure(passed, expected)
    assert passed == pytest.approx(expected, rel=0.08)


@pytest.mark.long
def test_a_can_with_a_drop_and_a_glass_with_one_lose_no_light(figure):
    """White furnace: water on white metal and on glass, as it lies there."""
    for under in (Recipe(base_color=(1, 1, 1), base_metalness=1.0, specular_roughness=0.2), CLEAR):
        solid = moved(box((60, 20, 60), 0.01), (0, -20, 0))
        drop = moved(box((24, 5.02, 24), 0.01), (0, -0.02, 0))
        above = Camera(position=(60, 200, 160), target=(0, 0, 0), focal_length=200)
        seen = taken([solid, drop], [under, WATER], make_lights(EVEN), above, samples=200)
        figure(seen.mean())
        assert seen.mean() == pytest.approx(1, abs=0.01)


def test_zones_of_one_body_keep_their_own_looks():
    """Half of a ball is red, half blue."""
    solid = ball()
    faces = (solid.vertices[solid.triangles].mean(axis=1)[:, 0] > 0).astype(np.int32)
    red, blue = (Recipe(base_color=c, specular_weight=0.0) for c in ((1, 0, 0), (0, 0, 1)))
    seen = taken([solid, floor()], [red, blue], make_lights(plain_room(500, 500)), zoned=[(0, faces)], samples=8)
    assert seen[16, 10, 0] > 5 * seen[16, 10, 2] and seen[16, 22, 2] > 5 * seen[16, 22, 0]
