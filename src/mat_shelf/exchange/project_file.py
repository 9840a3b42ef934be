"""Project files, ``.matshelf``: `project.json`, meshes as GLB and pictures as they came, named by their SHA-256."""

import re
from pathlib import Path

from mat_shelf.document.migration import migrated
from mat_shelf.document.project import SCHEMA, Project
from mat_shelf.exchange.assets import AssetError, Assets, asset_names, gather_assets
from mat_shelf.exchange.package import PackageError, parse, read_package, write_package

ENDING = ".matshelf"
TEXT = "project.json"
_ASSET = re.compile(
    r"(meshes/[0-9a-f]{64}\.glb|zones/[0-9a-f]{64}\.faces|pictures/[0-9a-f]{64}\.(png|jpg|tiff|webp|exr|hdr|psd))"
)


def save_project(path: Path, project: Project, assets: Assets) -> None:
    """Writes a project; the file that was there stays as ``NAME~``.

    Raises
    ------
    OSError
        If it cannot be written; the file that was there is untouched.
    """
    entries = {TEXT: project.model_dump_json(indent=1).encode()}
    entries |= {name: assets.data(key) for key, name in asset_names(project).items() if assets.holds(key)}
    write_package(Path(path), entries, keep_previous=True)


def open_project(path: Path) -> tuple[Project, Assets]:
    """Reads a project and its assets.

    Raises
    ------
    PackageError
        If anything about the file is not right; the message says what.
    """
    path = Path(path)
    entries = read_package(path, "project", TEXT, lambda name: _ASSET.fullmatch(name) is not None)
    project = parse(Project, entries.pop(TEXT), path, SCHEMA, migrated)
    try:
        return project, gather_assets(project, entries.get)
    except AssetError as fault:
        raise PackageError(f"{path.name} cannot be opened: {fault}; try its previous save, {path.name}~") from None
