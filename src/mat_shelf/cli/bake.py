"""`mat-shelf bake`."""

import argparse
import sys
from pathlib import Path

from mat_shelf.cli.common import BadInputError, chosen, percent, read_project, warm_up_now, whole

NAME, HELP = "bake", "write a material's inputs on a part as a texture set"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", type=Path)
    parser.add_argument("material", help="name of the material")
    parser.add_argument("part", help="name of the part")
    parser.add_argument("-o", "--output", type=Path, required=True, metavar="FOLDER")
    parser.add_argument("--naming", choices=["inputs", "common", "packed"], default="inputs", help="names of the files")
    parser.add_argument(
        "--normals", choices=["up", "down"], default="up", help="way in which green of the normals points"
    )
    parser.add_argument("--size", type=whole(16, 16384), default=2048, help="texels along each side")


def run(options) -> None:
    from mat_shelf.exchange.materials.texture_files import write_maps
    from mat_shelf.exchange.models.mesh_glb import NamedMesh, glb_bytes
    from mat_shelf.exchange.supplies import prepare_supplies
    from mat_shelf.geometry.adjacency import face_areas
    from mat_shelf.geometry.mesh import MeshError
    from mat_shelf.geometry.unwrap import unwrap
    from mat_shelf.patterns.step import PatternContext
    from mat_shelf.rendering.baking import BakeError, bake
    from mat_shelf.system.file_writer import write_file

    project, assets = read_project(options.file)
    material = project.material(chosen("material", options.material, project.materials, None))
    part = project.part(chosen("part", options.part, project.product.parts, None))
    mesh, folder = assets.meshes[part.mesh], options.output
    warm_up_now(sys.stderr)
    context = PatternContext({p.id: p for p in material.recipe.patterns}, assets.pictures)
    try:
        if mesh.uv is None:
            # a square atlas is filled by about two thirds
            mesh, _ = unwrap(mesh, 1.25 * float(face_areas(mesh).sum()) ** 0.5 / options.size)
            folder.mkdir(parents=True, exist_ok=True)
            model, data = folder / f"{part.id}.glb", glb_bytes([NamedMesh(part.name, mesh)])
            write_file(model, data)
            print(f"'{part.name}' had no UVs; the unwrapped mesh is in {model}")
        alone = project.with_parts([part.with_(material=material.id, zones=(), is_hidden=False)])
        prepare_supplies(alone, assets, percent)

        def progress(done: int, total: int) -> bool:
            return percent(f"Baking {part.name}", done, total)

        baked = bake(material.recipe, part, mesh, options.size, context, assets.geometry_maps, assets.faces, progress)
        for path in write_maps(folder, material.name, baked.maps, options.naming, options.normals == "down"):
            print(path)
    except (BakeError, MeshError) as fault:
        raise BadInputError(str(fault)) from None
    except OSError as fault:
        raise BadInputError(f"{folder} cannot be written: {fault.strerror or fault}") from None
