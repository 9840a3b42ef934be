"""Variants: what keeps only its differences from a parent, and follows it in all else."""

from typing import Self

from pydantic import field_validator

from mat_shelf.document.ids import Id
from mat_shelf.document.parameter import Frozen
from mat_shelf.document.recipe import Recipe


class Variable(Frozen):
    """A recipe that may be a variant of another one.

    Attributes
    ----------
    recipe : Recipe
        Whole, whether it follows a parent or not.
    parent : id or None
        What it is a variant of.
    own : tuple of str
        The parameters that a variant keeps for itself; in all others it has its parent's.
    """

    recipe: Recipe = Recipe()
    parent: Id | None = None
    own: tuple[str, ...] = ()

    @field_validator("own")
    @classmethod
    def _are_parameters(cls, own: tuple[str, ...]) -> tuple[str, ...]:
        for name in own:
            if name not in Recipe.model_fields:
                raise ValueError(f"a recipe has no parameter '{name}'")
        return tuple(sorted(set(own)))

    def tuned(self, recipe: Recipe) -> Self:
        """A copy with another recipe; a variant owns from now on what that changes."""
        if self.parent is None:
            return self.with_(recipe=recipe)
        changed = {name for name in Recipe.model_fields if getattr(recipe, name) != getattr(self.recipe, name)}
        return self.with_(recipe=recipe, own=(*self.own, *changed))

    def following(self, parent: Recipe) -> Self:
        """A copy that has the parent's recipe in all but its own parameters; itself where it already has."""
        recipe = parent.with_(**{name: getattr(self.recipe, name) for name in self.own})
        return self if recipe == self.recipe else self.with_(recipe=recipe)

    def given_back(self, name: str, parent: Recipe) -> Self:
        """A copy that follows the parent in one more parameter."""
        return self.with_(own=tuple(own for own in self.own if own != name)).following(parent)
