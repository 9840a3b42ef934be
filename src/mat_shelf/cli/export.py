"""`mat-shelf export`."""

import argparse
import sys
from pathlib import Path

from mat_shelf.cli.common import BadInputError, chosen, percent, read_project, warm_up_now, whole

NAME, HELP = "export", "write the product, a part or a material in an open format"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", type=Path)
    output = "a .glb, .usdz, .usda, .usdc, .mtlx or .swatch; a folder for a texture set"
    parser.add_argument("-o", "--output", type=Path, required=True, help=output)
    parser.add_argument("--material", metavar="NAME", help="one material alone, on a square sheet where it needs one")
    parser.add_argument("--part", metavar="NAME", action="append", default=[], help="one part; may be given again")
    parser.add_argument("--size", type=whole(64, 8192), default=2048, help="texels along a side of the largest maps")
    parser.add_argument("--compact", action="store_true", help="maps of colour in a GLB as JPEG rather than PNG")
    parser.add_argument("--no-variants", action="store_true", help="leaves variants of the materials out")
    parser.add_argument("--maps", action="store_true", help="patterns in MaterialX as maps rather than nodes")
    parser.add_argument("--naming", choices=["inputs", "common", "packed"], default="inputs", help="of a texture set")
    parser.add_argument("--normals", choices=["up", "down"], default="up", help="where green of a set's normals points")


def run(options) -> None:
    from mat_shelf.exchange import exporting
    from mat_shelf.exchange.materials.losses import baked_names
    from mat_shelf.geometry.mesh import MeshError
    from mat_shelf.rendering.baking import BakeError

    form = exporting.format_for(options.output)
    if form is None and not options.output.suffix:
        form = exporting.export_format("textures")
    if form is None:
        endings = ", ".join(ending for one in exporting.EXPORT_FORMATS for ending in one.endings)
        raise BadInputError(f"'{options.output.name}' must end in one of {endings}, or be a folder")
    scope = "material" if options.material else "parts" if options.part else "product"
    if scope not in form.takes:
        raise BadInputError(f"{form.label} needs --{'material' if 'material' in form.takes else 'part'}")
    project, assets = read_project(options.file)
    if scope == "material":
        key = chosen("material", options.material, project.materials, None)
        project, assets = exporting.with_material_alone(project, project.material(key), assets)
    elif scope == "parts":
        keys = [chosen("part", name, project.product.parts, None) for name in options.part]
        project = exporting.with_parts_alone(project, keys)
    choices = exporting.ExportChoices(
        form.key,
        options.size,
        options.compact,
        not options.no_variants,
        options.maps,
        options.naming,
        options.normals == "down",
    )
    if baked_names(project):
        warm_up_now(sys.stderr)
    for line in exporting.losses_of(project, assets, choices):
        print(f"{line}.", file=sys.stderr)
    try:
        for note in exporting.export(options.output, project, assets, choices, percent):
            print(f"{note[0].upper()}{note[1:]}.", file=sys.stderr)
    except (BakeError, MeshError) as fault:
        raise BadInputError(str(fault)) from None
    except OSError as fault:
        raise BadInputError(f"{options.output} cannot be written: {fault.strerror or fault}") from None
