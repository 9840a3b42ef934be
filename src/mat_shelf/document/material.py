"""Materials of a project."""

from typing import Annotated, Self

from pydantic import Field

from mat_shelf.document.color import MOST_LINKS, ColorLink
from mat_shelf.document.ids import Id, Name
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.variant import Variable


class Material(Variable):
    """A recipe in use in a project.

    Attributes
    ----------
    family : str
        The kind it is filed under.
    swatch : id or None
        The swatch on the library that it came from or was kept as.
    color_links : tuple of ColorLink
        Inputs that have colours of the project.
    """

    id: Id
    name: Name
    family: Name = "Plastic"
    swatch: Id | None = None
    color_links: Annotated[tuple[ColorLink, ...], Field(max_length=MOST_LINKS)] = ()

    def following(self, parent: Recipe) -> Self:
        """A copy that has the parent's recipe in all but its own pieces; links to what is gone go with it."""
        made = super().following(parent)
        kept = tuple(link for link in made.color_links if link.value_in(made.recipe) is not None)
        return made if kept == made.color_links else made.with_(color_links=kept)

    def tuned(self, recipe: Recipe) -> Self:
        """A copy with another recipe; inputs whose value that changes are no longer linked."""
        links = self.color_links
        made = super().tuned(recipe)
        kept = tuple(link for link in links if link.value_in(recipe) == link.value_in(self.recipe))
        return made if kept == links else made.with_(color_links=kept)
