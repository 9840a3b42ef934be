"""Patterns that are ready to use, each with tags to find it by and the height that it usually has as relief.

Sizes and ranges are common practice.
"""

from pathlib import Path
from typing import Annotated

from pydantic import Field

import mat_shelf.patterns.steps  # noqa: F401  kinds that the files hold
from mat_shelf.document.data_files import read_data
from mat_shelf.document.parameter import Frozen
from mat_shelf.document.pattern import Pattern
from mat_shelf.patterns.sources import SOURCES, Pictured

_DATA = Path(__file__).parent / "data"


class Ready(Frozen):
    """A pattern to begin with.

    Attributes
    ----------
    tags : tuple of str
        Words that a search finds it by.
    height : float
        Height at which it is usually relief, mm.
    """

    pattern: Pattern
    tags: tuple[str, ...] = ()
    height: Annotated[float, Field(ge=-1000, le=1000, allow_inf_nan=False)] = 0.0


READY = read_data(Ready, _DATA / "ready")
SOURCE_STARTS = tuple(
    Ready(
        pattern=Pattern(
            id=f"source-{source.model_fields['kind'].default}".replace(" ", "-"),
            name=source.label,
            steps=(source(),),
            placement=source.usual,
        ),
        tags=tuple(source.tip.lower().split()),
    )
    for source in SOURCES
    if source is not Pictured
)
"""A pattern of each source alone, but for images, which begin with a file."""


def thumbnail_file(ready: Ready) -> Path:
    """Path of the shipped thumbnail of a ready pattern or of a source, a PNG of 192 x 128 pixels.

    Parameters
    ----------
    ready : Ready
        The pattern.

    Returns
    -------
    Path
    """
    return _DATA / "thumbnails" / f"{ready.pattern.id}.png"
