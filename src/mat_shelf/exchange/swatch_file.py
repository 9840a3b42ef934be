"""Swatch packages, ``.swatch``: `swatch.json` and the pictures of its patterns in a zip."""

import re
from collections.abc import Mapping
from pathlib import Path
from types import MappingProxyType

from mat_shelf.document.swatch import SWATCH_SCHEMA, Swatch
from mat_shelf.exchange.package import PackageError, parse, read_package, write_package
from mat_shelf.geometry.glb import digest

ENDING = ".swatch"
TEXT = "swatch.json"
_PICTURE = re.compile(r"pictures/([0-9a-f]{64})\.(png|jpg|tiff|webp|exr|hdr|psd)")


def save_swatch(path: Path, swatch: Swatch, pictures: Mapping[str, bytes] = MappingProxyType({})) -> None:
    """Writes a swatch package.

    Parameters
    ----------
    pictures : mapping from SHA-256 to bytes
        Those that its patterns show; missing ones are left out.

    Raises
    ------
    OSError
    """
    entries = {TEXT: swatch.model_dump_json(indent=1).encode()}
    for picture in swatch.recipe.pictures():
        if picture.digest in pictures:
            entries[f"pictures/{picture.digest}.{picture.kind}"] = pictures[picture.digest]
    write_package(Path(path), entries)


def open_swatch(path: Path) -> Swatch:
    """Reads a swatch package. Raises PackageError."""
    entries = read_package(Path(path), "swatch", TEXT, lambda name: False)
    return parse(Swatch, entries[TEXT], Path(path), SWATCH_SCHEMA)


def swatch_pictures(path: Path) -> dict[str, bytes]:
    """The pictures in a swatch package, by SHA-256. Raises PackageError."""
    path = Path(path)
    found = {}
    for name, data in read_package(path, "swatch", TEXT, lambda name: _PICTURE.fullmatch(name) is not None).items():
        match = _PICTURE.fullmatch(name)
        if match is not None:
            if digest(data) != match[1]:
                raise PackageError(f"{path.name} is damaged: a picture in it is not what it was")
            found[match[1]] = data
    return found
