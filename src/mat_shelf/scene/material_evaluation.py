"""Recipes at arrays of points: fed inputs, bent normals, coverage of overlays; for bakes and measurements.

Hits of the renderer run the same programs (`scene.dressing`).
"""

from functools import partial

import numpy as np

from mat_shelf.document.pattern import Feed, Relief
from mat_shelf.document.recipe import Recipe
from mat_shelf.patterns.evaluation import evaluate_values, run_over, surroundings_of
from mat_shelf.patterns.points import Points
from mat_shelf.patterns.program import Builder
from mat_shelf.patterns.step import NO_CONTEXT, PatternContext, Value
from mat_shelf.scene.recipe_program import OverlayBinding, write_coverage, write_feed, write_relief


def fed_value(recipe: Recipe, feed: Feed, points: Points, context: PatternContext) -> np.ndarray:
    """One fed input at some points, (N,) or (N, 3) float32, within the input's limits.

    Parameters
    ----------
    recipe : Recipe
        Recipe of the material.
    feed : Feed
        The feed.
    points : Points
        Points on parts.
    context : PatternContext
        Other patterns and images that it refers to.

    Returns
    -------
    (N,) or (N, 3) float32
    """
    return evaluate_values(lambda code: (write_feed(code, recipe, feed),), points, context)[0]


def bent_normals(relief: tuple[Relief, ...], points: Points, context: PatternContext) -> np.ndarray:
    """Shading normals of a surface with relief, (N, 3) float32, unit length, of the world.

    Parameters
    ----------
    relief : tuple of Relief
        Rows of relief.
    points : Points
        Points on parts.
    context : PatternContext
        Other patterns and images that it refers to.

    Returns
    -------
    (N, 3) float32
    """
    code = Builder(context, surroundings_of(points))
    write_relief(code, relief)
    return run_over(code.finish(), points, 1)[1]


def coverage(overlays: tuple[OverlayBinding, ...], points: Points) -> np.ndarray:
    """Coverage of each overlay at some points, before those above hide it, (K, N) float32 in [0, 1].

    Parameters
    ----------
    overlays : tuple of OverlayBinding
        Visible overlays, the lowest first.
    points : Points
        Points on parts.

    Returns
    -------
    (K, N) float32
    """
    if not overlays:
        return np.empty((0, len(points)), np.float32)
    return np.stack(evaluate_values(partial(_covers, overlays), points, NO_CONTEXT))


def _covers(overlays, code: Builder) -> tuple[Value, ...]:
    covers = write_coverage(code, overlays)
    return tuple(Value(covers.row + place, 1) for place in range(covers.channels))
