"""`mat-shelf sheet`."""

import argparse
import sys
import time
from pathlib import Path

from mat_shelf.cli.common import BadInputError, chosen, read_project, warm_up_now, whole

NAME, HELP = "sheet", "make a proof sheet: materials in sets on shapes, those of a product, or its variants"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("files", type=Path, nargs="+", metavar="FILE", help="a project, or swatches")
    parser.add_argument("-o", "--output", type=Path, required=True, help="a .pdf, or a .png for its pages")
    parser.add_argument(
        "--kind", choices=("grid", "product", "variants"), default="grid",
        help="pictures on shapes; a list of the product's materials with values, readings and patterns; its variants",
    )  # fmt: skip
    parser.add_argument("--material", action="append", metavar="NAME", help="a material, once for each; else all")
    parser.add_argument(
        "--set", action="append", metavar="NAME", help="a set, once for each, or all; else the one in use"
    )
    parser.add_argument("--shape", action="append", metavar="NAME", help="bowl, sphere, steps or part, once for each")
    parser.add_argument(
        "--variants-of", metavar="NAME", help="of the kind variants: the material whose variants are shown"
    )
    parser.add_argument("--paper", choices=("A4", "A3", "Letter"), default="A4")
    parser.add_argument("--wide", action="store_true", help="the long side across")
    parser.add_argument("--margin", type=whole(0, 50), default=14, help="mm")
    parser.add_argument("--dpi", type=whole(50, 600), default=150, help="pixels per inch of the pictures")
    parser.add_argument("--title", default="", help="else the project's name")
    parser.add_argument("--logo", type=Path, help="an image for the upper right corner")
    parser.add_argument("--samples", type=whole(1, 65536), default=128, help="samples of a pixel, at most")


def run(options) -> None:
    from mat_shelf.exchange.image_decoding import ImageError
    from mat_shelf.exchange.package import PackageError
    from mat_shelf.exchange.swatch_file import SWATCH_ENDING
    from mat_shelf.sheets.printing import make_sheet
    from mat_shelf.sheets.shapes import swatch_project
    from mat_shelf.sheets.sheet import Paper, Sheet, check_sheet
    from mat_shelf.system.file_reader import read_file

    if all(path.suffix == SWATCH_ENDING for path in options.files):
        try:
            project, assets = swatch_project(options.files)
        except (PackageError, ImageError) as fault:
            raise BadInputError(str(fault)) from fault
    elif len(options.files) == 1:
        project, assets = read_project(options.files[0])
    else:
        raise BadInputError("a sheet is of one project, or of swatches; name one project, or .swatch files alone")
    materials = [chosen("material", name, project.materials, None) for name in options.material or ()]
    sheet = Sheet(
        options.kind,
        tuple(materials) or tuple(material.id for material in project.materials),
        _sets(options.set, project),
        tuple(options.shape or ("bowl",)),
        _swaps(options.variants_of, project),
        options.samples,
    )
    try:
        logo = read_file(options.logo) if options.logo is not None else None
        paper = Paper(options.paper, options.wide, float(options.margin), float(options.dpi), options.title, logo)
        check_sheet(project, sheet, paper, options.output)
    except (OSError, ImageError) as fault:
        raise BadInputError(str(fault)) from fault
    warm_up_now(sys.stderr)
    started = time.monotonic()

    def progress(what: str, done: int, total: int) -> bool:
        if sys.stderr.isatty():
            print(f"\r{what} {done + 1} of {total}   ", end="", file=sys.stderr)
        return True

    try:
        written = make_sheet(project, assets, sheet, paper, options.output, progress)
    except (OSError, ImageError) as fault:
        raise BadInputError(str(fault)) from fault
    print(f"Written to {', '.join(map(str, written))} in {time.monotonic() - started:.1f} s")


def _sets(wanted: list[str] | None, project) -> tuple[str, ...]:
    if wanted == ["all"]:
        return tuple(studio.id for studio in project.sets)
    return tuple(chosen("set", name, project.sets, None) for name in wanted or (project.current_set,))


def _swaps(wanted: str | None, project) -> tuple:
    """The product as it is, and a swap for each variant of the one material, or of all."""
    from mat_shelf.document.shot import Swap

    if wanted is None:
        variants = [material for material in project.materials if material.parent is not None]
    else:
        variants = project.variants_of(chosen("material", wanted, project.materials, None))
        if not variants:
            raise BadInputError(f"'{wanted}' has no variants")
    return (None, *(Swap(material=each.parent, variant=each.id) for each in variants))
