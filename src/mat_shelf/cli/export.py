"""`mat-shelf export`."""

import argparse
from pathlib import Path

from mat_shelf.cli.common import BadInputError, read_project

NAME, HELP = "export", "write the product with its zones and materials in an open format"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", type=Path)
    parser.add_argument("-o", "--output", type=Path, required=True, help="a .glb")


def run(options) -> None:
    from mat_shelf.exchange.models.glb_writer import export_glb

    if options.output.suffix.lower() != ".glb":
        raise BadInputError(f"'{options.output.name}' must end in .glb")
    project, assets = read_project(options.file)
    try:
        export_glb(options.output, project, assets)
    except OSError as fault:
        raise BadInputError(f"{options.output} cannot be written: {fault.strerror or fault}") from None
