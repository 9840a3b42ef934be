"""The content of a proof sheet, and the paper that it goes onto."""

from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from mat_shelf.document.project import Project
from mat_shelf.document.shot import Swap
from mat_shelf.exchange.image_decoding import ImageError

PAPERS = {"A4": (210.0, 297.0), "A3": (297.0, 420.0), "Letter": (215.9, 279.4)}
"""Width and height, mm."""
KINDS = {"grid": "Materials in sets, on shapes", "product": "Materials of this product", "variants": "Variants"}
SHAPES = {"bowl": "Bowl", "sphere": "Sphere", "steps": "Slab with steps", "part": "Its own part"}
ENDINGS = (".pdf", ".png")
MOST_PICTURES = 400


@dataclass(frozen=True)
class Paper:
    """The paper of a sheet.

    Attributes
    ----------
    size : str
        Key of `PAPERS`.
    is_wide : bool
        Whether the long side lies across.
    margin : float
        Around what is printed, mm.
    dpi : float
        Pixels of the pictures per inch.
    title : str
        Line at the top; the project's name where it is empty.
    logo : bytes or None
        A PNG for the upper right corner.
    """

    size: Literal["A4", "A3", "Letter"] = "A4"
    is_wide: bool = False
    margin: float = 14.0
    dpi: float = 150.0
    title: str = ""
    logo: bytes | None = None

    @property
    def width(self) -> float:
        """Millimetres across."""
        return PAPERS[self.size][1 if self.is_wide else 0]

    @property
    def height(self) -> float:
        """Millimetres from top to bottom."""
        return PAPERS[self.size][0 if self.is_wide else 1]


@dataclass(frozen=True)
class Sheet:
    """Content of a proof sheet.

    Attributes
    ----------
    kind : str
        Key of `KINDS`.
    materials : tuple of id
        Of a grid, and those of a product that are told of.
    sets : tuple of id
        Sets that the pictures are taken in.
    shapes : tuple of str
        Of a grid: keys of `SHAPES`.
    swaps : tuple of Swap or None
        Of variants: what is worn in each picture; None for the product as it is.
    samples : int
        Samples of a pixel, at most.
    """

    kind: Literal["grid", "product", "variants"] = "grid"
    materials: tuple[str, ...] = ()
    sets: tuple[str, ...] = ()
    shapes: tuple[str, ...] = ("bowl",)
    swaps: tuple[Swap | None, ...] = (None,)
    samples: int = 128

    @property
    def pictures(self) -> int:
        """Number of pictures to render."""
        if self.kind == "grid":
            return len(self.materials) * len(self.sets) * len(self.shapes)
        return len(self.sets) * len(self.swaps) if self.kind == "variants" else 1 + len(self.materials)


def check_sheet(project: Project, sheet: Sheet, paper: Paper, path: Path) -> None:
    """Says before anything is rendered what would be refused after it.

    Parameters
    ----------
    project : Project
        The project.
    sheet : Sheet
        The sheet.
    paper : Paper
        Its paper.
    path : Path
        Its file.

    Raises
    ------
    ImageError
        If nothing is on it, too much, or something that is not in the project; if the margins leave no room, or the
        file is of another kind.
    """
    if path.suffix.lower() not in ENDINGS:
        raise ImageError("a proof sheet is a PDF or PNGs; give the file the ending .pdf or .png")
    if not path.resolve().parent.is_dir():
        raise ImageError(f"the folder {path.resolve().parent} does not exist; choose another")
    if not 0 <= paper.margin <= 50 or not 50 <= paper.dpi <= 600:
        raise ImageError("margins are of 0 to 50 mm, and pictures have 50 to 600 pixels per inch")
    known = {material.id for material in project.materials}, {studio.id for studio in project.sets}
    if set(sheet.materials) - known[0] or set(sheet.sets) - known[1]:
        raise ImageError("a material or set of the sheet is no longer in the project; choose again")
    if not sheet.sets or (not sheet.materials and sheet.kind != "variants") or not sheet.swaps:
        raise ImageError("there is nothing on the sheet; choose at least one material and one set")
    if sheet.kind == "grid" and (not sheet.shapes or set(sheet.shapes) - set(SHAPES)):
        raise ImageError(f"choose at least one shape: {', '.join(SHAPES)}")
    if sheet.pictures > MOST_PICTURES:
        raise ImageError(
            f"{sheet.pictures} pictures are more than the {MOST_PICTURES} that a sheet takes; choose fewer"
        )
