"""Patterns against outside truth: geometry, statistics, other libraries."""

import json
import math

import numpy as np
import pytest
from hypothesis import assume, example, given, settings
from hypothesis import strategies as st
from PIL import Image
from pydantic import ValidationError
from scipy.spatial import cKDTree

from mat_shelf.document.material import Material
from mat_shelf.document.parameter import explain
from mat_shelf.document.pattern import MOST_ASKED, Feed, Pattern, Placement, Relief
from mat_shelf.document.product import Part, Product
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.set import Set
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.geometry.mesh import checked
from mat_shelf.geometry.pose import turn_matrix
from mat_shelf.patterns.evaluation import evaluate, is_colored
from mat_shelf.patterns.points import Points, flat_points, part_frames
from mat_shelf.patterns.ready import READY, SOURCE_STARTS, thumbnail_file
from mat_shelf.patterns.sources import (
    SOURCES,
    Cells,
    Checker,
    EachPart,
    Gradient,
    Grain,
    Noise,
    Scratches,
    Speckle,
    Weave,
)
from mat_shelf.patterns.sources.painted import Painted
from mat_shelf.patterns.step import PatternContext
from mat_shelf.patterns.steps import (
    STEPS,
    Combine,
    Curve,
    Invert,
    Levels,
    Ramp,
    Soften,
    Steepness,
    Threshold,
    Tint,
    Warp,
)
from mat_shelf.patterns.thumbnail import thumbnail
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.rendering.first_hit import find_first_hits, pixel_rays
from mat_shelf.rendering.pattern_preview import pattern_preview
from mat_shelf.scene.material_evaluation import bent_normals, fed_value


def pattern(*steps, name="p", **placement):
    return Pattern(id=name, name=name.capitalize(), steps=steps, placement=Placement(**placement))


def context(*patterns):
    return PatternContext({p.id: p for p in patterns})


def on_surface(position, normal, mesh=None, uv=None):
    """Points of one part in its own frame; `mesh` gives its size."""
    position, normal = np.asarray(position, np.float32), np.asarray(normal, np.float32)
    frames = part_frames([mesh], [(np.eye(3), np.zeros(3), 1.0)], [7])
    return Points(position, normal, np.zeros(len(position), np.int32), frames, uv)


def cylinder(radius=20.0, height=30.0):
    """A mesh whose corners bound a cylinder about y."""
    t = np.linspace(0, 2 * np.pi, 257)[:-1]
    ring = np.stack([radius * np.cos(t), np.zeros_like(t), radius * np.sin(t)], axis=1)
    points = np.concatenate([ring - (0, height / 2, 0), ring + (0, height / 2, 0)])
    k = np.arange(256)
    faces = np.stack([k, (k + 1) % 256, k + 256], axis=1)
    return checked(points, faces)


def test_noise_has_the_range_mean_and_spectrum_of_fractal_noise():
    source = Noise(octaves=8, gain=0.5)
    values = evaluate(pattern(source, size=1.0), flat_points(64.0, 2048, 256)).reshape(256, 2048)
    assert values.min() >= 0 and values.max() <= 1
    assert values.mean() == pytest.approx(0.5, abs=0.02)
    assert values.std() == pytest.approx(1 / 6, abs=0.03)
    power = (np.abs(np.fft.rfft(values - values.mean(), axis=1)) ** 2).mean(0)
    cycles = np.arange(len(power)) / 64.0
    inside = (cycles > 1.5) & (cycles < 12)
    slope = np.polyfit(np.log(cycles[inside]), np.log(power[inside]), 1)[0]
    # Musgrave, Texturing and Modeling, ch. 16: a gain of 2^-H gives a spectrum of 1 / f^(2H + 1) along a line.
    assert slope == pytest.approx(-3, abs=0.5)


@pytest.mark.parametrize("deep", [False, True])
def test_cells_are_distances_to_the_nearest_centres(deep):
    placement = {"projection": "solid" if deep else "planar", "axis": "z", "size": 1.0}
    frame = checked([[-9, -9, -9], [9, 9, 9], [9, -9, 9]], [[0, 1, 2]])
    rng = np.random.default_rng(3)
    points = rng.uniform(-4, 4, (20000, 3)) * (1, 1, 1 if deep else 0)
    first, second = (pattern(Cells(shown=shown), name=shown, **placement) for shown in ("centres", "second"))

    def at(where, of):
        return evaluate(of, on_surface(where, np.tile([0, 0, 1.0], (len(where), 1)), frame)).astype(np.float64)

    # A step down the slope of a distance, as long as the distance, ends on the centre.
    distance, step = at(points, first), 1e-3
    axes = np.eye(3)[: 3 if deep else 2]
    slope = np.stack([(at(points + step * a, first) - at(points - step * a, first)) / (2 * step) for a in axes], axis=1)
    fair = np.abs(np.linalg.norm(slope, axis=1) - 1) < 0.02
    assert fair.mean() > 0.95
    ends = points[fair][:, : len(axes)] - distance[fair, None] * slope[fair]
    tree = cKDTree(ends)
    groups = np.array([ends[tree.query_ball_point(end, 0.05)].mean(0) for end in ends[:6000]])
    centres = groups[np.unique(np.round(groups / 0.04).astype(int), axis=0, return_index=True)[1]]
    keep = []
    for k, centre in enumerate(centres):
        if not keep or np.linalg.norm(centres[keep] - centre, axis=1).min() > 0.1:
            keep.append(k)
    centres = centres[keep]
    inner = np.abs(points[:, : len(axes)]).max(1) < 2
    expected = cKDTree(centres).query(points[inner][:, : len(axes)], k=2)[0]
    assert np.abs(at(points[inner], first) - expected[:, 0]).mean() < 0.01
    assert np.abs(at(points[inner], second) - expected[:, 1]).mean() < 0.02


@pytest.mark.parametrize("source", [Noise(repeat=4, octaves=5), Cells(repeat=4), Speckle(repeat=4)])
def test_what_repeats_does_so_exactly(source):
    made = pattern(source, size=1.0, projection="planar", axis="z")
    points = flat_points(4.0, 64, 64)
    further = flat_points(4.0, 64, 64)
    further.position = points.position + np.float32([4, 8, 0])
    assert evaluate(made, further) == pytest.approx(evaluate(made, points), abs=1e-4)


@pytest.mark.parametrize("projection", ["uv", "box", "cylinder"])
def test_a_checker_of_2_mm_measures_2_mm_on_a_cylinder(projection):
    radius, mesh = 20.0, cylinder()
    made = pattern(Checker(), size=2.0, projection=projection, blend=0.0)
    heights = np.linspace(-14.9, 14.9, 60001)
    up = np.stack([np.zeros_like(heights), heights, np.full_like(heights, radius)], axis=1)
    around = np.linspace(-0.5, 0.5, 60001) if projection != "box" else np.linspace(-0.02, 0.02, 60001) * 5
    sides = np.stack([np.sin(around), np.zeros_like(around), np.cos(around)], axis=1)
    ring = sides * radius
    coordinates = {
        "up": np.stack([np.zeros_like(heights), heights], axis=1),
        "round": np.stack([around * radius, np.zeros_like(around)], axis=1),
    }
    for name, where, normal in (("up", up, np.tile([0, 0, 1.0], (60001, 1))), ("round", ring, sides)):
        values = evaluate(made, on_surface(where, normal, mesh, coordinates[name].astype(np.float32)))
        places = np.flatnonzero(np.diff(values))
        along = heights if name == "up" else around * radius
        lengths = np.diff(along[places])
        assert lengths == pytest.approx(2.0, abs=0.011), name


def test_the_seam_of_a_cylinder_is_blended_away():
    mesh = cylinder()
    angles = np.pi + np.array([-1e-4, 1e-4])
    heights = np.linspace(-10, 10, 400)
    jumps = {}
    for blend in (0.0, 0.3):
        made = pattern(Grain(length=20), size=1.0, projection="cylinder", blend=blend)
        sides = []
        for angle in angles:
            out = np.tile([np.sin(angle), 0, np.cos(angle)], (400, 1))
            where = out * 20
            where[:, 1] = heights
            sides.append(evaluate(made, on_surface(where, out, mesh)))
        jumps[blend] = np.abs(sides[0] - sides[1]).mean()
    assert jumps[0.0] > 0.1 and jumps[0.3] < 0.01


def test_patterns_stay_on_a_part_that_moves():
    mesh = cylinder()
    made = pattern(Noise(), size=5.0)
    rng = np.random.default_rng(1)
    local = rng.normal(size=(500, 3)) * 8
    turn, shift = turn_matrix((20, 50, -10)), np.array([40.0, -3, 9])
    frames = part_frames([mesh], [(turn, shift, 1.0)], [7])
    moved = Points(
        (local @ turn.T + shift).astype(np.float32), np.zeros((500, 3), np.float32), np.zeros(500, np.int32), frames
    )
    still = on_surface(local, np.zeros((500, 3)), mesh)
    assert evaluate(made, moved) == pytest.approx(evaluate(made, still), abs=2e-4)


def test_shuffled_parts_show_other_pieces():
    mesh = cylinder()
    frames = part_frames([mesh, mesh], [(np.eye(3), np.zeros(3), 1.0)] * 2, [7, 8])
    position = np.random.default_rng(1).normal(size=(300, 3)).astype(np.float32) * 8
    for shuffle, differs in ((0.0, False), (1.0, True)):
        made = pattern(Noise(), size=5.0, shuffle=shuffle)
        one, other = (
            evaluate(made, Points(position, position, np.full(300, part, np.int32), frames)) for part in (0, 1)
        )
        assert (np.abs(one - other).mean() > 0.1) == differs


def test_bump_tilts_normals_as_a_displaced_sphere_does():
    radius, height = 20.0, 0.6
    made = pattern(Noise(octaves=2), size=9.0)
    rng = np.random.default_rng(2)
    n = rng.normal(size=(4000, 3))
    n /= np.linalg.norm(n, axis=1, keepdims=True)
    mesh = checked(radius * n[:3], [[0, 1, 2]])
    frames = part_frames([mesh], [(np.eye(3), np.zeros(3), 1.0)], [1])

    def displaced(directions):
        points = Points(
            (radius * directions).astype(np.float32), directions.astype(np.float32), np.zeros(4000, np.int32), frames
        )
        return directions * (radius + height * evaluate(made, points).astype(np.float64))[:, None]

    a = np.cross(n, [0.3, 0.5, 0.8])
    a /= np.linalg.norm(a, axis=1, keepdims=True)
    b, step = np.cross(n, a), 2e-3

    def toward(direction, way):
        moved = n + way * step * direction
        return displaced(moved / np.linalg.norm(moved, axis=1, keepdims=True))

    true = np.cross(toward(a, 1) - toward(a, -1), toward(b, 1) - toward(b, -1))
    true /= np.linalg.norm(true, axis=1, keepdims=True)
    points = Points((radius * n).astype(np.float32), n.astype(np.float32), np.zeros(4000, np.int32), frames)
    ours = bent_normals((Relief(id="r", pattern="p", height=height),), points, context(made))
    degrees = np.degrees(np.arccos(np.clip((ours * true).sum(1), -1, 1)))
    tilt = np.degrees(np.arccos(np.clip((n * true).sum(1), -1, 1)))
    assert tilt.mean() > 2 and degrees.mean() < 0.25


def plate(recipe, surround=1000.0):
    """A plate of 40 mm seen square on from far above, in an even room."""
    assets = Assets()
    mesh = checked([[-20, 0, 20], [20, 0, 20], [20, 0, -20], [-20, 0, -20]], [[0, 1, 2], [0, 2, 3]])
    part = Part(id="plate", name="Plate", mesh=assets.add(NamedMesh("plate", mesh)), material="m")
    from mat_shelf.document.camera import Camera, View

    camera = Camera(position=(0, 400, 0.01), target=(0, 0, 0), focal_length=240)
    project = Project(
        name="Plate",
        product=Product(name="Plate", parts=(part,)),
        materials=(Material(id="m", name="M", recipe=recipe),),
        sets=(Set(id="s", name="S", surround=surround, ground=surround, backdrop=None),),
        current_set="s",
        views=(View(id="final", name="Final", camera=camera),),
    )
    return project, assets


def test_relief_finer_than_a_pixel_loses_no_light():
    """An even room looks the same in a white mirror however it is dented: what is lost shows as black speckle."""
    made = pattern(Noise(octaves=1), size=0.05)
    mirror = {"base_color": (1.0, 1.0, 1.0), "base_metalness": 1.0, "specular_roughness": 0.02}
    for height in (0.002, 0.006):  # mean slopes of about 0.06 and 0.18
        recipe = Recipe(**mirror, patterns=(made,), relief=(Relief(id="r", pattern="p", height=height),))
        project, assets = plate(recipe)
        light = render_picture(project, assets, 48, 32, 64, denoise=False).light[10:22, 16:32]
        assert light.mean() == pytest.approx(1.0, abs=0.02)
        assert light.min() > 0.9


def test_the_renderer_sees_what_the_evaluator_says():
    made = pattern(Checker(), size=7.0, projection="planar", axis="y")
    project, assets = plate(Recipe(patterns=(made,)))
    alone = pattern_preview(project, "m", project.material("m").recipe, made)
    rendered = render_picture(alone, assets, 96, 64, 1, denoise=False)
    first_hits = find_first_hits(project, rendered.task.geometry, project.view.camera, 96, 64)
    _, directions, cosines = pixel_rays(rendered.task.view, 96, 64)
    distance = np.where(np.isfinite(first_hits.depth), first_hits.depth, 0).reshape(-1) / cosines
    places = np.array(rendered.task.view.position) + directions * distance[:, None]
    on = (first_hits.part.reshape(-1) >= 0) & (np.abs(places[:, [0, 2]] % 7 - 3.5).max(1) < 3)  # clear of the borders
    up = np.tile(np.float32([0, 1, 0]), (on.sum(), 1))
    where = Points(places[on].astype(np.float32), up, np.zeros(on.sum(), np.int32), rendered.task.geometry.frames)
    expected = evaluate(made, where) ** 2.2 * 0.75  # a display's decoding, on a film whose white is 0.75
    assert on.sum() > 1000
    assert rendered.light.reshape(-1, 3)[on, 1] == pytest.approx(expected, abs=0.01)


def test_feeds_keep_their_range_amount_and_the_inputs_limits():
    ramp = pattern(Gradient(), size=10.0, name="ramp")
    points = flat_points(10.0, 100, 1)
    recipe = Recipe(specular_roughness=0.5, patterns=(ramp,))

    def fed(**feed):
        return fed_value(recipe, Feed(input="specular_roughness", pattern="ramp", **feed), points, context(ramp))

    assert fed(low=0.2, high=0.4)[[0, -1]] == pytest.approx([0.201, 0.399], abs=1e-3)
    assert fed(low=0.2, high=0.4, amount=0.5)[[0, -1]] == pytest.approx([0.3505, 0.4495], abs=1e-3)
    assert fed(low=-3.0, high=7.0).min() == 0 and fed(low=-3.0, high=7.0).max() == 1
    color = fed_value(
        recipe, Feed(input="base_color", pattern="ramp", low=(0, 0, 0), high=(1.0, 0.5, 0)), points, context(ramp)
    )
    assert color.shape == (100, 3) and color[-1] == pytest.approx([0.995, 0.4975, 0], abs=1e-3)


def test_steps_do_what_their_names_say():
    ramp = Gradient()
    points = flat_points(10.0, 200, 1)

    def after(*steps, others=()):
        made = pattern(ramp, *steps, size=10.0)
        return evaluate(made, points, context(made, *others))

    x = after()
    assert after(Invert()) == pytest.approx(1 - x)
    assert after(Levels(black=0.25, white=0.75)) == pytest.approx(np.clip(2 * x - 0.5, 0, 1), abs=1e-5)
    assert after(Curve()) == pytest.approx(x, abs=2e-3)
    assert after(Threshold(edge=0.5, softness=0)).mean() == pytest.approx(0.5, abs=0.01)
    assert set(np.unique(after(Threshold(softness=0)))) == {0, 1}
    colors = after(Ramp(stops=((0.0, (0.0, 0.0, 0.0)), (1.0, (1.0, 0.5, 0.25)))))
    assert colors == pytest.approx(x[:, None] * [1, 0.5, 0.25], abs=1e-5)
    gray = after(Ramp(), Tint(saturation=0.0))
    assert np.ptp(gray, axis=1).max() < 1e-5
    half = pattern(ramp, Levels(low=0.5, high=0.5), name="half", size=10.0)
    assert after(Combine(way="multiply", other="half"), others=(half,)) == pytest.approx(x / 2, abs=1e-5)
    assert after(Combine(way="add", other="half", mask="half"), others=(half,)) == pytest.approx(x + 0.25, abs=1e-5)
    # pulled by white: a shift of 1 mm, a tenth of this gradient
    white = pattern(ramp, Levels(low=1.0), name="white", size=10.0)
    assert after(Warp(other="white", amount=1.0), others=(white,))[:150] == pytest.approx(x[:150] + 0.1, abs=1e-4)
    assert after(Soften(radius=0.5))[50:150] == pytest.approx(x[50:150], abs=5e-3)  # a ramp's mean is its middle
    inside = after(Steepness(reach=0.1, amount=1.0))[50:150]
    assert inside == pytest.approx(0.25, abs=1e-3)  # white rises by 1 within a size


def test_softening_makes_a_slope_of_a_cliff():
    """Common practice: black and white art gives a cliff; blurred by a radius it climbs over about twice that."""
    made = pattern(Gradient(), Threshold(softness=0), Soften(radius=1.0), size=20.0)
    values = evaluate(made, flat_points(20.0, 2000, 1))
    x = np.linspace(0, 20, 2000)
    low, high = x[np.argmax(values > 0.1)], x[np.argmax(values > 0.9)]
    assert 0.7 < high - low < 2.2


BEGUN = [ready for ready in READY if not isinstance(ready.pattern.steps[0], Painted)]  # that one begins empty


@pytest.mark.parametrize("ready", BEGUN, ids=lambda ready: ready.pattern.id)
def test_ready_patterns_show_something_at_their_size(ready):
    source = ready.pattern.steps[0]
    if source.sample_shape != "flat":
        return
    points = flat_points(source.seen(ready.pattern.placement.size), 128, 128)
    values = evaluate(ready.pattern, points)
    assert np.isfinite(values).all() and values.std() > 0.01
    assert values.min() >= -0.01 and values.max() <= 1.5


def _fields(model):
    """Any accepted values of a step's fields."""
    made = {}
    for name, field in model.model_fields.items():
        bounds = [m for m in field.metadata if hasattr(m, "ge") or hasattr(m, "le")]
        if field.annotation in (int, float) and bounds:
            low, high = model.limits(name)
            numbers = st.integers if field.annotation is int else st.floats
            made[name] = numbers(low, high)
    return st.fixed_dictionaries(made).map(lambda values: model(**values))


@given(
    st.sampled_from(SOURCES).flatmap(_fields),
    st.lists(st.sampled_from(STEPS).flatmap(_fields), max_size=3),
    st.floats(0.001, 10_000),
    st.floats(0.01, 1000),
)
@settings(max_examples=40, deadline=None)
@example(Noise(octaves=8, gain=0.0, lacunarity=4.0), [Curve()], 0.001, 0.0625)  # beyond what an int32 holds
def test_no_value_breaks_a_pattern(source, steps, size, stretch):
    assume(math.prod(step.asks for step in steps) <= MOST_ASKED)
    made = pattern(source, *steps, size=size, stretch=stretch)
    values = evaluate(made, flat_points(20.0, 12, 12))
    assert values.shape[0] == 144 and np.isfinite(values).all()
    again = Pattern.model_validate_json(made.model_dump_json())
    assert again == made and [type(s) for s in again.steps] == [type(s) for s in made.steps]


def test_patterns_that_use_each_other_are_refused_with_their_path():
    one = pattern(Noise(), Combine(other="b"), name="a")
    two = pattern(Noise(), Warp(other="a"), name="b")
    with pytest.raises(ValidationError, match="A > B > A"):
        Recipe(patterns=(one, two))


def test_what_is_not_there_is_refused_by_name():
    made = pattern(Noise())
    for fields, words in (
        ({"feeds": (Feed(input="base_color", pattern="gone"),)}, "base_color.*gone"),
        ({"feeds": (Feed(input="nesting_priority", pattern="p"),)}, "not an input that takes a pattern"),
        ({"relief": (Relief(id="r", pattern="gone"),)}, "relief uses pattern 'gone'"),
        ({"patterns": (made, pattern(Noise(), Warp(other="gone"), name="q"))}, "'Q' uses pattern 'gone'"),
    ):
        with pytest.raises(ValidationError, match=words):
            Recipe(**({"patterns": (made,)} | fields))
    with pytest.raises(ValidationError, match="newer version"):
        Pattern.model_validate_json(json.dumps({"id": "p", "name": "P", "steps": [{"kind": "from the future"}]}))
    with pytest.raises(ValidationError, match="does not start with a source"):
        Pattern(id="p", name="P", steps=(Levels(),))


def test_throwing_a_pattern_out_ends_what_it_fed():
    made, user = pattern(Noise()), pattern(Noise(), Combine(other="p"), name="user")
    recipe = Recipe(
        patterns=(made,),
        feeds=(Feed(input="specular_roughness", pattern="p"),),
        relief=(Relief(id="r", pattern="p"),),
    )
    assert recipe.uses_of("p") == ["Specular roughness", "Relief"]
    assert recipe.without_pattern("p") == Recipe()
    with pytest.raises(ValueError, match="used by User"):
        recipe.with_pattern(user).without_pattern("p")


def test_variants_follow_in_single_patterns_and_feeds():
    wood, dust = pattern(Noise(), name="wood"), pattern(Speckle(), name="dust")
    parent = Recipe(patterns=(wood,), feeds=(Feed(input="base_color", pattern="wood", low=(0, 0, 0), high=(1, 1, 1)),))
    variant = Material(id="v", name="V", recipe=parent, parent="m").tuned(
        parent.with_pattern(dust).with_feed(Feed(input="specular_roughness", pattern="dust", low=0.1, high=0.3))
    )
    changed = parent.with_pattern(wood.with_(placement=Placement(size=33.0)))
    followed = variant.following(changed)
    assert followed.recipe.pattern("wood").placement.size == 33.0
    assert followed.recipe.feed("specular_roughness").pattern == "dust"
    assert followed.recipe.feed("base_color") == parent.feed("base_color")
    assert followed.following(changed) is followed
    # a parent that throws out what the variant's own feed needs does not take it from the variant
    own = followed.tuned(followed.recipe.with_feed(Feed(input="base_metalness", pattern="wood")))
    left = own.following(Recipe())
    assert left.recipe.feed("base_metalness").pattern == "wood" and "wood" in {p.id for p in left.recipe.patterns}
    back = own.given_back("base_metalness", changed)
    assert back.recipe.feed("base_metalness") is None


def test_colors_are_told_from_greys():
    assert not is_colored(pattern(Noise()), PatternContext())
    assert is_colored(pattern(Noise(), Ramp()), PatternContext())
    assert not is_colored(pattern(Noise(), Ramp().with_(is_on=False)), PatternContext())


@pytest.mark.parametrize("source", [Scratches(), Weave(), Grain()])
def test_the_slope_of_relief_does_not_hang_on_where_the_part_lies(source):
    """Heights are of the pattern, slopes of the surface: a part far from the origin must not get rougher."""
    made = pattern(source, **dict(source.usual))
    normals = np.tile(np.float32([0, 0, 1]), (3000, 1))
    flat = np.random.default_rng(5).uniform(-10, 10, (3000, 3)) * (1, 1, 0)
    mesh = checked([[-10, -10, 0], [10, -10, 0], [10, 10, 1]], [[0, 1, 2]])
    tilts = []
    for far in (0.0, 400.0):
        frames = part_frames([mesh], [(np.eye(3), np.full(3, far), 1.0)], [1])
        points = Points((flat + far).astype(np.float32), normals, np.zeros(3000, np.int32), frames)
        bent = bent_normals((Relief(id="r", pattern="p", height=0.01),), points, context(made))
        tilts.append(np.arccos(np.clip(bent[:, 2], -1, 1)).mean())
    assert tilts[1] == pytest.approx(tilts[0], rel=0.1)


def test_patterns_from_elsewhere_cannot_take_for_ever_or_fall_over():
    """Each step that looks about it multiplies the work, and each use of another pattern deepens the stack."""
    slow = {"id": "p", "name": "P", "steps": [{"kind": "noise"}, *[{"kind": "soften"}] * 3]}
    with pytest.raises(ValidationError, match="too long with Blur, Blur, Blur"):
        Pattern.model_validate_json(json.dumps(slow))
    Pattern.model_validate_json(json.dumps(slow | {"steps": slow["steps"][:3]}))
    chain = [pattern(Noise(), name="p0")]
    for k in range(1, 70):
        chain.append(pattern(Noise(), Combine(other=f"p{k - 1}"), name=f"p{k}"))
    with pytest.raises(ValidationError, match="stands on more than 120 steps"):
        Recipe(patterns=tuple(chain))
    deepest = tuple(chain[:60])
    assert np.isfinite(evaluate(deepest[-1], flat_points(10.0, 4, 4), context(*deepest))).all()
    with pytest.raises(ValidationError) as fault:
        Pattern.model_validate_json(json.dumps({"id": "p", "name": "P", "steps": [{"kind": "noise", "octaves": 99}]}))
    assert "step 'Noise', octaves" in explain(fault.value) and "\n" not in explain(fault.value)
    made = pattern(Noise())
    for name, low, high in (("specular_roughness", (0, 0, 0), (1, 1, 1)), ("base_color", 0.0, 1.0)):
        with pytest.raises(ValidationError, match="range that feeds"):
            Recipe(patterns=(made,), feeds=(Feed(input=name, pattern="p", low=low, high=high),))


def test_each_part_has_a_value_of_its_own():
    mesh = cylinder()
    frames = part_frames([mesh] * 50, [(np.eye(3), np.zeros(3), 1.0)] * 50, range(50))
    part = np.repeat(np.arange(50, dtype=np.int32), 3)
    zeros = np.zeros((150, 3), np.float32)
    values = evaluate(pattern(EachPart()), Points(zeros, zeros, part, frames)).reshape(50, 3)
    assert (np.ptp(values, axis=1) == 0).all() and len(np.unique(values)) == 50
    assert 0.3 < values.mean() < 0.7 and 0 <= values.min() <= values.max() < 1


@pytest.mark.long
def test_shipped_thumbnails_show_what_their_patterns_are():
    """Drawn anew, they differ by no more than the 128 colours that the files have."""
    for ready in (*READY, *SOURCE_STARTS):
        with Image.open(thumbnail_file(ready)) as file:
            shipped = np.asarray(file.convert("RGB"), float)
        rows, columns = shipped.shape[:2]
        fresh = thumbnail(ready.pattern, PatternContext(), columns, rows).astype(float)
        assert np.abs(shipped - fresh).mean() < 4, ready.pattern.name
