"""One pattern by itself on the product."""

from mat_shelf.document.pattern import Feed, Pattern
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.optics.parameters import WHITE
from mat_shelf.patterns.evaluation import is_colored
from mat_shelf.patterns.step import PatternContext
from mat_shelf.patterns.steps import Contrast

_BRIGHTEST = 0.75
"""Of the film, for a pattern's white: the tone mapper leaves all below that as it is."""
_DISPLAY_GAMMA = 2.2


def pattern_preview(project: Project, material_id: str, recipe: Recipe, pattern: Pattern) -> Project:
    """A project in which all that wears a material shows one of its patterns, unlit, as its thumbnail does.

    Parameters
    ----------
    project : Project
        The project.
    material_id : str
        Id of the material.
    recipe : Recipe
        The material's, or that of one of its overlays.
    pattern : Pattern
        One of that; it may have fewer steps.

    Returns
    -------
    Project
    """
    if not is_colored(pattern, PatternContext({p.id: p for p in recipe.patterns})):
        # a grey is what it looks like, so it is decoded as a display would
        pattern = pattern.with_(steps=(*pattern.steps, Contrast(gamma=1 / _DISPLAY_GAMMA)))
    shown = Recipe(
        base_weight=0.0,
        specular_weight=0.0,
        emission_luminance=min(WHITE * _BRIGHTEST * 2.0**-project.set.exposure, 1e6),
        patterns=recipe.with_pattern(pattern).patterns,
        feeds=(Feed(input="emission_color", pattern=pattern.id, low=(0.0, 0.0, 0.0), high=(1.0, 1.0, 1.0)),),
    )
    return project.with_(
        materials=tuple(
            m.with_(parent=None, own=(), recipe=shown if m.id == material_id else m.recipe) for m in project.materials
        )
    )
