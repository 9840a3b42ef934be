"""`mat-shelf render`."""

import argparse
import sys
import time
from pathlib import Path

from mat_shelf.cli.common import BadInputError, add_cluster, chosen, percent, read_project, warm_up_now, whole
from mat_shelf.cli.render_shots import run_shots

NAME, HELP = "render", "render a project to an image"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", type=Path)
    parser.add_argument(
        "-o",
        "--output",
        type=Path,
        required=True,
        help="a .png, .exr, .tiff, .jpg, .webp, .avif or .ora; {view}, {set}, {variant} in it stand for their names; "
        "with --shots a folder",
    )
    parser.add_argument("--width", type=whole(16, 16384), default=1280)
    parser.add_argument("--height", type=whole(16, 16384), default=860)
    parser.add_argument(
        "--samples", type=whole(1, 65536), help="samples of a pixel, at most; 128, or with --noise 2048"
    )
    parser.add_argument(
        "--noise",
        type=_noise,
        metavar="LEVEL",
        help="stops where the picture is clean enough: draft, good, final, or a percentage of the light such as 4",
    )
    parser.add_argument("--seed", type=whole(0, 2**31 - 1), default=1)
    parser.add_argument("--set", metavar="NAME", help="the set to use, or all; else the one in use")
    parser.add_argument("--view", metavar="NAME", help="the view to look through, or all; else the one in use")
    parser.add_argument(
        "--variant", metavar="NAME", help="a variant, worn in place of what it is a variant of; all of one as NAME/all"
    )
    parser.add_argument(
        "--shots", action="store_true", help="renders the ticked shots of the project, each its own way"
    )
    parser.add_argument(
        "--passes", default="", metavar="LIST", help="albedo,normal,depth,position,parts,materials,lights or all"
    )
    parser.add_argument(
        "--straight-light",
        action="store_true",
        help="light passes straight through clear glass: sooner free of noise, but less true",
    )
    parser.add_argument("--cut-out", action="store_true", help="transparent background, also behind clear glass")
    parser.add_argument("--white", action="store_true", help="the product alone, on white")
    parser.add_argument(
        "--trim", type=float, metavar="PERCENT", help="crop to the product, with this margin of its longer side"
    )
    parser.add_argument("--shadow", action="store_true", help="with --cut-out or --white: its shadow is cut out too")
    parser.add_argument("--bits", type=int, choices=(8, 16, 32), default=8, help="bits per channel")
    parser.add_argument("--dpi", type=whole(1, 10000), default=72, help="pixels per inch, which the file says")
    parser.add_argument(
        "--profile", choices=("srgb", "display-p3", "oprgb"), default="srgb", help="colours of the file"
    )
    parser.add_argument(
        "--cryptomatte", action="store_true", help="masks by number, of parts, materials and zones, in an EXR"
    )
    parser.add_argument(
        "--packing", choices=("zip", "dwaa"), default="zip", help="of an EXR: zip is exact, dwaa several times smaller"
    )
    parser.add_argument("--parts", action="store_true", help="each pass of an EXR is a part of its own")
    parser.add_argument("--no-finish", action="store_true", help="the light as it was rendered, without the finish")
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
    add_cluster(parser)


def _noise(text: str) -> float:
    from mat_shelf.rendering.adaptive import NOISE_LEVELS

    if text in NOISE_LEVELS:
        return NOISE_LEVELS[text]
    try:
        percent = float(text.removesuffix("%"))
    except ValueError:
        percent = 0.0
    if not 0.1 <= percent <= 100:
        raise argparse.ArgumentTypeError(
            f"'{text}' is neither {', '.join(NOISE_LEVELS)} nor a percentage from 0.1 to 100"
        )
    return percent / 100


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
    from mat_shelf.document.shot import SAMPLES, samples_for

    options.samples = options.samples or samples_for(options.noise or 0.0, 0.0, SAMPLES)
    if options.shots or "all" in (options.view, options.set) or options.variant:
        run_shots(options)
        return
    from mat_shelf.document.shot import Crop
    from mat_shelf.exchange.cluster import crew_at
    from mat_shelf.exchange.color_profiles import COLOR_SPACES
    from mat_shelf.exchange.image_decoding import ImageError
    from mat_shelf.exchange.image_form import Form, ending_of
    from mat_shelf.exchange.layered_image import check_layered
    from mat_shelf.exchange.render_file import RenderSettings, render_to_file
    from mat_shelf.rendering.aovs import PASSES

    wanted = [name.strip() for name in options.passes.split(",") if name.strip()]
    wanted = [name for name in PASSES if name != "kinds"] if wanted == ["all"] else wanted  # or by light, or by kind
    unknown = set(wanted) - set(PASSES)
    if unknown:
        raise BadInputError(f"there is no pass '{sorted(unknown)[0]}'; there are {', '.join(PASSES)} and all")
    if options.trim is not None and not 0 <= options.trim <= 200:
        raise BadInputError("--trim takes a margin of 0 to 200 percent")
    if options.shadow and not (options.cut_out or options.white):
        raise BadInputError("--shadow goes with --cut-out or --white; else the shadow falls on the set's backdrop")
    if options.keep_rest and options.region is None:
        raise BadInputError("--keep-rest goes with --region; say which rectangle is to be rendered")
    try:
        has_alpha = options.cut_out or (options.region is not None and not options.keep_rest)
        ending = ending_of(options.output, has_alpha, options.bits, bool(wanted))
        if ending == ".ora":
            check_layered(wanted)
        if options.cryptomatte and ending != ".exr":
            raise ImageError("Cryptomatte needs an EXR; give the file the ending .exr")
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
        noise=options.noise,
        denoise=not options.no_denoise,
        cut_out=options.cut_out or options.white,
        has_shadow=options.shadow,
        crop=None if options.trim is None else Crop(margin=options.trim / 100),
        straight=options.straight_light,
        form=Form(
            options.bits,
            COLOR_SPACES[options.profile],
            float(options.dpi),
            options.white,
            packing=options.packing,
            has_parts=options.parts,
        ),
        is_finished=not options.no_finish,
        has_ids=options.cryptomatte,
        passes=wanted,
        region=options.region,
        keep_rest=options.keep_rest,
    )
    try:
        with crew_at(options.cluster) as crew:
            rendered, words = render_to_file(project, assets, options.output, settings, progress, percent, crew=crew)
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
