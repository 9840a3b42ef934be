"""Pictures of patterns and marks that there is not enough memory for: shown coarser, and told."""

from collections.abc import Mapping, Sequence

from mat_shelf.document.image import ImageRef
from mat_shelf.document.project import Project
from mat_shelf.patterns.mipmap import Mipmap
from mat_shelf.system.memory import usable_memory

_SHARE, _RESERVE = 0.5, 1 << 30
"""The most that one picture takes of the memory that is free, beside what is left to all else: so there is always some
for the next one."""


def most_picture_bytes() -> int | None:
    """The most that the next picture may take of memory now; None where nothing tells how much there is.

    Returns
    -------
    int or None
    """
    free = usable_memory()
    return None if free is None else int(_SHARE * max(free - _RESERVE, 0))


def coarser_pictures(project: Project, pictures: Mapping[str, Mipmap]) -> list[ImageRef]:
    """Pictures that are shown coarser than they came, each once.

    Parameters
    ----------
    project : Project
        The project.
    pictures : mapping from SHA-256 to Mipmap
        What its patterns and marks show.

    Returns
    -------
    list of ImageRef
    """
    coarse = {key for key, mipmap in pictures.items() if mipmap.left_out}
    if not coarse:  # as nearly always
        return []
    return list({one.digest: one for one in project.map_pictures() if one.digest in coarse}.values())


def words_for_coarser(coarser: Sequence[ImageRef], pictures: Mapping[str, Mipmap]) -> str:
    """A message about pictures that are shown coarser than they came, and what to do.

    Parameters
    ----------
    coarser : sequence of ImageRef
        One or more, as `coarser_pictures` has them.
    pictures : mapping from SHA-256 to Mipmap
        What patterns and marks show.

    Returns
    -------
    str
    """
    if len(coarser) == 1:
        mipmap, it = pictures[coarser[0].digest], "it"
        height, width = mipmap.levels[0].shape[:2]
        sizes = f"at {width} × {height} instead of {mipmap.width} × {mipmap.height}"
        told = f"There is not enough memory for all pixels of '{coarser[0].name}': it is shown {sizes}."
    else:
        names, it = ", ".join(f"'{one.name}'" for one in coarser[:3]), "them"
        more = f" and {len(coarser) - 3} more" if len(coarser) > 3 else ""
        told = f"There is not enough memory for all pixels of {len(coarser)} images, shown coarser: {names}{more}."
    return f"{told} Saved files keep {it} whole; close other programs and open the project again to see all of {it}."
