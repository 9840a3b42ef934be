"""The command line: the same core without a window. Exit 0 on success, 2 with one clear line on bad input."""

import argparse
import sys

from mat_shelf.cli import (
    bake,
    bench,
    compare,
    demo,
    export,
    fill,
    import_material,
    import_model,
    measure,
    new_demo,
    open,
    prepare,
    render,
    sheet,
    turntable,
)
from mat_shelf.cli.common import BadInputError
from mat_shelf.exchange.readers import prepare_readers
from mat_shelf.system.fault_log import log_fault, plain_streams
from mat_shelf.system.file_writer import words_of
from mat_shelf.system.user_folders import ensure_home

COMMANDS = (
    demo,
    open,
    new_demo,
    import_model,
    import_material,
    render,
    turntable,
    sheet,
    fill,
    bake,
    measure,
    compare,
    export,
    prepare,
    bench,
)
"""Modules of the commands, in the order of the help; each has NAME, HELP, `add_arguments` and `run`."""
_READING = (demo, open, import_model, import_material, render, turntable, sheet, fill, bake, export, measure, compare)


def main(arguments: list[str] | None = None) -> int:
    plain_streams()
    ensure_home()
    options = _parser().parse_args(arguments)
    if options.run in [command.run for command in _READING]:
        prepare_readers()  # they start while the rest of the program is loaded
    try:
        return options.run(options) or 0
    except BadInputError as fault:
        print(f"mat-shelf: {fault}", file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        print("mat-shelf: stopped", file=sys.stderr)
        return 130
    except BrokenPipeError:  # whoever read the output has seen enough
        sys.stdout = None
        return 0
    except Exception as fault:
        print(f"mat-shelf: {_words_for(fault)}", file=sys.stderr)
        kept = log_fault(fault, "command line")
        if kept is not None:
            print(f"mat-shelf: what happened is written down in {kept}", file=sys.stderr)
        return 2


def _words_for(fault: Exception) -> str:
    """A fault that no command foresaw, in one line."""
    if isinstance(fault, MemoryError):
        return "there is not enough memory for that; choose a smaller size, or close other programs"
    if isinstance(fault, OSError):
        return f"that was not done: {words_of(fault)}"
    return f"something went wrong inside Mat Shelf ({type(fault).__name__})"


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="mat-shelf", description="A workshop for the surface materials of products.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    for command in COMMANDS:
        made = commands.add_parser(command.NAME, help=command.HELP, description=command.HELP)
        command.add_arguments(made)
        made.set_defaults(run=command.run)
    return parser
