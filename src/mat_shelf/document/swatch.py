"""A swatch: one material on the library, which outlives projects."""

from typing import Annotated, Literal, Self

from pydantic import Field, StringConstraints, model_validator

from mat_shelf.document.ids import Id, Name
from mat_shelf.document.recipe import Overlay
from mat_shelf.document.variant import Variable

SWATCH_SCHEMA = 8

FAMILIES = (
    "Metal",
    "Glass",
    "Liquid",
    "Plastic",
    "Lacquer",
    "Wax and soft",
    "Leather and cloth",
    "Wood and paper",
    "Stone",
    "Light",
)
"""The kinds a swatch can be filed under, in the order of the library."""
OVERLAYS, OWN_PATTERNS = "Overlays", "Own patterns"
"""Families of overlays and patterns that are kept by themselves."""


Tag = Annotated[str, StringConstraints(min_length=1, max_length=40, strip_whitespace=True)]


class Swatch(Variable):
    """A recipe with a name, a family, tags and a note on where its values come from.

    Attributes
    ----------
    kind : str
        "material"; "overlay", whose recipe is plain but for that overlay; or "pattern", whose recipe has it, and those
        it needs, in its base colour.
    """

    schema_version: int = SWATCH_SCHEMA
    id: Id
    name: Name
    family: Name = "Plastic"
    tags: Annotated[tuple[Tag, ...], Field(max_length=20)] = ()
    note: Annotated[str, StringConstraints(max_length=4000)] = ""
    kind: Literal["material", "overlay", "pattern"] = "material"

    @model_validator(mode="after")
    def _is_of_its_kind(self) -> Self:
        if self.kind == "overlay" and len(self.recipe.overlays) != 1:
            raise ValueError(f"'{self.name}' is kept as an overlay, but has {len(self.recipe.overlays)} of them")
        if self.kind == "pattern" and self.recipe.feed("base_color") is None:
            raise ValueError(f"'{self.name}' is kept as a pattern, but has none")
        return self

    @property
    def overlay(self) -> Overlay:
        """The overlay that it is. Raises IndexError for another kind."""
        return self.recipe.overlays[0]

    @property
    def pattern_id(self) -> str:
        """Id of the pattern that it is, in its recipe."""
        return self.recipe.feed("base_color").pattern


def tags_from(text: str) -> tuple[str, ...]:
    """Tags from what someone typed, with commas between them; each once, in the order given."""
    return tuple(dict.fromkeys(tag.strip() for tag in text.split(",") if tag.strip()))
