"""Bad input in words, files, numbers and progress, as the commands share them."""

import argparse
import sys
from pathlib import Path


class BadInputError(Exception):
    """Input that cannot be worked with; the message is the one line that the user sees."""


def whole(low: int, high: int):
    def measure(text: str) -> int:
        try:
            value = int(text)
        except ValueError:
            raise argparse.ArgumentTypeError(f"'{text}' is not a whole number") from None
        if not low <= value <= high:
            raise argparse.ArgumentTypeError(f"{value} is not between {low} and {high}")
        return value

    return measure


def read_project(path: Path):
    from mat_shelf.exchange.package import PackageError
    from mat_shelf.exchange.picture_memory import coarser_pictures, words_for_coarser
    from mat_shelf.exchange.project_file import read_project

    try:
        project, assets = read_project(path)
    except PackageError as fault:
        raise BadInputError(str(fault)) from fault
    if coarser := coarser_pictures(project, assets.pictures):
        print(words_for_coarser(coarser, assets.pictures), file=sys.stderr, flush=True)
    return project, assets


def chosen(kind: str, wanted: str | None, things, current: str | None) -> str:
    """Id of the set, view, material or part with this id or name."""
    if wanted is None:
        return current
    for thing in things:
        if wanted in (thing.id, thing.name):
            return thing.id
    names = ", ".join(f"'{thing.name}'" for thing in things)
    raise BadInputError(f"there is no {kind} called '{wanted}'; there are {names}")


def add_cluster(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--cluster",
        metavar="ADDRESS",
        help="renders by workers: local[:N] of them on this machine, or those of a Dask scheduler, such as tls://render:8786",
    )


def warm_up_now(out) -> None:
    from mat_shelf.rendering.warmup import is_warm, warm_up

    if not is_warm():
        print("Compiling the renderer, once; this takes a minute or two", file=out, flush=True)
        warm_up(lambda text: print(f"  {text}", file=out, flush=True))


def percent(what: str, done: int, total: int) -> bool:
    """Tells how far something is, where someone is looking; True, since nothing cancels a command but its signal."""
    if sys.stderr.isatty():
        print(f"\r{what}: {100 * done // max(total, 1)} %   ", end="", file=sys.stderr)
    return True
