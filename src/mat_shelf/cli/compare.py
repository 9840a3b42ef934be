"""`mat-shelf compare`."""

import argparse
import json
from pathlib import Path

from mat_shelf.cli.common import BadInputError

NAME, HELP = "compare", "compare two pictures: how far their colours are apart, and how much of it is seen"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("one", type=Path, help="the picture that the other should be like")
    parser.add_argument("other", type=Path)
    parser.add_argument("-o", "--output", type=Path, metavar="MAP", help="a .png of the differences")
    parser.add_argument(
        "--map",
        choices=("colour", "seen"),
        default="colour",
        help="CIEDE2000, lightest at 10, or FLIP, lightest at 0.5",
    )
    parser.add_argument("--json", action="store_true")


def run(options) -> None:
    from mat_shelf.exchange.image_decoding import ImageError
    from mat_shelf.exchange.picture_comparison import compare_files, write_map

    try:
        difference = compare_files(options.one, options.other)
        if options.output is not None:
            write_map(options.output, difference, options.map)
    except (ImageError, OSError) as fault:
        raise BadInputError(str(fault)) from fault
    numbers = difference.numbers()
    if options.json:
        height, width = difference.colors.shape
        told = {name: round(value, 5) for name, value in numbers.items()}
        print(json.dumps(told | {"width": width, "height": height}, indent=1))
        return
    print(
        f"CIEDE2000 mean {numbers['ciede2000_mean']:.2f}, median {numbers['ciede2000_median']:.2f}, "
        f"95 percent below {numbers['ciede2000_95']:.2f}, most {numbers['ciede2000_most']:.2f}; "
        f"{numbers['share_just_seen']:.1%} of the pixels above 1, {numbers['share_clearly_seen']:.1%} above 3; "
        f"FLIP mean {numbers['flip_mean']:.4f}"
    )
