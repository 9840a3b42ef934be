"""Compiled programs against an evaluation in NumPy, and what must hold of them whatever they compute."""

import re

import numpy as np
import pattern_oracle
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from mat_shelf.document.pattern import Pattern, Placement, Relief
from mat_shelf.document.recipe import Recipe
from mat_shelf.geometry.pose import turn_matrix
from mat_shelf.geometry.solids import box
from mat_shelf.patterns.evaluation import evaluate
from mat_shelf.patterns.interpreter import MOST_LOOPS
from mat_shelf.patterns.linking import check_program
from mat_shelf.patterns.points import Points, part_frames
from mat_shelf.patterns.program import Builder
from mat_shelf.patterns.sources import SOURCES, Constant, EachPart, Facing, Gradient, Height, Noise, Slope
from mat_shelf.patterns.step import PatternContext
from mat_shelf.patterns.steps import (
    Combine,
    Contrast,
    Curve,
    Invert,
    Levels,
    Lines,
    Quantise,
    Ramp,
    Sharpen,
    Soften,
    Steepness,
    Threshold,
    Tint,
    Warp,
)
from mat_shelf.scene.material_evaluation import bent_normals

COUNT = 157
"""Points: one packet, and a second one that is neither full nor a multiple of anything."""


def some_points(count=COUNT) -> Points:
    """Points all about two parts that are turned and shifted."""
    rng = np.random.default_rng(5)
    normal = rng.normal(size=(count, 3))
    normal /= np.linalg.norm(normal, axis=1, keepdims=True)
    mesh = box((30, 20, 12), 1)
    poses = [(turn_matrix((20, 40, -30)), np.array([3.0, -2, 5]), 1.0), (np.eye(3), np.array([40.0, 0, 0]), 1.0)]
    part = rng.integers(0, 2, count).astype(np.int32)
    position = 14 * normal + np.where(part, 40, 0)[:, None] * (1, 0, 0)
    uv = rng.random((count, 2))
    columns = (np.ascontiguousarray(column, np.float32) for column in (position, normal, uv, normal[:, 2]))
    position, normal, uv, cosine = columns
    return Points(position, normal, part, part_frames([mesh, mesh], poses, [7, 9]), uv, cosine=cosine)


def number(low, high):
    return st.floats(low, high).map(lambda x: round(x, 4))


def color():
    return st.tuples(*[number(0, 1)] * 3)


def placements():
    return st.builds(
        Placement,
        projection=st.sampled_from(["solid", "uv", "whole uv", "planar", "box", "cylinder", "sphere"]),
        axis=st.sampled_from("xyz"),
        size=number(4, 30),
        stretch=number(0.5, 4),
        turn=number(-180, 180),
        shift=st.tuples(number(-5, 5), number(-5, 5)),
        seam=number(-180, 180),
        blend=number(0.05, 1),
        over=st.sampled_from(["part", "product"]),
    )


def sources():
    smooth = st.sampled_from(["smooth", "billowed", "blotchy"])
    return st.one_of(
        st.builds(Noise, octaves=st.integers(1, 3), character=smooth, seed=st.integers(0, 99)),
        st.builds(Constant, value=number(0, 1)),
        st.builds(Gradient, shape=st.sampled_from(["linear", "radial", "spherical"]), ends=st.just("hold")),
        st.builds(Height, axis=st.sampled_from("xyz"), over=st.sampled_from(["part", "product"])),
        st.builds(Slope, axis=st.sampled_from("xyz"), is_reversed=st.booleans()),
        st.builds(EachPart, seed=st.integers(0, 99)),
        st.just(Facing()),
    )


def steps(others):
    """Any kind of step; with moderate slopes, so that rounding is not made larger than it is."""
    other = st.sampled_from([*others, None])
    ways = st.sampled_from(["multiply", "add", "subtract", "screen", "overlay", "lighter", "darker", "difference"])
    return st.one_of(
        st.builds(Levels, black=number(-0.5, 0.3), white=number(0.7, 1.5), grey=number(0.7, 1.4)),
        st.builds(Curve, nodes=st.tuples(st.just(0.0), number(0.2, 0.8), number(0.5, 1)).map(_nodes)),
        st.builds(
            Ramp, stops=st.tuples(color(), color(), color()).map(lambda c: tuple(zip((0.0, 0.4, 1.0), c, strict=True)))
        ),
        st.builds(Contrast, contrast=number(0.3, 2), lift=number(0.3, 0.6), gamma=number(0.7, 1.4)),
        st.builds(Tint, hue=number(-180, 180), saturation=number(0, 2), lightness=number(0.2, 1.5)),
        st.builds(Threshold, edge=number(0.2, 0.8), softness=number(0.3, 1)),
        st.builds(Lines, at_value=number(0.2, 0.8), width=number(0.2, 0.5)),
        st.just(Invert()),
        st.builds(Combine, way=ways, other=other, mask=other, amount=number(0, 1)),
        st.builds(Warp, other=other, amount=number(0, 3)),
        st.builds(Soften, radius=number(0.2, 2)),
        st.builds(Sharpen, radius=number(0.5, 2), amount=number(0, 1)),
        st.builds(Steepness, reach=number(1, 3), amount=number(0.2, 1)),
        st.just(Invert(is_on=False)),
    )


def _nodes(values):
    low, at, high = values
    return ((0.0, low), (at, 0.4), (1.0, high))


@st.composite
def recipes_of_patterns(draw):
    """Up to three patterns, each of which may use those before it."""
    made = []
    for name in ("a", "b", "c")[: draw(st.integers(1, 3))]:
        given_steps = draw(st.lists(steps([p.id for p in made]), max_size=4))
        asked = [step for step in given_steps if step.is_on and step.asks > 1]
        while np.prod([step.asks for step in asked]) > 300:
            given_steps.remove(asked.pop())
        made.append(Pattern(id=name, name=name, steps=(draw(sources()), *given_steps), placement=draw(placements())))
    return made


@settings(max_examples=25, deadline=None, suppress_health_check=list(HealthCheck))
@given(recipes_of_patterns())
def test_random_programs_give_what_numpy_gives(made):
    points, patterns = some_points(), {pattern.id: pattern for pattern in made}
    expected = pattern_oracle.evaluate(made[-1], points, patterns)
    found = evaluate(made[-1], points, PatternContext(patterns))
    assert found.shape == expected.shape
    # Coordinates are of float32, on which noise rises by up to ten, and what follows may make that steeper; a placement
    # rounds some four times on the way there.
    nudged = some_points()
    nudged.position[:] = np.nextafter(nudged.position, np.float32(np.inf))
    rounding = np.abs(pattern_oracle.evaluate(made[-1], nudged, patterns) - expected).max()
    assert np.abs(found - expected).max() < max(5e-5, 4 * rounding)


def test_posterised_tones_are_those_that_numpy_gives():
    """By itself: where a tone begins, rounding decides."""
    made = Pattern(id="a", name="A", steps=(Noise(octaves=2), Quantise(tones=5)), placement=Placement(size=9))
    points = some_points(4000)
    differ = evaluate(made, points) != pattern_oracle.evaluate(made, points, {}).astype(np.float32)
    assert differ.mean() < 1e-3


@pytest.mark.parametrize("step", SOURCES, ids=lambda step: step.__name__)
def test_values_do_not_depend_on_how_points_are_split(step):
    """Alone, in the middle of a packet or at its end: the same bits, whatever the source."""
    made = Pattern(id="a", name="A", steps=(step(), Soften(radius=0.3)), placement=Placement(size=3, projection="box"))
    bent = Pattern(id="b", name="B", steps=(step(),), placement=Placement(size=3, projection="cylinder", blend=0.5))
    points = some_points(300)
    context = PatternContext({"a": made, "b": bent})
    relief = (Relief(id="r", pattern="b", height=0.05),)
    whole, normals = evaluate(made, points, context), bent_normals(relief, points, context)
    for some in (np.array([7]), np.arange(100, 133), np.arange(299, 40, -1), np.arange(0, 300, 3)):
        assert (evaluate(made, points.take(some), context) == whole[some]).all()
        assert (bent_normals(relief, points.take(some), context) == normals[some]).all()


@given(recipes_of_patterns())
@settings(max_examples=25, deadline=None, suppress_health_check=list(HealthCheck))
def test_no_instruction_reaches_beyond_its_arrays(made):
    code = Builder(PatternContext({pattern.id: pattern for pattern in made}))
    code.pattern(made[-1])
    check_program(code.finish())


def test_a_pattern_that_is_used_twice_is_found_once():
    base = Pattern(id="a", name="A", steps=(Noise(),))
    both = Pattern(id="b", name="B", steps=(Noise(seed=2), Combine(other="a", mask="a"), Warp(other="a")))
    code = Builder(PatternContext({"a": base, "b": both}))
    first, second = code.pattern(base), code.pattern(base)
    before = code.place
    assert first == second and code.pattern(base) == first and code.place == before
    code.pattern(both)
    assert sum(line[0] == 0 for line in code.finish().code) == 2  # points are laid out once for each pattern


def test_steps_that_look_about_lie_in_each_other_as_deep_as_allowed():
    steep = [Steepness(reach=2.0, amount=0.5)] * MOST_LOOPS
    made = Pattern(id="a", name="A", steps=(Noise(octaves=1), *steep), placement=Placement(size=9))
    points = some_points()
    expected = pattern_oracle.evaluate(made, points, {})
    assert np.abs(evaluate(made, points) - expected).max() < 1e-3
    with pytest.raises(ValueError, match="too long"):
        Pattern(id="a", name="A", steps=(Noise(), *steep, Steepness()))


def test_a_new_step_compiles_itself_alone():
    """The integrator's kernels do not depend on any step."""
    from mat_shelf.numerics import kernels

    for module in ("rendering.passes", "scene.dressing", "patterns.interpreter"):
        waiting, reached = [f"mat_shelf.{module}"], set()
        while waiting:
            for name in kernels._imports(waiting.pop()):
                if name not in reached:
                    reached.add(name)
                    waiting.append(name)
        steps = [n for n in reached if re.search(r"patterns\.(sources|steps)", n)]
        compiled = [n for n in steps if kernels._compiled_part(kernels._source(n)) == kernels._source(n)]
        assert not compiled, module


def test_recipes_without_patterns_have_no_program():
    from mat_shelf.scene.recipe_program import recipe_program

    assert recipe_program(Recipe(), PatternContext()) is None
