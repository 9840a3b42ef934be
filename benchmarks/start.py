"""Time from nothing to the first picture, and memory at rest."""

import subprocess
import sys
import tempfile
import time
from pathlib import Path

from mat_shelf.demo.desk_set import demo_project
from mat_shelf.exchange.project_file import save_project

_START = """
import sys
from pathlib import Path
from mat_shelf.exchange.readers import prepare_readers
prepare_readers()  # as the command line does
from mat_shelf.exchange.project_file import read_project
from mat_shelf.rendering.session import RenderSession
project, meshes = read_project(Path(sys.argv[1]))
session = RenderSession(meshes)
session.resize(640, 430)
session.update(project)
session.step()
print("shown", flush=True)
for _ in range(12):
    session.step()
# The most that is told of a process by itself begins with that of the one which started it.
print(next(line.split()[1] for line in open("/proc/self/status") if line.startswith("VmHWM")), flush=True)
session.close()
"""


def rest(say) -> dict:
    """Time from nothing to the first coarse picture of the demo, kernels compiled before; and memory after that.

    Returns
    -------
    dict
        `warm_start_s`, of a new process that opens the demo's file; `rest_memory_mb`, its resident memory when the
        picture has been refined a little.
    """
    say("warm start")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "demo.matshelf"
        save_project(path, *demo_project())
        started = time.perf_counter()
        process = subprocess.Popen(
            [sys.executable, "-c", _START, str(path)], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True
        )
        process.stdout.readline()
        seconds = time.perf_counter() - started
        memory = process.stdout.readline()
        process.wait()
    return {"warm_start_s": round(seconds, 2), "rest_memory_mb": round(int(memory) / 1024)}
