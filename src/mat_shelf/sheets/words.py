"""Materials in words: values, readings and patterns, as they stand beside their pictures."""

from pydantic.fields import FieldInfo

from mat_shelf.document.parameter import shown_number, three_figures
from mat_shelf.document.pattern import Feed, Pattern
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.optics.color import hex_from_linear
from mat_shelf.optics.measurements import Measurements

_NOT_VALUES = ("patterns", "feeds", "relief", "overlays")


def values_in_words(recipe: Recipe) -> list[tuple[str, str]]:
    """Inputs of a recipe that are not as in every new one, with their values.

    Parameters
    ----------
    recipe : Recipe
        The recipe.

    Returns
    -------
    list of (label, value)
    """
    plain = Recipe()
    return [
        (Recipe.field_label(name), value_in_words(recipe, name))
        for name in Recipe.model_fields
        if name not in _NOT_VALUES and (getattr(recipe, name) != getattr(plain, name) or recipe.feed(name) is not None)
    ]


def value_in_words(recipe: Recipe, name: str) -> str:
    """One input of a recipe, with its unit, or what feeds it.

    Parameters
    ----------
    recipe : Recipe
        The recipe.
    name : str
        The input.

    Returns
    -------
    str
    """
    return _words(recipe, Recipe.model_fields[name], getattr(recipe, name), recipe.feed(name))


def _words(recipe: Recipe, field: FieldInfo, value, feed: Feed | None) -> str:
    if feed is not None:
        name = recipe.pattern(feed.pattern).name
        if isinstance(feed.low, tuple):
            return f"fed by {name}"
        low, high = (shown_number(field, end) for end in sorted((feed.low, feed.high)))
        return f"{low} – {high} {field.json_schema_extra['unit']}".strip() + f", fed by {name}"
    if isinstance(value, tuple):
        return hex_from_linear(value)
    if isinstance(value, bool | int | str):
        return ("no", "yes")[value] if isinstance(value, bool) else str(value)
    return f"{shown_number(field, value)} {field.json_schema_extra['unit']}".strip()


def pattern_in_words(recipe: Recipe, pattern: Pattern) -> str:
    """Source, size and uses of a pattern of a recipe.

    Parameters
    ----------
    recipe : Recipe
        The recipe.
    pattern : Pattern
        One of its patterns.

    Returns
    -------
    str
    """
    place = pattern.placement
    size = "on the mesh's own UVs" if place.projection == "whole uv" else f"{three_figures(place.size)} mm"
    uses = [Recipe.field_label(feed.input).lower() for feed in recipe.feeds if feed.pattern == pattern.id]
    uses += [f"relief {row.height:g} mm" for row in recipe.relief if row.pattern == pattern.id and row.is_on]
    return ", ".join([pattern.steps[0].label, size, *uses])


def percent(share) -> str:
    """A share of light, as one number where it is nearly grey.

    Parameters
    ----------
    share : (3,) float
        Share of red, green and blue.

    Returns
    -------
    str
    """
    red, green, blue = (100 * float(x) for x in share)
    if max(abs(red - green), abs(green - blue), abs(red - blue)) < 0.5:
        return f"{green:.1f} %"
    return f"{red:.0f} / {green:.0f} / {blue:.0f} %"


def readings_in_words(found: Measurements) -> dict[str, str]:
    """Readings, by the name of their line; those of light inside are missing for opaque bodies.

    Parameters
    ----------
    found : Measurements
        Measurements of a recipe.

    Returns
    -------
    dict of str
    """
    light, red, yellow = (round(float(x), 1) + 0.0 for x in found.lab)  # no "-0.0"
    words = {
        "gloss": " · ".join(f"{found.gloss[angle]:.0f}" for angle in (20, 60, 85)) + "  GU",
        "lab": f"L* {light:.1f}   a* {red:.1f}   b* {yellow:.1f}",
        "f0": percent(found.f0),
        "albedo": " · ".join(percent(found.albedo[angle]) for angle in (0, 60, 85)),
        "energy": "kept" if found.most <= 1.01 else f"{100 * (found.most - 1):.0f} % more than it receives",
    }
    if any(share.max() > 0 for share in found.through.values()):
        words["through"] = " · ".join(percent(found.through[mm]) for mm in (1, 10))
    return words


def worn_by(project: Project, material: str) -> str:
    """Parts that wear a material, and zones of parts that wear another one.

    Parameters
    ----------
    project : Project
        The project.
    material : id
        The material.

    Returns
    -------
    str
        Empty where nothing wears it.
    """
    names: dict[str, None] = {}
    for part in project.product.parts:
        zones = [zone.name for zone in part.zones if zone.material == material]
        if part.material == material:
            names[part.name] = None
        elif zones:
            names[f"{part.name} ({', '.join(zones)})"] = None
    return ", ".join(names)
