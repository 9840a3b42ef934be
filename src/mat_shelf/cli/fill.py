"""`mat-shelf fill`."""

import argparse
import json
from pathlib import Path

from mat_shelf.cli.common import BadInputError, chosen, read_project

NAME, HELP = "fill", "fill a vessel with a liquid, and say what it holds"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", type=Path)
    parser.add_argument("part", help="name of the vessel")
    parser.add_argument("--liquid", metavar="SWATCH", help="name or id of a swatch; water, or what is in it, otherwise")
    amount = parser.add_mutually_exclusive_group(required=True)
    amount.add_argument("--volume", type=float, metavar="ML")
    amount.add_argument("--headspace", type=float, metavar="MM")
    amount.add_argument("--overfill", type=float, metavar="MM", help="height above the brim, held by surface tension")
    amount.add_argument("--share", type=float, metavar="PERCENT")
    parser.add_argument("--tilt", type=float, default=0.0, metavar="DEG", help="of gravity, from upright")
    parser.add_argument("--direction", type=float, default=0.0, metavar="DEG", help="of the tilt")
    parser.add_argument("--wall", type=float, metavar="MM", help="hollows a solid first, with so thick a wall")
    parser.add_argument("--base", type=float, metavar="MM", help="its base; as thick as the wall otherwise")
    parser.add_argument(
        "--raised",
        type=float,
        default=0.0,
        metavar="MM",
        help="middle of the base over its edge; below 0 deeper",
    )
    parser.add_argument(
        "--follows",
        type=float,
        default=0.0,
        metavar="PERCENT",
        help="how far the base inside rises where the outside does",
    )
    parser.add_argument("--corner", type=float, default=0.0, metavar="MM", help="radius between inner wall and base")
    parser.add_argument("-o", "--output", type=Path, required=True, metavar="FILE")
    parser.add_argument("--json", action="store_true")


def run(options) -> None:
    from mat_shelf.commands.fills import FillCommands
    from mat_shelf.commands.materials import Wearable
    from mat_shelf.commands.session import Session
    from mat_shelf.exchange.project_file import PROJECT_ENDING, save_project
    from mat_shelf.fills.liquids import LIQUIDS
    from mat_shelf.library.library import Library

    if options.output.suffix.lower() != PROJECT_ENDING:
        raise BadInputError(f"{options.output.name} is no project; end its name in {PROJECT_ENDING}")
    project, assets = read_project(options.file)
    session = Session(project, assets, Library())
    said: list[str] = []
    session.said.connect(said.append)
    swatch = None
    if options.liquid is not None:
        swatch = chosen("liquid", options.liquid, [s for s in session.library.entries() if s.family == "Liquid"], None)
    measure = next(name for name in ("volume", "headspace", "share", "overfill") if getattr(options, name) is not None)
    values = {"measure": measure, measure: getattr(options, measure), "tilt": options.tilt}
    values["direction"] = options.direction
    fills = FillCommands(session)
    session.select(chosen("part", options.part, project.product.parts, None))
    if options.wall is not None:
        base = options.wall if options.base is None else options.base
        if not (0 < options.wall < 1e5 and 0 < base < 1e5 and 0 <= options.corner < 1e5 and abs(options.raised) < 1e5):
            raise BadInputError("wall and base must be more than 0 mm, the corner 0 or more")
        if not 0 <= options.follows <= 100:
            raise BadInputError("the base follows the outside by 0 to 100 percent")
        fills.hollow(options.wall, base, options.corner, options.raised, options.follows / 100)
        if said:
            raise BadInputError(said[0].rstrip("."))
    liquid = next((one for one in LIQUIDS if one.swatch == swatch), None)
    if fills.fill_part is None:
        fills.add_fill(liquid or LIQUIDS[0], **values)
    else:
        if liquid is not None:
            fills.set_liquid(liquid)
        if session.changed(fills.fill, measure, values[measure]) is not None:
            fills.put("Fill", fills.fill.with_(**values))
    if swatch is not None and fills.fill_part is not None and not said:
        session.put_on([(fills.fill_part.id, None)], Wearable("swatch", swatch))
    fills.tell()
    poured = fills.liquid
    if said or poured is None:
        raise BadInputError(said[0].rstrip(".") if said else f"{options.part} cannot be filled: {fills.fault}")
    if measure == "volume" and options.volume > poured.capacity_ml * 1.0005:
        raise BadInputError(f"{options.part} holds {poured.capacity_ml:.1f} ml; {options.volume:g} ml would run out")
    save_project(options.output, session.project, assets)
    told = {name: round(getattr(poured, name), 3) for name in _TOLD}
    if options.json:
        print(json.dumps(told, indent=1))
    else:
        amount = f"{told['volume_ml']:g} of {told['capacity_ml']:g} ml, {told['headspace_mm']:g} mm to the brim"
        print(f"{options.part}: {amount}, level at {told['level_mm']:g} mm, edge {told['meniscus_mm']:g} mm")


_TOLD = ("capacity_ml", "volume_ml", "headspace_mm", "level_mm", "meniscus_mm")
