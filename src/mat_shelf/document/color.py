"""Colours of a project: named once, used by several materials."""

from mat_shelf.document.ids import Id, Name
from mat_shelf.document.parameter import Color, Frozen
from mat_shelf.document.recipe import Recipe

MOST_COLORS, MOST_LINKS = 256, 200


class ProjectColor(Frozen):
    """A colour with a name, such as a brand's orange; linear Rec.709."""

    id: Id
    name: Name
    value: Color


class ColorLink(Frozen):
    """An input of a material that has a colour of the project.

    Attributes
    ----------
    input : str
        Name of a colour of the recipe.
    color : id
        The colour of the project.
    overlay : id or None
        The overlay whose input it is; None for the material's own.
    """

    input: str
    color: Id
    overlay: Id | None = None

    def value_in(self, recipe: Recipe) -> tuple[float, float, float] | None:
        """Value of the input in a material's recipe; None where there is no such input."""
        if self.overlay is not None:
            found = next((overlay for overlay in recipe.overlays if overlay.id == self.overlay), None)
            recipe = found.recipe if found is not None else None
        value = getattr(recipe, self.input, None)
        return value if isinstance(value, tuple) else None

    def put_into(self, recipe: Recipe, value: tuple[float, float, float]) -> Recipe:
        """A material's recipe in which the input has another value."""
        if self.overlay is None:
            return recipe.with_(**{self.input: value})
        overlay = recipe.overlay(self.overlay)
        return recipe.with_overlay(overlay.with_(recipe=overlay.recipe.with_(**{self.input: value})))
