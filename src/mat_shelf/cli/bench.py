"""`mat-shelf bench`."""

import argparse
import json
import sys
from pathlib import Path

from mat_shelf.cli.common import BadInputError, warm_up_now

NAME, HELP = "bench", "measure speed against the reference libraries"

_SOURCE = Path(__file__).parents[3]
"""Folder of the source tree; the benchmarks are no part of the installed program."""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--json", action="store_true")
    parser.add_argument(
        "--error",
        action="store_true",
        help="only the error of the demo after 10 s, and of two ways of sampling; takes long",
    )


def run(options) -> None:
    if not (_SOURCE / "benchmarks").is_dir():
        raise BadInputError("the benchmarks are part of the source tree, which this program does not run from")
    sys.path.insert(0, str(_SOURCE))
    from benchmarks import run_all
    from benchmarks.adaptive import adaptive
    from benchmarks.error import error_after_ten_seconds

    warm_up_now(sys.stderr)

    def say(text: str) -> None:
        print(text, file=sys.stderr)

    result = {**error_after_ten_seconds(say), "adaptive": adaptive(say)} if options.error else run_all(say)
    if options.json:
        print(json.dumps(result, indent=1))
    else:
        for key, value in result.items():
            print(f"{key:24}{value}")
