"""`mat-shelf export`."""

import argparse
from pathlib import Path

from mat_shelf.cli.common import BadInputError, percent, read_project, warm_up_now, whole

NAME, HELP = "export", "write the product with its zones, labels and materials in an open format"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", type=Path)
    parser.add_argument("-o", "--output", type=Path, required=True, help="a .glb")
    parser.add_argument("--size", type=whole(64, 8192), default=2048, help="texels along a side of the largest maps")
    parser.add_argument("--compact", action="store_true", help="maps of colour as JPEG rather than PNG")
    parser.add_argument("--no-variants", action="store_true", help="leaves variants of the materials out")


def run(options) -> None:
    import sys

    from mat_shelf.exchange.materials.losses import baked_names, gltf_losses, product_losses
    from mat_shelf.exchange.models.product_glb import GlbOptions, export_glb
    from mat_shelf.geometry.mesh import MeshError
    from mat_shelf.rendering.baking import BakeError

    if options.output.suffix.lower() != ".glb":
        raise BadInputError(f"'{options.output.name}' must end in .glb")
    project, assets = read_project(options.file)
    if baked_names(project):
        warm_up_now(sys.stderr)
    for line in product_losses(project, gltf_losses):
        print(f"{line}.", file=sys.stderr)
    chosen = GlbOptions(options.size, options.compact, not options.no_variants)
    try:
        export_glb(options.output, project, assets, chosen, percent)
    except (BakeError, MeshError) as fault:
        raise BadInputError(str(fault)) from None
    except OSError as fault:
        raise BadInputError(f"{options.output} cannot be written: {fault.strerror or fault}") from None
