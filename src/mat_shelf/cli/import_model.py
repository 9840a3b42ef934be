"""`mat-shelf import`."""

import argparse
import json
from pathlib import Path

from mat_shelf.cli.common import BadInputError, read_project

NAME, HELP = "import", "make a project of a model, and say what was mended and left out"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    from mat_shelf.document.product import FINENESS
    from mat_shelf.geometry.size import UNITS

    parser.add_argument("model", type=Path, help="a model: STEP, IGES, glTF, USD, OBJ, STL, PLY or 3MF")
    parser.add_argument("-o", "--output", type=Path, required=True, metavar="FILE", help="a .matshelf")
    parser.add_argument("--unit", choices=list(UNITS), help="what its numbers are, whatever the file says")
    parser.add_argument("--up", choices=["y", "z"], help="axis that points up, whatever the file says")
    parser.add_argument("--like", type=Path, metavar="FILE", help="a project whose materials, marks and sets to take")
    parser.add_argument("--fineness", choices=list(FINENESS), default="good", help="of the curved faces of a CAD file")
    parser.add_argument("--json", action="store_true")


def run(options) -> None:
    import numpy as np

    from mat_shelf.exchange.model_update import update_model
    from mat_shelf.exchange.product_import import new_project, read_product
    from mat_shelf.exchange.project_file import PROJECT_ENDING, save_project
    from mat_shelf.geometry.mesh import MeshError
    from mat_shelf.geometry.pose import posed_bounds

    if options.output.suffix.lower() != PROJECT_ENDING:
        raise BadInputError(f"'{options.output.name}' must end in {PROJECT_ENDING}")
    like = read_project(options.like) if options.like is not None else None
    try:
        found = read_product(options.model, fineness=options.fineness, unit=options.unit, up=options.up)
    except MeshError as fault:
        raise BadInputError(str(fault)) from None
    said, parts = found.words(), found.product.parts
    bounds = np.array([posed_bounds(found.assets.meshes[part.mesh], part.pose) for part in parts])
    size = bounds[:, 1].max(axis=0) - bounds[:, 0].min(axis=0)
    if like is None:
        project, assets = new_project(found.product, found.materials, size), found.assets
    else:
        project, assets = like
        assets.take(found.assets)
        project, told = update_model(project, assets, found.product, found.materials)
        project = project.with_(name=found.product.name)
        said.append(told.words())
    try:
        save_project(options.output, project, assets)
    except OSError as fault:
        raise BadInputError(f"{options.output} cannot be written: {fault.strerror or fault}") from None
    size = [round(float(x), 3) for x in size]
    unit, up = found.product.unit, found.up
    if options.json:
        names = [part.name for part in project.product.parts]
        print(json.dumps({"parts": names, "unit": unit, "up": up, "size_mm": size, "notes": said}))
        return
    for line in said:
        print(line if line.endswith(".") else f"{line}.")
    count = f"{len(parts)} part{'' if len(parts) == 1 else 's'}"
    print(f"{count}, {' x '.join(f'{x:g}' for x in size)} mm, read as {unit}, {up} up: {options.output}")
