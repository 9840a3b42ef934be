"""Packages: zip files of ours. They come from anywhere, so nothing in them is trusted."""

import json
import lzma
import os
import zipfile
import zlib
from collections.abc import Mapping
from contextlib import contextmanager
from pathlib import Path
from typing import TypeVar

from pydantic import BaseModel, ValidationError

import mat_shelf.patterns  # noqa: F401  its steps are kinds that packages may hold
from mat_shelf.document.parameter import explain
from mat_shelf.system.file_reader import LARGEST_FILE, ReadError, opened_file
from mat_shelf.system.file_writer import ANY, Stamp, write_file

_Model = TypeVar("_Model", bound=BaseModel)

LARGEST_TEXT = 64 * 2**20
LARGEST_ENTRY = LARGEST_FILE
LARGEST_WHOLE = 2 * 2**30
MOST_ENTRIES = 20_000
FREE_SIZE, MOST_SQUEEZED = 64 * 2**20, 60
"""A package may hold so many bytes whatever its size, and so many more for each of its own."""
MOST_VALUES = 3_000_000
"""Numbers, names and lists in the text of a package."""


class PackageError(ValueError):
    """A package that cannot be opened; the message says why and what to do."""


def write_package(path: Path, entries: Mapping[str, bytes], keep_previous: bool = False, expected=ANY) -> Stamp:
    """Writes a package, whole or not at all; see `file_writer.write_file`. Raises WriteError.

    Parameters
    ----------
    path : Path
        Package to write.
    entries : mapping of bytes
        Content by name.
    keep_previous : bool
        Whether the previous file stays beside it.
    expected : Stamp
        State that the file must be in.

    Returns
    -------
    Stamp
    """
    with open(os.memfd_create("package", os.MFD_CLOEXEC), "r+b") as file:
        with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as package:
            for name, data in entries.items():
                package.writestr(name, data)
        return write_file(path, file, keep_previous, expected)


@contextmanager
def opened_package(path: Path, what: str, text_name: str):
    """A package to be read; nothing is unpacked to disk, and only what is asked for is unpacked at all.

    Parameters
    ----------
    path : Path
        Package.
    what : str
        What the package should be, for messages: "project".
    text_name : str
        The entry it must have.

    Yields
    ------
    callable (str) -> bytes or None
        The entry of that name; None where there is none.

    Raises
    ------
    PackageError
        If the file is not there, is no package, is damaged, or claims more than a package may hold.
    """
    path = Path(path)
    other = f"try its previous save, {path.name}~"
    try:
        with opened_file(path) as file, zipfile.ZipFile(file) as package:
            infos = {info.filename: info for info in package.infolist()}
            if text_name not in infos:
                raise PackageError(f"{path.name} is no Mat Shelf {what}: it has no {text_name}")
            most = min(LARGEST_WHOLE, FREE_SIZE + MOST_SQUEEZED * os.fstat(file.fileno()).st_size)
            if len(infos) > MOST_ENTRIES or sum(info.file_size for info in infos.values()) > most:
                raise PackageError(f"{path.name} claims to hold more than a {what} may; it was not opened")

            def read(name: str) -> bytes | None:
                return _entry(package, infos[name], path, text_name) if name in infos else None

            yield read
    except FileNotFoundError:
        raise PackageError(f"{path} is not there") from None
    except ReadError as fault:
        raise PackageError(f"{path.name} cannot be opened: {fault}; choose a {what} file") from None
    except zipfile.BadZipFile:
        raise PackageError(f"{path.name} is no Mat Shelf {what}, or it is damaged; {other}") from None
    except (PackageError, MemoryError):
        raise
    except (OSError, EOFError, NotImplementedError, RuntimeError, ValueError) as fault:
        raise PackageError(f"{path.name} cannot be read ({_short(fault)}); {other}") from fault
    except (zlib.error, lzma.LZMAError) as fault:
        raise PackageError(f"{path.name} is damaged ({_short(fault)}); {other}") from fault


def _short(fault: Exception) -> str:
    return str(fault)[:120]


def _entry(package: zipfile.ZipFile, info: zipfile.ZipInfo, path: Path, text_name: str) -> bytes:
    limit = LARGEST_TEXT if info.filename == text_name else LARGEST_ENTRY
    with package.open(info) as stream:
        data = stream.read(min(info.file_size, limit) + 1)
    if len(data) > limit:
        raise PackageError(f"{path.name} claims to hold more than a package may; it was not opened")
    if len(data) != info.file_size:
        raise PackageError(f"{path.name} is damaged: {info.filename[:80]} is cut short")
    return data


def parse(model: type[_Model], data: bytes, path: Path, newest_schema: int, migrate=lambda fields: fields) -> _Model:
    """A model from JSON of a package. Raises PackageError, saying which value is at fault.

    Parameters
    ----------
    model : type[_Model]
        The model.
    data : bytes
        JSON.
    path : Path
        Package.
    newest_schema : int
        Newest schema that is known.
    migrate : callable (dict) -> dict
        Brings older fields up to the present schema.

    Returns
    -------
    _Model
    """
    if sum(data.count(mark) for mark in (b",", b"[", b"{")) > MOST_VALUES:
        raise PackageError(f"{path.name} claims to hold more values than a package may; it was not opened")
    try:
        fields = json.loads(data)
    except (ValueError, RecursionError):
        raise PackageError(f"{path.name} is damaged: its text cannot be read") from None
    if not isinstance(fields, dict):
        raise PackageError(f"{path.name} is damaged: its text is no description")
    schema = fields.get("schema_version")
    if schema is not None and (type(schema) is not int or schema < 1):
        raise PackageError(f"{path.name} is damaged: its format is '{str(schema)[:20]}'")
    if schema is not None and schema > newest_schema:
        raise PackageError(f"{path.name} was saved by a newer Mat Shelf (format {schema}); update Mat Shelf to open it")
    try:
        return model.model_validate_json(json.dumps(migrate(fields)))
    except ValidationError as fault:
        raise PackageError(f"{path.name} holds a value that cannot be: {explain(fault)}") from None
    except (RecursionError, UnicodeError):
        raise PackageError(f"{path.name} is damaged: its text cannot be read") from None
