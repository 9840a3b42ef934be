"""Swatch packages, ``.swatch``: `swatch.json` in a zip."""

from pathlib import Path

from mat_shelf.document.swatch import SWATCH_SCHEMA, Swatch
from mat_shelf.exchange.package import parse, read_package, write_package

ENDING = ".swatch"
TEXT = "swatch.json"


def save_swatch(path: Path, swatch: Swatch) -> None:
    """Writes a swatch package. Raises OSError."""
    write_package(Path(path), {TEXT: swatch.model_dump_json(indent=1).encode()})


def open_swatch(path: Path) -> Swatch:
    """Reads a swatch package. Raises PackageError."""
    entries = read_package(Path(path), "swatch", TEXT, lambda name: False)
    return parse(Swatch, entries[TEXT], Path(path), SWATCH_SCHEMA)
