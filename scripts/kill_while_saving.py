"""Kills a program that saves a project over and over, and looks each time whether a whole file is left.

    .venv/bin/python scripts/kill_while_saving.py [1000] [--journal FILE]

It goes on from its journal.
"""

import os
import random
import signal
import sys
import tempfile
import time
from pathlib import Path

sys.path[:0] = [str(Path(__file__).parent)]

from journal import Journal  # noqa: E402

from mat_shelf.exchange.package import PackageError  # noqa: E402
from mat_shelf.exchange.project_file import read_project, save_project  # noqa: E402
from mat_shelf.system.file_writer import sweep  # noqa: E402


def kill_once(path: Path, wait_s: float) -> str:
    """Kills a saving program after a while; the name in the file it left. Raises PackageError if that is broken."""
    project, assets = read_project(path)
    read, write = os.pipe()
    saver = os.fork()
    if not saver:
        try:
            os.write(write, b"ready")
            number = 0
            while True:
                number += 1
                save_project(path, project.with_(name=f"Save {number}"), assets)
        finally:
            os._exit(1)
    os.read(read, 5)
    os.close(read)
    os.close(write)
    time.sleep(wait_s)
    os.kill(saver, signal.SIGKILL)
    os.waitpid(saver, 0)
    name = read_project(path)[0].name
    previous = path.with_name(path.name + "~")
    if previous.exists():
        read_project(previous)
    return name


def main(times: int, journal: Journal) -> int:
    from mat_shelf.demo.desk_set import demo_project

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "desk.matshelf"
        project, assets = demo_project()
        save_project(path, project.with_parts(project.product.parts[:6]).with_(marks=()), assets)
        for turn in journal.left(times):
            chance = random.Random(turn)
            try:
                name = kill_once(path, chance.uniform(0.001, 0.35))
                journal.note("new" if name.startswith("Save") else "old")
            except PackageError as fault:
                journal.note(f"lost: {fault}")
                save_project(path, project, assets)
            if turn % 50 == 49:
                left = [file for file in Path(folder).glob(".ms-*.part")]
                for file in left:
                    os.utime(file, (0, 0))
                print(f"{turn + 1} of {times}: {dict(journal.ends())}; {sweep(Path(folder))} files swept", flush=True)
    ends = journal.ends()
    lost = sum(count for end, count in ends.items() if end.startswith("lost"))
    print(f"{len(journal.cases)} kills: {lost} lost, {ends['new']} left a new save, {ends['old']} the old one")
    return 1 if lost else 0


if __name__ == "__main__":
    words = sys.argv[1:]
    count = int(words[0]) if words and words[0].isdigit() else 1000
    name = words[words.index("--journal") + 1] if "--journal" in words else "/tmp/mat-shelf-kill_while_saving.jsonl"
    sys.exit(main(count, Journal(Path(name))))
