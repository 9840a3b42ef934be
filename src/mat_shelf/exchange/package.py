"""Packages: zip files of ours. They come from anywhere, so nothing in them is trusted."""

import json
import zipfile
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TypeVar

from pydantic import BaseModel, ValidationError

import mat_shelf.patterns  # noqa: F401  its steps are kinds that packages may hold
from mat_shelf.document.parameter import explain
from mat_shelf.exchange.atomic import write_atomically

Model = TypeVar("Model", bound=BaseModel)

LARGEST_TEXT = 64 * 2**20
LARGEST_ENTRY = 512 * 2**20
LARGEST_WHOLE = 2 * 2**30
MOST_ENTRIES = 20_000


class PackageError(ValueError):
    """A package that cannot be opened; the message says why and what to do."""


def write_package(path: Path, entries: Mapping[str, bytes], keep_previous: bool = False) -> None:
    """Writes a package, whole or not at all. Raises OSError."""

    def write(temporary: Path) -> None:
        with zipfile.ZipFile(temporary, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as package:
            for name, data in entries.items():
                package.writestr(name, data)

    write_atomically(path, write, keep_previous)


def read_package(path: Path, what: str, text_name: str, is_wanted: Callable[[str], bool]) -> dict[str, bytes]:
    """The entries of a package that `is_wanted` accepts, by name; nothing is unpacked to disk.

    Parameters
    ----------
    what : str
        What the package should be, for messages: "project".
    text_name : str
        The entry it must have.

    Raises
    ------
    PackageError
        If the file is not there, is no package, is damaged, or claims more than a package may hold.
    """
    path = Path(path)
    try:
        with zipfile.ZipFile(path) as package:
            infos = [info for info in package.infolist() if info.filename == text_name or is_wanted(info.filename)]
            if text_name not in {info.filename for info in infos}:
                raise PackageError(f"{path.name} is no Mat Shelf {what}: it has no {text_name}")
            if len(infos) > MOST_ENTRIES or sum(info.file_size for info in infos) > LARGEST_WHOLE:
                raise PackageError(f"{path.name} claims to hold more than a {what} may; it was not opened")
            return {info.filename: _entry(package, info, path, text_name) for info in infos}
    except FileNotFoundError:
        raise PackageError(f"{path} is not there") from None
    except IsADirectoryError:
        raise PackageError(f"{path} is a folder; choose a {what} file") from None
    except PermissionError:
        raise PackageError(f"{path} may not be read; change its permissions") from None
    except zipfile.BadZipFile:
        raise PackageError(
            f"{path.name} is no Mat Shelf {what}, or it is damaged; try its previous save, {path.name}~"
        ) from None
    except (OSError, EOFError, NotImplementedError, RuntimeError, ValueError) as fault:
        if isinstance(fault, PackageError):
            raise
        raise PackageError(f"{path.name} cannot be read ({fault}); try its previous save, {path.name}~") from fault
    except Exception as fault:  # zlib.error and kin derive from Exception alone
        raise PackageError(f"{path.name} is damaged ({fault}); try its previous save, {path.name}~") from fault


def _entry(package: zipfile.ZipFile, info: zipfile.ZipInfo, path: Path, text_name: str) -> bytes:
    limit = LARGEST_TEXT if info.filename == text_name else LARGEST_ENTRY
    with package.open(info) as stream:
        data = stream.read(min(info.file_size, limit) + 1)
    if len(data) > limit:
        raise PackageError(f"{path.name} claims to hold more than a package may; it was not opened")
    if len(data) != info.file_size:
        raise PackageError(f"{path.name} is damaged: {info.filename} is cut short")
    return data


def parse(model: type[Model], data: bytes, path: Path, newest_schema: int, migrate=lambda fields: fields) -> Model:
    """A model from JSON of a package. Raises PackageError, saying which value is at fault."""
    try:
        fields = json.loads(data)
    except (ValueError, RecursionError):
        raise PackageError(f"{path.name} is damaged: its text cannot be read") from None
    if not isinstance(fields, dict):
        raise PackageError(f"{path.name} is damaged: its text is no description")
    schema = fields.get("schema_version")
    if isinstance(schema, int) and schema > newest_schema:
        raise PackageError(f"{path.name} was saved by a newer Mat Shelf (format {schema}); update Mat Shelf to open it")
    try:
        return model.model_validate_json(json.dumps(migrate(fields)))
    except ValidationError as fault:
        raise PackageError(f"{path.name} holds a value that cannot be: {explain(fault)}") from None
