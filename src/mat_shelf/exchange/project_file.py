"""Project files, ``.matshelf``: `project.json`, meshes as GLB and pictures as they came, named by their SHA-256."""

from pathlib import Path

from mat_shelf.document.migration import migrated
from mat_shelf.document.project import SCHEMA, Project
from mat_shelf.exchange.assets import AssetError, Assets, asset_names, gather_assets
from mat_shelf.exchange.package import PackageError, opened_package, parse, write_package
from mat_shelf.system.file_writer import ANY, Stamp

PROJECT_ENDING = ".matshelf"
PROJECT_TEXT = "project.json"


def plain_file_name(name: str) -> str:
    """A project's name as that of a file.

    Parameters
    ----------
    name : str
        Name.

    Returns
    -------
    str
    """
    return name.replace("/", "-").lstrip(".") or "Project"


def project_path(path: Path) -> Path:
    """A path as it was chosen, with the ending of projects.

    Parameters
    ----------
    path : Path
        File.

    Returns
    -------
    Path
    """
    return path if path.suffix == PROJECT_ENDING else path.with_name(path.name + PROJECT_ENDING)


def save_project(path: Path, project: Project, assets: Assets, expected=ANY) -> Stamp:
    """Writes a project; the file that was there stays as ``NAME~``.

    Parameters
    ----------
    path : Path
        File.
    project : Project
        The project.
    assets : Assets
        Files of the project.
    expected : Stamp or None, optional
        As for `file_writer.write_file`.

    Returns
    -------
    Stamp

    Raises
    ------
    WriteError
        If it cannot be written; the file that was there is untouched.
    """
    entries = {PROJECT_TEXT: project.model_dump_json(indent=1).encode()}
    entries |= {name: assets.data(key) for key, name in asset_names(project).items() if assets.holds(key)}
    return write_package(Path(path), entries, keep_previous=True, expected=expected)


def read_project(path: Path) -> tuple[Project, Assets]:
    """Reads a project and its assets.

    Parameters
    ----------
    path : Path
        File.

    Returns
    -------
    tuple[Project, Assets]

    Raises
    ------
    PackageError
        If anything about the file is not right; the message says what.
    """
    path = Path(path)
    with opened_package(path, "project", PROJECT_TEXT) as read:
        project = parse(Project, read(PROJECT_TEXT), path, SCHEMA, migrated)
        try:
            return project, gather_assets(project, read)
        except AssetError as fault:
            raise PackageError(f"{path.name} cannot be opened: {fault}; try its previous save, {path.name}~") from None
