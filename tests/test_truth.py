"""Light is neither made nor lost, and falls from the right side: checks against theory and an independent renderer."""

import os

import numpy as np
import pytest
from test_contact import GLASS, INK, LIQUID, SOLID
from test_rendering import AHEAD, EVEN, ball, floor, take

from mat_shelf.document.camera import Camera
from mat_shelf.document.recipe import Recipe
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.solids import box, lathe, moved
from mat_shelf.scene.dielectric_contact import Body, resolve_contact
from mat_shelf.scene.lights import make_lights
from mat_shelf.scene.rooms import plain_room

WHITE_SHEET = Recipe(geometry_thin_walled=True, subsurface_color=(1, 1, 1), base_color=(1, 1, 1))

LONG = pytest.mark.long


IS_THOROUGH = "MAT_SHELF_THOROUGH" in os.environ
"""`make truth` takes ten times as many samples of what stands, and asks for 1 percent."""


def middle(picture) -> np.ndarray:
    """The mean of its middle, by channel."""
    height, width = picture.shape[:2]
    return picture[height * 3 // 8 : height * 5 // 8, width * 3 // 8 : width * 5 // 8].mean(axis=(0, 1))


def test_a_room_picture_is_seen_the_right_way_round():
    """`mitsuba`'s envmap, scalar_rgb, through cameras that look each way; no texel of the picture is like another."""
    mi = pytest.importorskip("mitsuba")
    mi.set_variant("scalar_rgb")
    room = np.random.default_rng(4).random((4, 8, 3), np.float32).repeat(8, axis=0).repeat(8, axis=1)
    far = [ball(0.1, at=(0, 0, -5000))]
    for target in ((0, 0, 100), (100, 0, 0), (-60, 80, 20)):
        ours = take(far, [Recipe()], make_lights(room), Camera(position=(0, 0, 0), target=target, focal_length=24),
                    size=(48, 32), samples=16)  # fmt: skip
        theirs = mi.render(
            mi.load_dict(
                {
                    "type": "scene",
                    "integrator": {"type": "path"},
                    "room": {"type": "envmap", "bitmap": mi.Bitmap(room)},
                    "sensor": {
                        "type": "perspective",
                        "fov_axis": "x",
                        "fov": float(np.degrees(2 * np.arctan(18 / 24))),
                        "to_world": mi.ScalarTransform4f().look_at(origin=[0, 0, 0], target=list(target), up=[0, 1, 0]),
                        "film": {"type": "hdrfilm", "width": 48, "height": 32, "rfilter": {"type": "box"}},
                    },
                }
            ),
            spp=16,
        )
        theirs = np.array(theirs)
        assert np.corrcoef(ours.ravel(), theirs.ravel())[0, 1] > 0.97
        assert np.corrcoef(ours[:, ::-1].ravel(), theirs.ravel())[0, 1] < 0.9


@pytest.mark.parametrize(("clear", "soft"), [(0.5, 0.5), (0.9, 1.0), (0.2, 0.7), (0.0, 1.0), (1.0, 1.0)])
@pytest.mark.long
def test_a_white_thin_sheet_neither_makes_nor_loses_light(clear, soft, figure):
    """White furnace, as a flat sheet and as a closed ball."""
    recipe = WHITE_SHEET.with_(transmission_weight=clear, subsurface_weight=soft)
    sheet = moved(floor(200), (0, 0, 0))
    flat = take([sheet], [recipe], make_lights(EVEN), Camera(position=(0, 300, 1), target=(0, 0, 0), focal_length=100),
                size=(24, 24), samples=150)  # fmt: skip
    figure(middle(flat))
    assert middle(flat) == pytest.approx([1, 1, 1], abs=0.02)
    closed = take([ball()], [recipe], make_lights(EVEN), AHEAD, size=(24, 24), samples=250)
    figure(middle(closed))
    assert middle(closed) == pytest.approx([1, 1, 1], abs=0.025)


def inside_out(mesh: Mesh) -> Mesh:
    return Mesh(mesh.vertices, np.ascontiguousarray(mesh.triangles[:, ::-1]), -mesh.normals)


@pytest.mark.parametrize("albedo", [0.5, 0.9, pytest.param(0.95, marks=LONG)])
def test_a_closed_room_is_as_bright_as_the_sum_of_all_bounces(albedo, figure):
    """A closed room of even walls that glow: E / (1 - albedo), the geometric series, wherever one looks."""
    walls = inside_out(box((400, 400, 400), 0.01))
    recipe = Recipe(base_color=(albedo,) * 3, specular_weight=0.0, emission_luminance=100.0)
    seen = take([walls], [recipe], make_lights(EVEN * 0), Camera(position=(0, 150, 100), target=(0, 250, -100)),
                size=(24, 24), samples=400 if albedo > 0.9 else 200)  # fmt: skip
    figure(seen.mean(axis=(0, 1)), 0.1 / (1 - albedo))
    assert seen.mean(axis=(0, 1)) == pytest.approx([0.1 / (1 - albedo)] * 3, rel=0.02)


def test_clear_liquid_in_clear_glass_cannot_be_seen_in_an_even_room(figure):
    """White furnace: nothing absorbs, however often light goes to and fro."""
    glass = Recipe(transmission_weight=1.0, specular_roughness=0.0, specular_ior=1.52, nesting_priority=5)
    water = Recipe(transmission_weight=1.0, specular_roughness=0.0, specular_ior=1.333, nesting_priority=3)
    shell = lathe([(0, -32), (32, -32), (32, 32), (0, 32), (0, 28), (28, 28), (28, -28), (0, -28)], 96)
    fill = lathe([(0, -30), (30, -30), (30, 10), (0, 10)], 96)
    seen = take([shell, fill], [glass, water], make_lights(EVEN), AHEAD, size=(40, 40), samples=200)
    figure(seen[12:28, 12:28].mean(axis=(0, 1)))
    assert seen[12:28, 12:28].mean(axis=(0, 1)) == pytest.approx([1, 1, 1], abs=0.01)


@pytest.mark.parametrize("weight", [0.0, pytest.param(0.3, marks=LONG), pytest.param(0.7, marks=LONG), 1.0])
@pytest.mark.parametrize(
    ("film_ior", "thickness", "roughness"), [(1.33, 0.4, 0.0), pytest.param(2.0, 0.3, 0.2, marks=LONG), (2.4, 0.9, 0.6)]
)
@pytest.mark.long
def test_a_film_on_a_clear_body_neither_makes_nor_loses_light(weight, film_ior, thickness, roughness, figure):
    """White furnace, films of any strength on a body of any reflectance."""
    recipe = Recipe(
        transmission_weight=1.0,
        specular_weight=weight,
        specular_roughness=roughness,
        thin_film_weight=1.0,
        thin_film_ior=film_ior,
        thin_film_thickness=thickness,
    )
    seen = take([ball()], [recipe], make_lights(EVEN), AHEAD, size=(24, 24), samples=250)
    figure(middle(seen))
    assert middle(seen) == pytest.approx([1, 1, 1], abs=0.025)
    assert seen.max() < 3


@pytest.mark.parametrize("roughness", [0.0, pytest.param(0.4, marks=LONG)])
def test_a_film_is_there_over_a_body_that_bends_nothing(roughness, figure):
    """A soap film filled with air, as a body of IOR 1: it reflects, passes the rest, and loses nothing."""
    recipe = Recipe(
        transmission_weight=1.0,
        specular_ior=1.0,
        specular_roughness=roughness,
        thin_film_weight=1.0,
        thin_film_ior=1.8,
        thin_film_thickness=0.25,
    )
    seen = take([ball()], [recipe], make_lights(EVEN), AHEAD, size=(24, 24), samples=300)
    figure(middle(seen))
    assert middle(seen) == pytest.approx([1, 1, 1], abs=0.03)
    dark = np.where(np.arange(32)[None, :, None] < 16, 1, 0) * EVEN  # light from one side shows what is reflected
    lit = take([ball()], [recipe], make_lights(dark), AHEAD, size=(24, 24), samples=300)
    bare = take([ball(0.1, at=(0, 0, 5000))], [recipe], make_lights(dark), AHEAD, size=(24, 24), samples=50)
    assert np.abs(lit - bare)[8:16, 8:16].mean() > 0.02


WAX = Recipe(subsurface_weight=1.0, subsurface_color=(0.9, 0.5, 0.3), subsurface_radius=6.0)
GROUND = Recipe(base_color=(0.6, 0.6, 0.6), specular_weight=0.0)
BLOCK = moved(box((60, 40, 60), 0.01), (0, 0, 0))
TUMBLER = lathe([(0, 0), (30, 0), (32, 60), (29, 60), (27, 4), (0, 4)], 128)
FILL = lathe([(0, 4), (27, 4), (28.4, 44), (0, 44)], 128)


def stands(solids, bodies, recipes, gap, tolerance=0.05, samples=1200 if IS_THOROUGH else 120) -> np.ndarray:
    """Means by region of a picture of things that stand a gap above a floor, (3, 3, 3)."""
    lifted = [moved(solid, (0, gap, 0)) for solid in solids]
    made = resolve_contact([*lifted, floor()], [*bodies, None], tolerance)
    above = Camera(position=(40, 130, 260), target=(0, 18, 0), focal_length=100)
    seen = take(made, [*recipes, GROUND], make_lights(plain_room(1400, 200)), above, size=(48, 48), samples=samples)
    return seen.reshape(3, 16, 3, 16, 3).mean(axis=(1, 3))


@pytest.mark.parametrize(
    ("solids", "bodies", "recipes"),
    [
        ([BLOCK], [SOLID], [GLASS]),
        pytest.param([TUMBLER], [SOLID], [GLASS], marks=LONG),
        pytest.param([TUMBLER, FILL], [SOLID, LIQUID], [GLASS, INK], marks=LONG),
        pytest.param([BLOCK], [Body(5, False, False)], [WAX], marks=LONG),
        pytest.param([TUMBLER, FILL], [None, LIQUID], [GROUND, INK], marks=LONG),
        pytest.param([BLOCK], [Body(0, False, False)], [GLASS.with_(geometry_thin_walled=True)], marks=LONG),
        pytest.param([BLOCK], [Body(0, False, False)], [GROUND.with_(geometry_opacity=0.5)], marks=LONG),
    ],
    ids=["block", "tumbler", "filled tumbler", "wax", "opaque cup", "panes", "holes"],
)
def test_what_stands_on_the_floor_looks_as_a_hair_above_it(solids, bodies, recipes, figure):
    """With a tenth of a millimetre of air below it no face lies in another; with none it must be the same picture. Half
    a millimetre lifts it in the picture, too: an edge of ink moves by a sixth of a pixel, 2 percent of its region."""
    free = stands(solids, bodies, recipes, 0.1)
    for gap in (0.0, 1e-6, 0.01) if IS_THOROUGH else (0.0, 0.01):
        standing = stands(solids, bodies, recipes, gap)
        figure(standing, free)
        assert standing == pytest.approx(free, rel=0.01 if IS_THOROUGH else 0.015)
    if IS_THOROUGH:
        assert stands(solids, bodies, recipes, 0.5) == pytest.approx(free, rel=0.025)


@pytest.mark.long
def test_what_stands_on_the_floor_does_so_without_a_tolerance_and_at_any_size():
    """Faces at one place are no contact anyone could have meant, whatever the tolerance, from 1 mm to 3 m."""
    for size in (1 / 60, 1.0, 50.0):
        block = Mesh(BLOCK.vertices * np.float32(size), BLOCK.triangles, BLOCK.normals)
        ground = Mesh(floor().vertices * np.float32(size), floor().triangles, floor().normals)
        above = Camera(position=(40 * size, 130 * size, 260 * size), target=(0, 18 * size, 0), focal_length=100)
        seen = []
        for gap in (0.0, 0.008 * size):
            made = resolve_contact([moved(block, (0, gap, 0)), ground], [SOLID, None], 0.0)
            lights = make_lights(plain_room(1400, 200))
            seen.append(take(made, [GLASS, GROUND], lights, above, size=(32, 32), samples=120).mean())
        assert seen[0] == pytest.approx(seen[1], rel=0.02), size


def glowing(**fields) -> Recipe:
    return Recipe(base_color=(0, 0, 0), specular_weight=0.0, emission_luminance=500.0, **fields)


def test_the_number_on_a_glow_is_the_luminance_of_its_light(figure):
    """CIE Y of what is seen, in units of 1000 cd/m2, whatever the colour; weights of IEC 61966-2-1."""
    for color in ((1.0, 1.0, 1.0), (1.0, 0.42, 0.1), (0.0, 0.0, 0.7), (0.02, 0.3, 0.02)):
        seen = middle(take([ball()], [glowing(emission_color=color)], make_lights(EVEN * 0), AHEAD, size=(24, 24)))
        figure(seen @ (0.2126, 0.7152, 0.0722), 0.5)
        assert seen @ (0.2126, 0.7152, 0.0722) == pytest.approx(0.5, rel=0.002)
        assert seen / seen.max() == pytest.approx(np.array(color) / max(color), abs=1e-3)


def test_a_glow_comes_through_its_coat_as_the_standard_says(figure):
    """OpenPBR Surface 1.1, MaterialX graph: the coat's colour times what its boundary passes, 1 - F (Born and Wolf
    1.5: 0.04 at an index of 1.5, straight on). Fuzz, which lies over that, takes some more."""
    tint = np.array([0.6, 0.3, 0.15])
    coated = glowing(coat_weight=1.0, coat_color=tuple(tint), coat_ior=1.5, coat_roughness=0.0)
    dark = make_lights(EVEN * 0)
    seen = middle(take([ball()], [coated], dark, AHEAD, size=(48, 48), samples=16))
    figure(seen, 0.5 * tint * 0.96)
    assert seen == pytest.approx(0.5 * tint * 0.96, rel=0.03)
    half = middle(take([ball()], [coated.with_(coat_weight=0.5)], dark, AHEAD, size=(48, 48), samples=16))
    assert half == pytest.approx(0.25 + seen / 2, rel=0.02)
    fuzzy = middle(take([ball()], [coated.with_(fuzz_weight=1.0)], dark, AHEAD, size=(48, 48), samples=16))
    assert (fuzzy < seen).all() and (fuzzy > 0.3 * seen).all()


def test_a_solid_checker_is_one_of_cubes():
    """Through a part it changes from one cube to the next along every axis alike; laid flat it has no depth."""
    from mat_shelf.document.pattern import Pattern, Placement
    from mat_shelf.patterns.evaluation import evaluate
    from mat_shelf.patterns.points import flat_points
    from mat_shelf.patterns.sources.plain import Checker

    for projection, axes in (("solid", 3), ("planar", 2)):
        made = Pattern(
            id="p", name="P", steps=(Checker(),), placement=Placement(projection=projection, axis="z", size=1.0)
        )
        changed = []
        for axis in range(3):
            values = []
            for place in (0.4, 1.4, 2.4):
                points = flat_points(10.0, 1, 1)
                points.position[:] = 0.4
                points.position[:, axis] = place
                values.append(float(evaluate(made, points)[0]))
            changed.append(values[0] == values[2] != values[1])
        assert sum(changed) == axes
