"""`mat-shelf open`."""

import argparse
import os
from pathlib import Path

from mat_shelf.cli.common import BadInputError, read_project

NAME, HELP = "open", "open a project, or the start page where none is given"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", type=Path, nargs="?")


def run(options) -> None:
    from mat_shelf.exchange.assets import Assets
    from mat_shelf.exchange.product_import import empty_project

    project, assets = read_project(options.file) if options.file else (empty_project(), Assets())
    if not has_display():
        raise BadInputError("there is no display to open a window on; use 'mat-shelf render' for an image")
    show_window(project, assets, path=options.file.resolve() if options.file else None)


def has_display() -> bool:
    return any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"))


def show_window(project, meshes, **options) -> None:
    try:
        from mat_shelf.app.start import run
    except ImportError as fault:
        raise BadInputError(f"the window's libraries are not complete ({fault}); run 'make demo'") from fault
    from mat_shelf.library.library import LibraryError

    try:
        run(project, meshes, **options)
    except LibraryError as fault:
        raise BadInputError(str(fault)) from fault
