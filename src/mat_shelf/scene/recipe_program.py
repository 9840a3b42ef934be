"""Programs of recipes: what patterns make of their inputs, of their relief and of what lies over them."""

from collections.abc import Mapping, Sequence
from functools import partial
from typing import NamedTuple

import numpy as np

from mat_shelf.document.pattern import Feed, Pattern, Relief
from mat_shelf.document.recipe import Overlay, Recipe
from mat_shelf.optics import parameters as P
from mat_shelf.optics.parameters import FED_COLUMNS, LAYERING, WHITE, of_unit_luminance
from mat_shelf.patterns import interpreter as I  # noqa: E741, N812
from mat_shelf.patterns.program import Builder, Program
from mat_shelf.patterns.step import PatternContext, Value
from mat_shelf.system.newest import Newest

_FINEST_STEP = 0.0015
"""mm; slopes over less would be lost in the rounding of float32 positions."""
_SHARE = 1 / 20
"""Part of a pattern's finest detail over which its slope is taken."""
_LEAST, _MOST = -3e38, 3e38
HEIGHT = P.FILM_WAY
"""Column of the parameter block for heights, where heights are looked at; what is there else is not."""
_KEPT_PROGRAMS = 256


class OverlayBinding(NamedTuple):
    """An overlay: its row of the parameter block, what it is, its patterns, how much of it there is, and its mask.

    Attributes
    ----------
    row : int
    overlay : Overlay
    context : PatternContext
        Of its patterns.
    amount : float
    mask : Pattern or None
    mask_context : PatternContext
        Of the patterns that the mask is one of: its own, or those of the material below.
    """

    row: int
    overlay: Overlay
    context: PatternContext
    amount: float
    mask: Pattern | None
    mask_context: PatternContext


def bind_overlays(recipe: Recipe, pictures: Mapping, first_row: int = 0) -> tuple[OverlayBinding, ...]:
    """Visible overlays of a recipe, those over marks last; their rows are numbered from `first_row` on.

    Parameters
    ----------
    recipe : Recipe
        Recipe of the material.
    pictures : Mapping
        Images by SHA-256.
    first_row : int
        Row of the parameter block of the first overlay.

    Returns
    -------
    tuple of OverlayBinding
    """
    found, below = [], PatternContext({p.id: p for p in recipe.patterns}, pictures)
    for overlay in sorted(recipe.shown_overlays(), key=lambda overlay: overlay.is_over_marks):
        if (
            recipe.transmission_weight == 0 and recipe.feed("transmission_weight") is None
        ):  # there is no body below that light could go into
            overlay = _opaque(overlay)
        context = PatternContext({p.id: p for p in overlay.recipe.patterns}, pictures)
        masking = context if overlay.mask_of == "overlay" else below
        mask = None if overlay.mask is None else masking.patterns[overlay.mask]
        amount = overlay.amount * recipe.age
        found.append(OverlayBinding(first_row + len(found), overlay, context, amount, mask, masking))
    return tuple(found)


def _opaque(overlay: Overlay) -> Overlay:
    """An overlay that no light enters; the same one for the same."""
    return _opaque_overlays((overlay,), (), partial(_made_opaque, overlay))


def _made_opaque(overlay: Overlay) -> Overlay:
    recipe = overlay.recipe.with_(transmission_weight=0.0).without_feed("transmission_weight")
    return overlay.with_(recipe=recipe)


def has_relief(recipe: Recipe) -> bool:
    """True if a recipe bends normals.

    Parameters
    ----------
    recipe : Recipe
        The recipe.

    Returns
    -------
    bool
    """
    return any(row.is_on and row.height for row in recipe.relief)


def write_feed(code: Builder, recipe: Recipe, feed: Feed) -> Value:
    """A fed input, within the input's limits.

    Parameters
    ----------
    code : Builder
        The program.
    recipe : Recipe
        Recipe of the material.
    feed : Feed
        The feed.

    Returns
    -------
    Value
        Three channels for colours.
    """
    constant = np.atleast_1d(np.asarray(getattr(recipe, feed.input), np.float64))
    is_color = len(constant) == 3
    value = code.pattern(code.context.patterns[feed.pattern])
    value = value if is_color else code.grey(value)
    low, high = (np.broadcast_to(np.asarray(end, np.float64), constant.shape) for end in (feed.low, feed.high))
    lowest, highest = (0.0, 1.0) if is_color else Recipe.limits(feed.input)
    limits = max(lowest, _LEAST), min(highest, _MOST), float(np.clip(0, lowest, highest))
    row = code.rows(len(constant))
    for k, own in enumerate(constant):
        constants = code.constants((low[k], high[k] - low[k], own, feed.amount, *limits))
        code.emit(I.FEED, value.row + k % value.channels, row + k, constants)
    return Value(row, len(constant))


def write_inputs(code: Builder, recipe: Recipe) -> None:
    """Fed inputs, into the columns of the parameter block that depend on them.

    Parameters
    ----------
    code : Builder
        The program.
    recipe : Recipe
        Recipe of the material.
    """
    fed = {feed.input: write_feed(code, recipe, feed) for feed in recipe.feeds}
    for name, column in FED_COLUMNS.items():
        if name in fed:
            _store(code, fed[name], column)
    if "coat_color" in fed:
        _store(code, _each(code, I.ROOT, fed["coat_color"]), P.COAT_TINT)
    if "subsurface_color" in fed:
        anisotropy = code.constants((recipe.subsurface_scatter_anisotropy,))
        _store(code, _each(code, I.ALBEDO, fed["subsurface_color"], anisotropy), P.SUBSURFACE_ALBEDO)
    if not LAYERING.isdisjoint(fed):
        _store(code, code.filled((1.0,)), P.LAYERED)
    if "thin_film_thickness" in fed:
        scale = code.filled((1000 * recipe.thin_film_ior,))
        _store(code, _product(code, fed["thin_film_thickness"], scale), P.FILM_WAY)
    if "brush_turn" in fed:
        _store(code, _product(code, fed["brush_turn"], code.filled((np.pi / 180,))), P.BRUSH_TURN)
    if "base_color" in fed or "base_weight" in fed:
        color = fed.get("base_color") or code.filled(recipe.base_color)
        weight = fed.get("base_weight") or code.filled((recipe.base_weight,))
        _store(code, _product(code, color, weight), P.BASE_COLOR)
    if "emission_color" in fed or "emission_luminance" in fed:
        # A pattern's colours are as bright as beside its white; a plain colour has the luminance that is given.
        color = fed.get("emission_color") or code.filled(of_unit_luminance(recipe.emission_color))
        bright = code.filled((recipe.emission_luminance / WHITE,))
        if "emission_luminance" in fed:
            bright = _product(code, fed["emission_luminance"], code.filled((1 / WHITE,)))
        _store(code, _product(code, color, bright), P.EMISSION)


def _store(code: Builder, value: Value, column: int) -> None:
    for k in range(value.channels):
        code.emit(I.STORE, value.row + k, column + k)


def _product(code: Builder, color: Value, weight: Value) -> Value:
    row = code.rows(color.channels)
    for k in range(color.channels):
        code.emit(I.MULTIPLY, color.row + k, weight.row, row + k)
    return Value(row, color.channels)


def _each(code: Builder, what: int, value: Value, *operands: int) -> Value:
    """An instruction on each channel of a value."""
    row = code.rows(value.channels)
    for k in range(value.channels):
        code.emit(what, value.row + k, row + k, *operands)
    return Value(row, value.channels)


def write_relief(code: Builder, relief: Sequence[Relief]) -> None:
    """Shading normals of a surface with relief.

    Heights are added and their true gradients, mm per mm, tilt the normal; pictures of normals follow one by one,
    each turned onto what is below it.

    Parameters
    ----------
    code : Builder
        The program.
    relief : sequence of Relief
        Rows of relief.

    References
    ----------
    Mikkelsen 2010, Bump Mapping Unparametrized Surfaces on the GPU. Barre-Brisebois and Hill 2012, Blending in
    Detail (reoriented normal mapping).
    """
    tangents, slope = code.tangents(), code.filled((0.0, 0.0)).row
    shown = [row for row in relief if row.is_on]
    for row in shown:
        if row.kind == "height":
            _write_height(code, row, tangents, slope)
    for row in shown:
        if row.kind != "height":
            _write_normals(code, row, tangents, slope)
    code.emit(I.TILT, slope, tangents)


def _write_height(code: Builder, row: Relief, tangents: int, slope: int) -> None:
    """Adds the slope of a row's height along both tangents."""
    pattern = code.context.patterns[row.pattern]
    step = max(pattern.steps[0].finest(pattern.placement.size) * _SHARE, _FINEST_STEP)
    here = code.grey(code.pattern(pattern))
    steepness = code.constants((row.height / step,))
    for k in range(2):
        with code.beside(tangents + 3 * k, step):
            beside = code.grey(code.pattern(pattern))
        code.emit(I.SLOPE, here.row, beside.row, steepness, slope + k)


def _write_normals(code: Builder, row: Relief, tangents: int, slope: int) -> None:
    """Turns the normals of a normal map onto what is below it."""
    pattern = code.context.patterns[row.pattern]
    colors = code.pattern(pattern)
    if colors.channels == 1:
        return
    # The pattern's own directions on the surface, found by going a little way along both tangents.
    step = max(pattern.placement.size * 1e-3, _FINEST_STEP)
    places = [_heaviest(code, pattern)]
    for k in range(2):
        with code.beside(tangents + 3 * k, step):
            places.append(_heaviest(code, pattern))
    detail = code.rows(2)
    green = 1.0 if row.kind == "normal, green down" else -1.0
    constants = code.constants((row.height / 0.01, green))
    code.emit(I.NORMAL_SLOPE, colors.row, *places, constants, detail)
    code.emit(I.DETAIL, slope, detail)


def _heaviest(code: Builder, pattern) -> int:
    """First of two registers with the place of each point in a layout."""
    code.layout(pattern.placement)
    row = code.rows(3)
    code.emit(I.HEAVIEST, row)
    return row


def write_coverage(code: Builder, overlays: Sequence[OverlayBinding]) -> Value:
    """Coverage of each overlay, before those above hide it, in one register each.

    Parameters
    ----------
    code : Builder
        The program.
    overlays : sequence of OverlayBinding
        Visible overlays, the lowest first.

    Returns
    -------
    Value
        As many channels as overlays.
    """
    first = code.rows(len(overlays))
    for place, binding in enumerate(overlays):
        code.emit(I.FILL, first + place, code.constants((binding.amount,)))
        if binding.mask is not None:
            with code.using(binding.mask_context):
                mask = code.grey(code.pattern(binding.mask))
            code.emit(I.LIMIT, mask.row)
            code.emit(I.MULTIPLY, first + place, mask.row, first + place)
    return Value(first, len(overlays))


def recipe_program(recipe: Recipe, context: PatternContext) -> Program | None:
    """Program that writes fed inputs and bends normals; None where a recipe does neither.

    Parameters
    ----------
    recipe : Recipe
        The recipe.
    context : PatternContext
        Its patterns, and images.

    Returns
    -------
    Program or None
    """
    if not recipe.feeds and not has_relief(recipe):
        return None
    return _kept("recipe", recipe, context, partial(_written, recipe, context, True))


def relief_program(recipe: Recipe, context: PatternContext) -> Program | None:
    """Program that bends normals by a recipe's relief alone; None where it has none.

    Parameters
    ----------
    recipe : Recipe
        The recipe.
    context : PatternContext
        Its patterns, and images.

    Returns
    -------
    Program or None
    """
    if not has_relief(recipe):
        return None
    return _kept("relief", recipe, context, partial(_written, recipe, context, False))


def height_program(recipe: Recipe, context: PatternContext) -> Program | None:
    """Program that stores the height of a recipe's relief, mm, in the column `HEIGHT`; None where it has none.

    Parameters
    ----------
    recipe : Recipe
        The recipe.
    context : PatternContext
        Its patterns, and images.

    Returns
    -------
    Program or None
    """
    rows = [row for row in recipe.relief if row.is_on and row.height and row.kind == "height"]
    return _kept("height", recipe, context, partial(_heights, rows, context)) if rows else None


def _heights(rows: Sequence[Relief], context: PatternContext) -> Program:
    code = Builder(context)
    floor, total = code.filled((0.0,)).row, code.filled((0.0,))
    for row in rows:
        here = code.grey(code.pattern(context.patterns[row.pattern]))
        code.emit(I.SLOPE, floor, here.row, code.constants((row.height,)), total.row)  # adds the rise over one mm
    _store(code, total, HEIGHT)
    return code.finish()


def _written(recipe: Recipe, context: PatternContext, with_inputs: bool) -> Program:
    code = Builder(context)
    if with_inputs:
        write_inputs(code, recipe)
    if has_relief(recipe):
        write_relief(code, recipe.relief)
    return code.finish()


def coverage_program(recipe: Recipe, overlays: Sequence[OverlayBinding]) -> Program:
    """Program that stores the coverage of some overlays, in a column each.

    Parameters
    ----------
    recipe : Recipe
        Recipe that they lie over.
    overlays : sequence of OverlayBinding
        Visible overlays of it, the lowest first.

    Returns
    -------
    Program
    """
    patterns = [pattern for binding in overlays for pattern in binding.mask_context.patterns.values()]
    ids = tuple(binding.overlay.id for binding in overlays)
    keys = ("coverage", ids, _shown(patterns, overlays[0].context))
    return _programs((recipe,), keys, partial(_written_coverage, overlays))


def _written_coverage(overlays: Sequence[OverlayBinding]) -> Program:
    code = Builder(overlays[0].context)
    _store(code, write_coverage(code, overlays), 0)
    return code.finish()


_programs, _opaque_overlays = Newest(_KEPT_PROGRAMS), Newest(_KEPT_PROGRAMS)


def _kept(kind: str, recipe: Recipe, context: PatternContext, write) -> Program:
    """The program of a recipe, written once for the same recipe and images."""
    return _programs((recipe,), (kind, _shown(recipe.patterns, context)), write)


def _shown(patterns, context: PatternContext) -> tuple[bool, ...]:
    """Which of the images that patterns show are there: they may come later than the recipe."""
    return tuple(
        picture.digest in context.pictures
        for pattern in patterns
        for step in pattern.steps
        for picture in step.pictures()
    )
