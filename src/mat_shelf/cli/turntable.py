"""`mat-shelf turntable`."""

import argparse
import sys
import time
from dataclasses import replace
from pathlib import Path

from mat_shelf.cli.common import BadInputError, add_cluster, chosen, read_project, warm_up_now, whole

NAME, HELP = "turntable", "render a turn of a project to a film, an animation, images or a page"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", type=Path)
    parser.add_argument(
        "-o", "--output", type=Path, required=True, help="a .mp4, .webm, .webp, .html, or .png for images"
    )
    parser.add_argument("--frames", type=whole(2, 3600), default=36)
    parser.add_argument("--seconds", type=float, default=6.0, help="length of the film")
    parser.add_argument("--degrees", type=float, default=360.0, help="angle of the turn; below 0 the other way round")
    parser.add_argument("--going", choices=("product", "camera", "lights"), default="product", help="what goes round")
    parser.add_argument("--to", metavar="VIEW", help="the camera moves from the view to this one, in place of a turn")
    parser.add_argument("--eased", action="store_true", help="starts and ends slowly, where it is no whole turn")
    parser.add_argument("--width", type=whole(16, 16384), default=960)
    parser.add_argument("--height", type=whole(16, 16384), default=640)
    parser.add_argument("--samples", type=whole(1, 65536), default=64)
    parser.add_argument("--set", metavar="NAME", help="the set to use; else the one in use")
    parser.add_argument("--view", metavar="NAME", help="the view to look through; else the one in use")
    parser.add_argument("--white", action="store_true", help="the product alone, on white")
    parser.add_argument("--no-finish", action="store_true", help="the light as it was rendered, without the finish")
    add_cluster(parser)


def run(options) -> None:
    from mat_shelf.document.turn import Turn
    from mat_shelf.exchange.cluster import crew_at
    from mat_shelf.exchange.image_decoding import ImageError
    from mat_shelf.exchange.turntable import TurnSettings, check_turntable, render_turntable

    if not 0.1 <= options.seconds <= 3600 or not 1 <= abs(options.degrees) <= 3600:
        raise BadInputError("a turn takes 0.1 to 3600 seconds, and goes 1 to 3600 degrees either way")
    turn = Turn(
        going=options.going,
        frames=options.frames,
        seconds=options.seconds,
        degrees=options.degrees,
        is_eased=options.eased,
    )
    settings = TurnSettings(
        turn,
        options.width,
        options.height,
        options.samples,
        "white" if options.white else "set",
        not options.no_finish,
    )
    project, assets = read_project(options.file)
    project = project.with_(
        current_set=chosen("set", options.set, project.sets, project.current_set),
        current_view=chosen("view", options.view, project.views, project.current_view),
    )
    if options.to is not None:
        to = chosen("view", options.to, project.views, "")
        settings = replace(settings, turn=settings.turn.with_(going="view", to=to))
    try:
        check_turntable(options.output, settings, project)
    except ImageError as fault:
        raise BadInputError(str(fault)) from fault
    warm_up_now(sys.stderr)
    started = time.monotonic()

    def progress(done: int, total: int) -> bool:
        left = (time.monotonic() - started) / done * (total - done)
        if sys.stderr.isatty():
            print(f"\r{done} of {total} frames, about {left:.0f} s left   ", end="", file=sys.stderr)
        return True

    try:
        with crew_at(options.cluster) as crew:
            render_turntable(project, assets, options.output, settings, progress, crew=crew)
    except (OSError, ImageError) as fault:
        raise BadInputError(str(fault)) from fault
    print(f"Written to {options.output} in {time.monotonic() - started:.1f} s")
