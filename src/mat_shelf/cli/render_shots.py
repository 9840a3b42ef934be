"""`mat-shelf render` of many: the shots of a project, or every view, set or variant."""

import sys
import time
from pathlib import Path

from mat_shelf.cli.common import BadInputError, chosen, read_project, warm_up_now

ALL = "all"


def run_shots(options) -> None:
    """Renders the shots of a project, or those that the options ask for."""
    from mat_shelf.exchange.cluster import crew_at
    from mat_shelf.exchange.image_decoding import ImageError
    from mat_shelf.exchange.shot_queue import ShotState, render_shots
    from mat_shelf.system.memory import usable_memory

    project, assets = read_project(options.file)
    for name, is_given in (
        ("--region", options.region is not None),
        ("--seed", options.seed != 1),
        ("--straight-light", options.straight_light),
        ("--no-denoise", options.no_denoise),
    ):
        if is_given:
            raise BadInputError(f"{name} is of one render; leave it out, or ask for one view, set and variant")
    if options.shots:
        folder = options.output
        shots = [shot for shot in project.hand_over.shots if shot.is_on]
        if not shots:
            raise BadInputError(f"{options.file.name} has no shots that are ticked; add some at the Hand over station")
    else:
        folder = options.output.parent
        project = _with_shots(project, options)
        shots = project.hand_over.shots
    if not folder.resolve().is_dir():
        raise BadInputError(f"the folder {folder.resolve()} does not exist")
    _keep_others(project, shots, folder)
    warm_up_now(sys.stderr)
    started, names = time.monotonic(), {shot.id: shot.name for shot in shots}
    failed = []

    def tell(key: str, state: ShotState) -> None:
        if state.kind == "failed":
            failed.append(f"{names[key]}: {state.words}")
        if state.kind in ("done", "was done", "failed"):
            words = {"was done": "was written before"}.get(state.kind, state.kind)
            print(f"\r{names[key]}: {words} {state.words}".rstrip() + " " * 20, flush=True)
        elif state.kind == "renders" and sys.stderr.isatty():
            left = f", about {state.left:.0f} s left" if state.left is not None else ""
            print(f"\r{names[key]}: {state.samples} of {state.of} samples{left}   ", end="", file=sys.stderr)

    try:
        with crew_at(options.cluster) as crew:
            render_shots(project, assets, shots, folder, tell, memory=usable_memory(), crew=crew)
    except (OSError, ImageError) as fault:
        raise BadInputError(str(fault)) from fault
    if failed:
        raise BadInputError("; ".join(failed))
    print(f"{len(shots)} shot{'s' * (len(shots) != 1)} in {folder} after {time.monotonic() - started:.1f} s")


def _keep_others(project, shots, folder: Path) -> None:
    """Refuses where a file stands that no shot was written to."""
    from mat_shelf.exchange.image_decoding import ImageError
    from mat_shelf.exchange.shot_queue import foreign_files

    try:
        found = foreign_files(project, shots, folder)
    except ImageError as fault:
        raise BadInputError(str(fault)) from fault
    if found:
        raise BadInputError(f"{found[0]} is there already, and not from these shots; move it, or choose other names")


def _with_shots(project, options):
    """The project with a shot for each view, set and variant that is asked for."""
    from mat_shelf.document.shot import HandOver, Shot, Swap
    from mat_shelf.exchange.image_decoding import ImageError
    from mat_shelf.exchange.image_form import ending_of
    from mat_shelf.exchange.layered_image import check_layered
    from mat_shelf.rendering.aovs import PASSES

    try:
        kind = ending_of(Path(options.output), False, 8)[1:]
    except ImageError as fault:
        raise BadInputError(str(fault)) from fault
    views = _ids("view", options.view, project.views, project.current_view)
    sets = _ids("set", options.set, project.sets, project.current_set)
    swaps = [None]
    if options.variant:
        base, _, rest = options.variant.partition("/")
        if rest == ALL:
            parent = chosen("material", base, project.materials, None)
            swaps = [Swap(material=parent, variant=each.id) for each in project.variants_of(parent)]
            if not swaps:
                raise BadInputError(f"'{base}' has no variants")
        else:
            variant = project.material(chosen("variant", options.variant, project.materials, None))
            if variant.parent is None:
                raise BadInputError(f"'{variant.name}' is no variant of another material")
            swaps = [Swap(material=variant.parent, variant=variant.id)]
    wanted = tuple(name.strip() for name in options.passes.split(",") if name.strip())
    wanted = tuple(name for name in PASSES if name != "kinds") if wanted == ("all",) else wanted
    unknown = sorted(set(wanted) - set(PASSES))
    if unknown:
        raise BadInputError(f"there is no pass '{unknown[0]}'; there are {', '.join(PASSES)} and all")
    try:
        if kind == "ora":
            check_layered(wanted)
    except ImageError as fault:
        raise BadInputError(str(fault)) from fault
    if kind != "exr" and (options.cryptomatte or (wanted and kind != "ora")):
        raise BadInputError("passes and Cryptomatte need an EXR; give the file the ending .exr")
    form = {
        "width": options.width,
        "height": options.height,
        "dpi": float(options.dpi),
        "samples": options.samples,
        "noise": options.noise or 0.0,
        "kind": kind,
        "bits": options.bits,
        "background": _background(options),
        "profile": options.profile,
        "is_finished": not options.no_finish,
        "passes": wanted,
        "has_ids": options.cryptomatte,
    }
    combined = [(view, studio, swap) for view in views for studio in sets for swap in swaps]
    shots = tuple(
        Shot(id=f"shot-{k}", name=f"Shot {k}", view=view, set=studio, swap=swap, **form)
        for k, (view, studio, swap) in enumerate(combined, 1)
    )
    return project.with_(hand_over=HandOver(finish=project.finish, shots=shots, pattern=options.output.stem))


def _background(options) -> str:
    if not (options.white or options.cut_out):
        return "set"
    return ("white" if options.white else "transparent") + ("-shadow" if options.shadow else "")


def _ids(kind: str, wanted: str | None, things, current: str) -> list[str]:
    return [thing.id for thing in things] if wanted == ALL else [chosen(kind, wanted, things, current)]
