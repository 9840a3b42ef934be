"""`mat-shelf prepare`."""

import argparse
import sys

from mat_shelf.cli.common import BadInputError, warm_up_now

NAME, HELP = "prepare", "compile the kernels and render the thumbnails of the library, so that later starts are quick"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """It has none."""


def run(options) -> None:
    from mat_shelf.library.library import Library, LibraryError
    from mat_shelf.library.thumbnails import make_thumbnail, thumbnail_path

    warm_up_now(sys.stdout)
    try:
        library = Library()
        missing = [entry for entry in library.entries() if not thumbnail_path(entry.recipe_key).exists()]
        for number, entry in enumerate(missing, 1):
            print(f"Rendering thumbnails, {number} of {len(missing)}: {entry.name}", flush=True)
            make_thumbnail(library.swatch(entry.id).recipe)
    except (LibraryError, OSError) as fault:
        raise BadInputError(str(fault)) from fault
