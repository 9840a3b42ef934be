"""`mat-shelf render`."""

import argparse
import sys
import time
from pathlib import Path

from mat_shelf.cli.common import BadInputError, chosen, percent, read_project, warm_up_now, whole

NAME, HELP = "render", "render a project to an image"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", type=Path)
    parser.add_argument("-o", "--output", type=Path, required=True, help="a .png, .exr, .tiff or .jpg")
    parser.add_argument("--width", type=whole(16, 16384), default=1280)
    parser.add_argument("--height", type=whole(16, 16384), default=860)
    parser.add_argument("--samples", type=whole(1, 65536), default=128)
    parser.add_argument("--seed", type=whole(0, 2**31 - 1), default=1)
    parser.add_argument("--set", metavar="NAME", help="the set to use; else the one in use")
    parser.add_argument("--view", metavar="NAME", help="the view to look through; else the one in use")
    parser.add_argument(
        "--passes", default="", metavar="LIST", help="albedo,normal,depth,position,parts,materials,lights or all"
    )
    parser.add_argument(
        "--straight-light",
        action="store_true",
        help="light passes straight through clear glass: sooner free of noise, but less true",
    )
    parser.add_argument("--cut-out", action="store_true", help="transparent background")
    parser.add_argument("--bits", type=int, choices=(8, 16), default=8, help="bits per channel of PNG and TIFF")
    parser.add_argument("--no-denoise", action="store_true")
    parser.add_argument(
        "--region",
        type=_region,
        metavar="X,Y,W,H",
        help="renders only this rectangle, pixels; the rest is transparent",
    )
    parser.add_argument(
        "--keep-rest", action="store_true", help="with --region: the rest is kept of the picture that OUTPUT holds"
    )


def _region(text: str):
    from mat_shelf.rendering.region import PictureRegion

    try:
        x, y, width, height = (int(number) for number in text.split(","))
    except ValueError:
        raise argparse.ArgumentTypeError(f"'{text}' is not four whole numbers: X,Y,WIDTH,HEIGHT") from None
    if min(x, y) < 0 or min(width, height) < 1 or max(x, y, width, height) > 16384:
        raise argparse.ArgumentTypeError(f"'{text}' is no rectangle of a picture")
    return PictureRegion(x, y, width, height)


def run(options) -> None:
    from mat_shelf.exchange.image_writing import ImageError, ending_of
    from mat_shelf.exchange.render_file import RenderSettings, render_to_file
    from mat_shelf.rendering.aovs import PASSES

    wanted = [name.strip() for name in options.passes.split(",") if name.strip()]
    wanted = list(PASSES) if wanted == ["all"] else wanted
    unknown = set(wanted) - set(PASSES)
    if unknown:
        raise BadInputError(f"there is no pass '{sorted(unknown)[0]}'; there are {', '.join(PASSES)} and all")
    if options.keep_rest and options.region is None:
        raise BadInputError("--keep-rest goes with --region; say which rectangle is to be rendered")
    try:
        has_alpha = options.cut_out or (options.region is not None and not options.keep_rest)
        ending_of(options.output, has_alpha, options.bits == 16, bool(wanted))
    except ImageError as fault:
        raise BadInputError(str(fault)) from fault
    if not options.output.resolve().parent.is_dir():
        raise BadInputError(f"the folder {options.output.resolve().parent} does not exist")
    project, assets = read_project(options.file)
    project = project.with_(
        current_set=chosen("set", options.set, project.sets, project.current_set),
        current_view=chosen("view", options.view, project.views, project.current_view),
    )
    warm_up_now(sys.stderr)
    started = time.monotonic()

    def progress(done: int, total: int) -> bool:
        left = (time.monotonic() - started) / done * (total - done)
        if sys.stderr.isatty():
            print(f"\r{done} of {total} samples, about {left:.0f} s left   ", end="", file=sys.stderr)
        return True

    settings = RenderSettings(
        options.width,
        options.height,
        options.samples,
        options.seed,
        denoise=not options.no_denoise,
        cut_out=options.cut_out,
        straight=options.straight_light,
        deep=options.bits == 16,
        passes=wanted,
        region=options.region,
        keep_rest=options.keep_rest,
    )
    try:
        rendered, words = render_to_file(project, assets, options.output, settings, progress, percent)
    except (OSError, ImageError) as fault:
        raise BadInputError(str(fault)) from fault
    if sys.stderr.isatty():
        print(file=sys.stderr)
    for line in words:
        print(line, file=sys.stderr)
    dropped = int(rendered.film.sums.dropped.sum())
    if dropped:
        print(f"{dropped:,} light values were not numbers and were left out; please report this.", file=sys.stderr)
    print(f"Written to {options.output} in {time.monotonic() - started:.1f} s")
