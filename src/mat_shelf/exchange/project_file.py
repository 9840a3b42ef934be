"""Project files, ``.matshelf``: `project.json`, meshes as GLB and pictures as they came, named by their SHA-256."""

import re
from pathlib import Path

from mat_shelf.document.migration import migrated
from mat_shelf.document.project import SCHEMA, Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.package import PackageError, parse, read_package, write_package
from mat_shelf.exchange.pictures import PictureError
from mat_shelf.geometry.glb import digest
from mat_shelf.geometry.mesh import MeshError

ENDING = ".matshelf"
TEXT = "project.json"
_ASSET = re.compile(r"(meshes/[0-9a-f]{64}\.glb|pictures/[0-9a-f]{64}\.(png|jpg|tiff|webp))")


def save_project(path: Path, project: Project, assets: Assets) -> None:
    """Writes a project; the file that was there stays as ``NAME~``.

    Raises
    ------
    OSError
        If it cannot be written; the file that was there is untouched.
    """
    entries = {TEXT: project.model_dump_json(indent=1).encode()}
    for part in project.product.parts:
        entries[f"meshes/{part.mesh}.glb"] = assets.data(part.mesh)
    if project.reference is not None:
        entries[_picture_entry(project)] = assets.data(project.reference.digest)
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
    assets = Assets()
    for part in project.product.parts:
        data = entries.get(f"meshes/{part.mesh}.glb")
        if data is None:
            raise PackageError(f"{path.name} lacks the mesh of part '{part.name}'; try its previous save, {path.name}~")
        if part.mesh in assets:
            continue
        if digest(data) != part.mesh:
            raise PackageError(f"{path.name} is damaged: the mesh of part '{part.name}' has changed")
        try:
            assets.add_data(data)
        except MeshError as fault:
            raise PackageError(f"{path.name}: part '{part.name}': {fault}") from None
    if project.reference is not None:
        data = entries.get(_picture_entry(project))
        if data is None or digest(data) != project.reference.digest:
            raise PackageError(f"{path.name} lacks the reference picture '{project.reference.name}', or it has changed")
        try:
            assets.add_picture(data)
        except PictureError as fault:
            raise PackageError(f"{path.name}: '{project.reference.name}': {fault}") from None
    return project, assets


def _picture_entry(project: Project) -> str:
    return f"pictures/{project.reference.digest}.{project.reference.kind}"
