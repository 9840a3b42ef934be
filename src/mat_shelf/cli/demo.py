"""`mat-shelf demo`."""

import argparse
import os
from pathlib import Path

from mat_shelf.cli.open import has_display, show_window

NAME, HELP = "demo", "open the window with the demo project"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--screenshot", type=Path, help="save an image of the window and quit")


def run(options) -> None:
    from mat_shelf.demo.desk_set import demo_project

    picture = options.screenshot
    if not picture and not has_display():
        picture = Path("mat-shelf-demo.png").resolve()
        print("There is no display here, so the window opens unseen and an image of it is saved.")
    if picture:
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    project, meshes = demo_project()
    show_window(project, meshes, screenshot=picture)
    if picture:
        print(f"Saved {picture}")
