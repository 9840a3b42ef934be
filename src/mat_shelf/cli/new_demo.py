"""`mat-shelf new-demo`."""

import argparse
from pathlib import Path

from mat_shelf.cli.common import BadInputError

NAME, HELP = "new-demo", "write the demo project"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", type=Path)


def run(options) -> None:
    from mat_shelf.demo.desk_set import demo_project
    from mat_shelf.exchange.project_file import save_project

    try:
        save_project(options.file, *demo_project())
    except OSError as fault:
        raise BadInputError(str(fault)) from fault
    print(f"Written to {options.file}")
