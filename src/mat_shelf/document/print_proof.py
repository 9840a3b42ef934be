"""Look of the print of a picture, as the profile of a printing process says."""

from mat_shelf.document.color_table import ColorTable
from mat_shelf.document.parameter import Frozen


class PrintProof(Frozen):
    """A print, shown on the screen; files that are written are not changed by it.

    Attributes
    ----------
    printed : ColorTable
        Colours as they are printed.
    marked : ColorTable
        The same, with a colour of its own in the place of those that the print cannot hold.
    is_on : bool
        Whether the picture is shown so.
    marks : bool
        Whether what cannot be printed is marked.
    """

    printed: ColorTable
    marked: ColorTable
    is_on: bool = True
    marks: bool = False

    @property
    def shown(self) -> ColorTable | None:
        """The table that the picture is looked up in; None where it is shown as it is."""
        return (self.marked if self.marks else self.printed) if self.is_on else None
