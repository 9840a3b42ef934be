"""`mat-shelf measure`."""

import argparse
import json
import sys
from pathlib import Path

from mat_shelf.cli.common import BadInputError, read_project, warm_up_now

NAME, HELP = "measure", "measure a material as instruments would: albedo, gloss, CIELAB"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", type=Path, help="a project, or a swatch")
    parser.add_argument("material", nargs="?", help="name of the material; all of a project's otherwise")
    parser.add_argument("--json", action="store_true")


def run(options) -> None:
    from mat_shelf.exchange.package import PackageError
    from mat_shelf.exchange.swatch_file import open_swatch
    from mat_shelf.optics.measurements import measure

    if options.file.suffix == ".swatch":
        try:
            found = [open_swatch(options.file)]
        except PackageError as fault:
            raise BadInputError(str(fault)) from fault
    else:
        materials = read_project(options.file)[0].materials
        found = [m for m in materials if options.material in (None, m.id, m.name)]
    if not found:
        raise BadInputError(f"there is no material called '{options.material}' in '{options.file}'")
    warm_up_now(sys.stderr)
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
