"""A swatch: one material on the shelf, which outlives projects."""

from typing import Annotated

from pydantic import StringConstraints

from mat_shelf.document.parameter import Frozen
from mat_shelf.document.project import Id, Name
from mat_shelf.document.recipe import Recipe

SWATCH_SCHEMA = 1

FAMILIES = (
    "Metal",
    "Glass",
    "Liquid",
    "Plastic",
    "Lacquer",
    "Wax and soft",
    "Leather and cloth",
    "Wood and paper",
)
"""The kinds a swatch can be filed under, in the order of the shelf."""


class Swatch(Frozen):
    """A recipe with a name, a family and a note on where its values come from."""

    schema_version: int = SWATCH_SCHEMA
    id: Id
    name: Name
    family: Name = "Plastic"
    note: Annotated[str, StringConstraints(max_length=4000)] = ""
    recipe: Recipe = Recipe()
