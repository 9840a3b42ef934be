"""`mat-shelf import-material`."""

import argparse
import sys
from pathlib import Path

from mat_shelf.cli.common import BadInputError

NAME, HELP = "import-material", "put materials made elsewhere into the library"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    files = "a .mtlx, .glb, .usdz, .swatch, .zip, or a folder of those or of the images of one surface"
    parser.add_argument("files", type=Path, nargs="+", help=files)


def run(options) -> None:
    from mat_shelf.document.ids import FreeNames
    from mat_shelf.exchange.materials.material_files import MaterialFileError, read_material_file, swatches_of
    from mat_shelf.exchange.package import PackageError
    from mat_shelf.library.library import Library, LibraryError

    try:
        library = Library()
        names = FreeNames({entry.name for entry in library.entries()})
        for path in options.files:
            found = read_material_file(path)
            for swatch in swatches_of(found):
                shown = {image.digest for image in swatch.recipe.pictures()}
                held = {key: data for key, data in found.images.items() if key in shown}
                library.add(swatch.with_(name=names.take(swatch.name)), held)
                print(f"{swatch.name}: {swatch.family}")
            for note in found.notes:
                print(f"{note}.", file=sys.stderr)
    except (MaterialFileError, PackageError, LibraryError) as fault:
        raise BadInputError(str(fault)) from None
