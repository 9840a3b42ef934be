"""Swatch packages, ``.swatch``: `swatch.json` and the pictures of its patterns in a zip."""

from collections.abc import Mapping
from pathlib import Path
from types import MappingProxyType

from mat_shelf.document.migration import migrated_swatch
from mat_shelf.document.swatch import SWATCH_SCHEMA, Swatch
from mat_shelf.exchange.models.mesh_glb import digest
from mat_shelf.exchange.package import PackageError, opened_package, parse, write_package

SWATCH_ENDING = ".swatch"
SWATCH_TEXT = "swatch.json"


def save_swatch(path: Path, swatch: Swatch, pictures: Mapping[str, bytes] = MappingProxyType({})) -> None:
    """Writes a swatch package.

    Parameters
    ----------
    path : Path
        File.
    swatch : Swatch
        The swatch.
    pictures : mapping from SHA-256 to bytes
        Those that its patterns show; missing ones are left out.

    Raises
    ------
    OSError
    """
    entries = {SWATCH_TEXT: swatch.model_dump_json(indent=1).encode()}
    for picture in swatch.recipe.pictures():
        if picture.digest in pictures:
            entries[f"pictures/{picture.digest}.{picture.kind}"] = pictures[picture.digest]
    write_package(Path(path), entries)


def open_swatch(path: Path) -> Swatch:
    """Reads a swatch package. Raises PackageError.

    Parameters
    ----------
    path : Path
        File.

    Returns
    -------
    Swatch
    """
    with opened_package(Path(path), "swatch", SWATCH_TEXT) as read:
        return parse(Swatch, read(SWATCH_TEXT), Path(path), SWATCH_SCHEMA, migrated_swatch)


def swatch_pictures(path: Path) -> dict[str, bytes]:
    """The pictures in a swatch package, by SHA-256. Raises PackageError.

    Parameters
    ----------
    path : Path
        File.

    Returns
    -------
    dict of bytes
    """
    path = Path(path)
    with opened_package(path, "swatch", SWATCH_TEXT) as read:
        swatch = parse(Swatch, read(SWATCH_TEXT), path, SWATCH_SCHEMA, migrated_swatch)
        found = {}
        for picture in swatch.recipe.pictures():
            data = read(f"pictures/{picture.digest}.{picture.kind}")
            if data is not None and picture.digest not in found:
                if digest(data) != picture.digest:
                    raise PackageError(f"{path.name} is damaged: an image in it is damaged")
                found[picture.digest] = data
        return found
