"""Kills a program that saves a project over and over, and looks each time whether a whole file is left.

.venv/bin/python scripts/kill_while_saving.py [TIMES]
"""

import random
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from mat_shelf.demo.desk_set import demo_project
from mat_shelf.exchange.project_file import open_project, save_project

SAVER = """
import sys
from mat_shelf.exchange.project_file import open_project, save_project
project, assets = open_project(sys.argv[1])
print("ready", flush=True)
n = 0
while True:
    n += 1
    save_project(sys.argv[1], project.with_(name=f"Save {n}"), assets)
"""


def kill_once(path: Path, wait_s: float) -> str:
    """Kills a saving program after a while; the name in the file it left. Raises PackageError if that is broken."""
    saver = subprocess.Popen([sys.executable, "-c", SAVER, str(path)], stdout=subprocess.PIPE)
    saver.stdout.readline()
    time.sleep(wait_s)
    saver.send_signal(signal.SIGKILL)
    saver.wait()
    return open_project(path)[0].name


def main(times: int) -> int:
    chance = random.Random(1)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "desk.matshelf"
        project, assets = demo_project()
        save_project(path, project, assets)
        names = []
        for turn in range(times):
            names.append(kill_once(path, chance.uniform(0.02, 0.8)))
            left = [file.name for file in Path(folder).iterdir() if file.name.startswith(".")]
            print(f"{turn + 1:3} of {times}: '{names[-1]}' is whole; {len(left)} temporary files left", flush=True)
    print(f"{times} kills, every file whole, {sum(name.startswith('Save') for name in names)} of them a new save")
    return 0


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]) if len(sys.argv) > 1 else 50))
