"""The command line: the same core without a window. Exit 0 on success, 2 with one clear line on bad input."""

import argparse
import json
import os
import sys
import time
from pathlib import Path

from mat_shelf.exchange.readers import prepare_readers
from mat_shelf.system.fault_log import log_fault, plain_streams
from mat_shelf.system.file_writer import words_of
from mat_shelf.system.user_folders import ensure_home


class BadInputError(Exception):
    """What the user gave cannot be worked with; the message is the one line they see."""


def main(arguments: list[str] | None = None) -> int:
    plain_streams()
    ensure_home()
    options = _parser().parse_args(arguments)
    if options.run in (_demo, _open, _render, _bake, _export, _measure):
        prepare_readers()  # they start while the rest of the program is loaded
    try:
        return options.run(options) or 0
    except BadInputError as fault:
        print(f"mat-shelf: {fault}", file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        print("mat-shelf: stopped", file=sys.stderr)
        return 130
    except BrokenPipeError:  # whoever read the output has seen enough
        sys.stdout = None
        return 0
    except Exception as fault:
        print(f"mat-shelf: {_words_for(fault)}", file=sys.stderr)
        kept = log_fault(fault, "command line")
        if kept is not None:
            print(f"mat-shelf: what happened is written down in {kept}", file=sys.stderr)
        return 2


def _words_for(fault: Exception) -> str:
    """A fault that no command foresaw, in one line."""
    if isinstance(fault, MemoryError):
        return "there is not enough memory for that; choose a smaller size, or close other programs"
    if isinstance(fault, OSError):
        return f"that was not done: {words_of(fault)}"
    return f"something went wrong inside Mat Shelf ({type(fault).__name__})"


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="mat-shelf", description="A workshop for the surface materials of products.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")

    def command(name, run, text):
        made = commands.add_parser(name, help=text, description=text)
        made.set_defaults(run=run)
        return made

    demo = command("demo", _demo, "open the window with the demo project")
    demo.add_argument("--screenshot", type=Path, help="save an image of the window and quit")
    opening = command("open", _open, "open a project, or the demo where none is given")
    opening.add_argument("file", type=Path, nargs="?")
    new_demo = command("new-demo", _new_demo, "write the demo project")
    new_demo.add_argument("file", type=Path)
    render = command("render", _render, "render a project to an image")
    render.add_argument("file", type=Path)
    render.add_argument("-o", "--output", type=Path, required=True, help="a .png, .exr, .tiff or .jpg")
    render.add_argument("--width", type=_whole(16, 16384), default=1280)
    render.add_argument("--height", type=_whole(16, 16384), default=860)
    render.add_argument("--samples", type=_whole(1, 65536), default=128)
    render.add_argument("--seed", type=_whole(0, 2**31 - 1), default=1)
    render.add_argument("--set", metavar="NAME", help="the set to use; else the one in use")
    render.add_argument("--view", metavar="NAME", help="the view to look through; else the one in use")
    render.add_argument(
        "--passes", default="", metavar="LIST", help="albedo,normal,depth,position,parts,materials or all"
    )
    render.add_argument(
        "--straight-light",
        action="store_true",
        help="light passes straight through clear glass: sooner free of noise, but less true",
    )
    render.add_argument("--cut-out", action="store_true", help="transparent background")
    render.add_argument("--bits", type=int, choices=(8, 16), default=8, help="bits per channel of PNG and TIFF")
    render.add_argument("--no-denoise", action="store_true")
    bake = command("bake", _bake, "write a material's inputs on a part as a texture set")
    bake.add_argument("file", type=Path)
    bake.add_argument("material", help="name of the material")
    bake.add_argument("part", help="name of the part")
    bake.add_argument("-o", "--output", type=Path, required=True, metavar="FOLDER")
    bake.add_argument("--size", type=_whole(16, 16384), default=2048, help="texels along each side")
    measure = command("measure", _measure, "measure a material as instruments would: albedo, gloss, CIELAB")
    measure.add_argument("file", type=Path, help="a project, or a swatch")
    measure.add_argument("material", nargs="?", help="name of the material; all of a project's otherwise")
    measure.add_argument("--json", action="store_true")
    export = command("export", _export, "write the product with its zones and materials in an open format")
    export.add_argument("file", type=Path)
    export.add_argument("-o", "--output", type=Path, required=True, help="a .glb")
    prepare = command(
        "prepare",
        _prepare,
        "compile the kernels and render the thumbnails of the library, so that later starts are quick",
    )
    prepare.add_argument("--renderer-only", action="store_true", help="leave out the thumbnails of the library")
    bench = command("bench", _bench, "measure speed against the reference libraries")
    bench.add_argument("--json", action="store_true")
    bench.add_argument("--error", action="store_true", help="only the error of the demo after 10 s; takes 15 minutes")
    return parser


def _whole(low: int, high: int):
    def measure(text: str) -> int:
        try:
            value = int(text)
        except ValueError:
            raise argparse.ArgumentTypeError(f"'{text}' is not a whole number") from None
        if not low <= value <= high:
            raise argparse.ArgumentTypeError(f"{value} is not between {low} and {high}")
        return value

    return measure


def _demo(options) -> None:
    from mat_shelf.demo.desk_set import demo_project

    picture = options.screenshot
    if not picture and not _has_display():
        picture = Path("mat-shelf-demo.png").resolve()
        print("There is no display here, so the window opens unseen and an image of it is saved.")
    if picture:
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    project, meshes = demo_project()
    _window(project, meshes, screenshot=picture)
    if picture:
        print(f"Saved {picture}")


def _open(options) -> None:
    from mat_shelf.demo.desk_set import demo_project

    project, assets = _read(options.file) if options.file else demo_project()
    if not _has_display():
        raise BadInputError("there is no display to open a window on; use 'mat-shelf render' for an image")
    _window(project, assets, path=options.file.resolve() if options.file else None)


def _has_display() -> bool:
    return any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"))


def _window(project, meshes, **options) -> None:
    try:
        from mat_shelf.app.start import run
    except ImportError as fault:
        raise BadInputError(f"the window's libraries are not complete ({fault}); run 'make setup'") from fault
    from mat_shelf.library.library import LibraryError

    try:
        run(project, meshes, **options)
    except LibraryError as fault:
        raise BadInputError(str(fault)) from fault


def _read(path: Path):
    from mat_shelf.exchange.package import PackageError
    from mat_shelf.exchange.project_file import open_project

    try:
        return open_project(path)
    except PackageError as fault:
        raise BadInputError(str(fault)) from fault


def _new_demo(options) -> None:
    from mat_shelf.demo.desk_set import demo_project
    from mat_shelf.exchange.project_file import save_project

    try:
        save_project(options.file, *demo_project())
    except OSError as fault:
        raise BadInputError(str(fault)) from fault
    print(f"Written to {options.file}")


def _warm_up(out) -> None:
    from mat_shelf.rendering.warmup import is_warm, warm_up

    if not is_warm():
        print("Compiling the renderer, once; this takes a minute or two", file=out, flush=True)
        warm_up(lambda text: print(f"  {text}", file=out, flush=True))


def _export(options) -> None:
    from mat_shelf.exchange.models.glb_writer import export_glb

    if options.output.suffix.lower() != ".glb":
        raise BadInputError(f"'{options.output.name}' must end in .glb")
    project, assets = _read(options.file)
    try:
        export_glb(options.output, project, assets)
    except OSError as fault:
        raise BadInputError(f"{options.output} cannot be written: {fault.strerror or fault}") from None


def _bake(options) -> None:
    from mat_shelf.exchange.geometry_map_cache import fill_geometry_maps
    from mat_shelf.exchange.models.mesh_glb import NamedMesh, glb_bytes
    from mat_shelf.exchange.texture_set import write_maps
    from mat_shelf.geometry.adjacency import face_areas
    from mat_shelf.geometry.mesh import MeshError
    from mat_shelf.geometry.unwrap import unwrap
    from mat_shelf.patterns.step import PatternContext
    from mat_shelf.rendering.baking import BakeError, bake
    from mat_shelf.system.file_writer import write_file

    project, assets = _read(options.file)
    material = project.material(_chosen("material", options.material, project.materials, None))
    part = project.part(_chosen("part", options.part, project.product.parts, None))
    mesh, folder = assets.meshes[part.mesh], options.output
    _warm_up(sys.stderr)
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
        fill_geometry_maps(alone, assets, _percent("edges and crevices"))
        progress = _percent(f"baking {part.name}")
        baked = bake(material.recipe, part, mesh, options.size, context, assets.geometry_maps, progress)
        for path in write_maps(folder, material.name, baked.maps):
            print(path)
    except (BakeError, MeshError) as fault:
        raise BadInputError(str(fault)) from None
    except OSError as fault:
        raise BadInputError(f"{folder} cannot be written: {fault.strerror or fault}") from None


def _percent(what: str):
    """Tells how far something is, where someone is looking."""

    def progress(done: int, total: int) -> bool:
        if sys.stderr.isatty():
            print(f"\r{what}: {100 * done // total} %   ", end="", file=sys.stderr)
        return True

    return progress


def _render(options) -> None:
    from mat_shelf.exchange.geometry_map_cache import fill_geometry_maps
    from mat_shelf.exchange.image_writing import ImageError, ending_of, write_image
    from mat_shelf.rendering.aovs import PASSES, render_aovs
    from mat_shelf.rendering.session import render
    from mat_shelf.scene.displacement import fill_displacements

    wanted = [name.strip() for name in options.passes.split(",") if name.strip()]
    wanted = list(PASSES) if wanted == ["all"] else wanted
    unknown = set(wanted) - set(PASSES)
    if unknown:
        raise BadInputError(f"there is no pass '{sorted(unknown)[0]}'; there are {', '.join(PASSES)} and all")
    try:
        ending_of(options.output, options.cut_out, options.bits == 16, bool(wanted))
    except ImageError as fault:
        raise BadInputError(str(fault)) from fault
    if not options.output.resolve().parent.is_dir():
        raise BadInputError(f"the folder {options.output.resolve().parent} does not exist")
    project, assets = _read(options.file)
    project = project.with_(
        current_set=_chosen("set", options.set, project.sets, project.current_set),
        current_view=_chosen("view", options.view, project.views, project.current_view),
    )
    _warm_up(sys.stderr)
    fill_geometry_maps(project, assets, _percent("edges and crevices"))
    for words in fill_displacements(project, assets, _percent("true relief")):
        print(words, file=sys.stderr)
    started = time.monotonic()

    def progress(done: int, total: int) -> bool:
        left = (time.monotonic() - started) / done * (total - done)
        if sys.stderr.isatty():
            print(f"\r{done} of {total} samples, about {left:.0f} s left   ", end="", file=sys.stderr)
        return True

    rendered = render(
        project,
        assets,
        options.width,
        options.height,
        options.samples,
        seed=options.seed,
        denoise=not options.no_denoise,
        cut_out=options.cut_out,
        straight=options.straight_light,
        progress=progress,
    )
    if sys.stderr.isatty():
        print(file=sys.stderr)
    try:
        extra = render_aovs(project, rendered, wanted)
        deep, is_exact = options.bits == 16, project.set.exact_colors
        write_image(options.output, rendered.light, rendered.alpha, deep, extra, is_exact)
        dropped = int(rendered.film.dropped.sum())
        if dropped:
            print(f"{dropped:,} light values were not numbers and were left out; please report this.", file=sys.stderr)
    except (OSError, ImageError) as fault:
        raise BadInputError(str(fault)) from fault
    print(f"Written to {options.output} in {time.monotonic() - started:.1f} s")


def _measure(options) -> None:
    from mat_shelf.exchange.package import PackageError
    from mat_shelf.exchange.swatch_file import open_swatch
    from mat_shelf.optics.measurements import measure

    if options.file.suffix == ".swatch":
        try:
            found = [open_swatch(options.file)]
        except PackageError as fault:
            raise BadInputError(str(fault)) from fault
    else:
        materials = _read(options.file)[0].materials
        found = [m for m in materials if options.material in (None, m.id, m.name)]
    if not found:
        raise BadInputError(f"there is no material called '{options.material}' in '{options.file}'")
    _warm_up(sys.stderr)
    told = {}
    for number, thing in enumerate(found, 1):
        if len(found) > 1:
            print(f"{number} of {len(found)}: {thing.name}", file=sys.stderr, flush=True)
        measurements = measure(thing.recipe)
        told[thing.name] = {
            "albedo": {str(angle): _rounded(value) for angle, value in measurements.albedo.items()},
            "transmitted": {str(angle): _rounded(value) for angle, value in measurements.transmitted.items()},
            "f0": _rounded(measurements.f0),
            "gloss": {str(angle): round(value, 1) for angle, value in measurements.gloss.items()},
            "lab_d65": _rounded(measurements.lab, 2),
            "through_mm": {str(mm): _rounded(value) for mm, value in measurements.through.items()},
            "most_given_back": round(measurements.most, 4),
            "fed": [feed.input for feed in thing.recipe.feeds],
            "below": [overlay.name for overlay in thing.recipe.shown_overlays()],
        }
    if options.json:
        print(json.dumps(told, indent=1))
        return
    for name, values in told.items():
        gloss = " / ".join(f"{values['gloss'][angle]:g}" for angle in ("20", "60", "85"))
        lab = " ".join(f"{x:.1f}" for x in values["lab_d65"])
        fed = f"   fed: {', '.join(values['fed'])}" if values["fed"] else ""
        below = f"   without what lies over it: {', '.join(values['below'])}" if values["below"] else ""
        print(f"{name}: gloss {gloss} GU at 20/60/85 degrees, CIELAB {lab}, F0 {values['f0']}{fed}{below}")


def _rounded(values, digits: int = 4) -> list[float]:
    return [round(float(x), digits) for x in values]


def _chosen(kind: str, wanted: str | None, things, current: str | None) -> str:
    """Id of the set, view, material or part with this id or name."""
    if wanted is None:
        return current
    for thing in things:
        if wanted in (thing.id, thing.name):
            return thing.id
    names = ", ".join(f"'{thing.name}'" for thing in things)
    raise BadInputError(f"there is no {kind} called '{wanted}'; there are {names}")


def _prepare(options) -> None:
    from mat_shelf.library.library import Library, LibraryError
    from mat_shelf.library.thumbnails import make_thumbnail, thumbnail_path

    _warm_up(sys.stdout)
    if options.renderer_only:
        return
    try:
        library = Library()
        missing = [entry for entry in library.entries() if not thumbnail_path(entry.recipe_key).exists()]
        for number, entry in enumerate(missing, 1):
            print(f"Rendering thumbnails, {number} of {len(missing)}: {entry.name}", flush=True)
            make_thumbnail(library.swatch(entry.id).recipe)
    except (LibraryError, OSError) as fault:
        raise BadInputError(str(fault)) from fault


def _bench(options) -> None:
    from mat_shelf.bench import bench, equal_time

    _warm_up(sys.stderr)
    result = (equal_time if options.error else bench)(lambda text: print(text, file=sys.stderr))
    if options.json:
        print(json.dumps(result, indent=1))
    else:
        for key, value in result.items():
            print(f"{key:24}{value}")


if __name__ == "__main__":
    sys.exit(main())
