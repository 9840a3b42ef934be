"""Materials of a project."""

from mat_shelf.document.ids import Id, Name
from mat_shelf.document.variant import Variable


class Material(Variable):
    """A recipe in use in a project.

    Attributes
    ----------
    family : str
        The kind it is filed under.
    swatch : id or None
        The swatch on the library that it came from or was kept as.
    """

    id: Id
    name: Name
    family: Name = "Plastic"
    swatch: Id | None = None
