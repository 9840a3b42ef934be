"""Project files, ``.matshelf``: `project.json` and each mesh once, as GLB named by its SHA-256."""

import re
from pathlib import Path

from mat_shelf.document.migration import migrated
from mat_shelf.document.project import SCHEMA, Project
from mat_shelf.exchange.package import PackageError, parse, read_package, write_package
from mat_shelf.geometry.glb import digest
from mat_shelf.geometry.mesh import MeshError
from mat_shelf.geometry.store import MeshStore

ENDING = ".matshelf"
TEXT = "project.json"
_MESH = re.compile(r"meshes/([0-9a-f]{64})\.glb")


def save_project(path: Path, project: Project, meshes: MeshStore) -> None:
    """Writes a project; the file that was there stays as ``NAME~``.

    Raises
    ------
    OSError
        If it cannot be written; the file that was there is untouched.
    """
    entries = {TEXT: project.model_dump_json(indent=1).encode()}
    for part in project.product.parts:
        entries[f"meshes/{part.mesh}.glb"] = meshes.data(part.mesh)
    write_package(Path(path), entries, keep_previous=True)


def open_project(path: Path) -> tuple[Project, MeshStore]:
    """Reads a project and its meshes.

    Raises
    ------
    PackageError
        If anything about the file is not right; the message says what.
    """
    path = Path(path)
    entries = read_package(path, "project", TEXT, lambda name: _MESH.fullmatch(name) is not None)
    project = parse(Project, entries.pop(TEXT), path, SCHEMA, migrated)
    meshes = MeshStore()
    for part in project.product.parts:
        data = entries.get(f"meshes/{part.mesh}.glb")
        if data is None:
            raise PackageError(f"{path.name} lacks the mesh of part '{part.name}'; try its previous save, {path.name}~")
        if part.mesh in meshes:
            continue
        if digest(data) != part.mesh:
            raise PackageError(f"{path.name} is damaged: the mesh of part '{part.name}' has changed")
        try:
            meshes.add_data(data)
        except MeshError as fault:
            raise PackageError(f"{path.name}: part '{part.name}': {fault}") from None
    return project, meshes
