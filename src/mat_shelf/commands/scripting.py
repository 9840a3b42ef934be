"""The program without a window: sessions for scripts."""

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from mat_shelf.commands.session import Session
from mat_shelf.demo.desk_set import demo_project
from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.product_import import new_project, read_product
from mat_shelf.exchange.project_file import read_project
from mat_shelf.exchange.render_file import RenderSettings, render_to_file
from mat_shelf.geometry.pose import posed_bounds
from mat_shelf.library.library import Library


def _session(project: Project, assets: Assets, path: Path | None = None) -> Session:
    """A session that prints what the window would show as messages."""
    session = Session(project, assets, Library(), path)
    session.said.connect(print)
    return session


def open_project(path: str | Path) -> Session:
    """Opens a project file.

    Parameters
    ----------
    path : str or Path
        A ``.matshelf`` file.

    Returns
    -------
    Session

    Raises
    ------
    PackageError
        If it cannot be opened; the message says why.
    """
    return _session(*read_project(Path(path)), Path(path))


def new_demo() -> Session:
    """A session with the demo project.

    Returns
    -------
    Session
    """
    return _session(*demo_project())


def import_product(path: str | Path) -> Session:
    """A session with a new project of a model.

    Parameters
    ----------
    path : str or Path
        A model of any of `exchange.models.formats.MODEL_FORMATS`.

    Returns
    -------
    Session

    Raises
    ------
    MeshError
        If the model cannot be used; the message says why.
    """
    found = read_product(Path(path))
    boxes = [posed_bounds(found.assets.meshes[part.mesh], part.pose) for part in found.product.parts]
    low, high = np.min([box[0] for box in boxes], axis=0), np.max([box[1] for box in boxes], axis=0)
    return _session(new_project(found.product, found.materials, high - low), found.assets)


def render(
    session: Session,
    path: str | Path,
    width: int = 1280,
    height: int = 860,
    samples: int = 128,
    seed: int = 1,
    transparent: bool = False,
    passes: Sequence[str] = (),
) -> None:
    """Renders the view and set in use to a file.

    Parameters
    ----------
    session : Session
        The session.
    path : str or Path
        A PNG, TIFF, JPEG or EXR file.
    width, height : int
        Pixels.
    samples : int
        Samples per pixel.
    seed : int
        Seed of the random numbers.
    transparent : bool
        Leaves the backdrop out; PNG, TIFF and EXR then have an alpha channel.
    passes : sequence of str
        Further layers of an EXR: albedo, normal, depth, position, parts, materials.

    Raises
    ------
    ImageError, OSError
        If the file cannot be written.
    """
    settings = RenderSettings(width, height, samples, seed, cut_out=transparent, passes=tuple(passes))
    render_to_file(session.project, session.assets, Path(path), settings)
