"""A swatch: one material on the library, which outlives projects."""

from typing import Annotated

from pydantic import Field, StringConstraints

from mat_shelf.document.ids import Id, Name
from mat_shelf.document.variant import Variable

SWATCH_SCHEMA = 6

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


Tag = Annotated[str, StringConstraints(min_length=1, max_length=40, strip_whitespace=True)]


class Swatch(Variable):
    """A recipe with a name, a family, tags and a note on where its values come from."""

    schema_version: int = SWATCH_SCHEMA
    id: Id
    name: Name
    family: Name = "Plastic"
    tags: Annotated[tuple[Tag, ...], Field(max_length=20)] = ()
    note: Annotated[str, StringConstraints(max_length=4000)] = ""


def tags_from(text: str) -> tuple[str, ...]:
    """Tags from what someone typed, with commas between them; each once, in the order given."""
    return tuple(dict.fromkeys(tag.strip() for tag in text.split(",") if tag.strip()))
