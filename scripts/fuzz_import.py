"""Imports thousands of damaged models of each kind, in the process that the program uses, and counts what comes of it.

    .venv/bin/python scripts/fuzz_import.py [TIMES] [ENDING ...]

Each file must end in a mesh or in a message, within a time and a memory that are bounded.
"""

import resource
import subprocess
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

import gmsh  # noqa: E402
from fuzzing import damaged  # noqa: E402
from test_import import written  # noqa: E402
from test_model_readers import sample_of  # noqa: E402

from mat_shelf.demo.desk_set import demo_project  # noqa: E402

ENDINGS = ("glb", "obj", "stl", "ply", "step", "iges", "gltf", "usda", "usdc", "3mf", "mtlx")
BATCH = 50
READER = """
import resource, sys
from pathlib import Path
from mat_shelf.exchange.materials.materialx_reader import ReadMaterials, read_materialx
from mat_shelf.exchange.materials.materialx_tree import MaterialxError
from mat_shelf.exchange.models.importer import read_model
from mat_shelf.geometry.mesh import MeshError
resource.setrlimit(resource.RLIMIT_AS, (8 << 30, 8 << 30))
for path in map(Path, sys.argv[1:]):
    print("at", path.name, flush=True)
    try:
        if path.suffix == ".mtlx":
            read_materialx(path.read_bytes(), lambda file: None, ReadMaterials())
        else:
            read_model(path)
        print("mesh", flush=True)
    except (MeshError, MaterialxError):
        print("message", flush=True)
"""


def run(paths: list[Path], seconds: float) -> Counter:
    """Reads files one after another in one child process; where it ends early, the rest is read in another."""
    found: Counter = Counter()
    while paths:
        try:
            child = subprocess.run(
                [sys.executable, "-c", READER, *map(str, paths)],
                capture_output=True,
                text=True,
                errors="replace",
                timeout=seconds,
            )
            lines, ended = child.stdout.splitlines(), child.returncode
        except subprocess.TimeoutExpired as late:
            lines, ended = (late.stdout or b"").decode().splitlines(), "too long"
        done = sum(line.startswith("at ") for line in lines)
        found.update(line for line in lines if not line.startswith("at "))
        if done >= len(paths) and ended == 0:
            break
        # The program reads each model in a process of its own, so a crash there is a message to the user.
        found[f"child ended ({ended}) at {paths[max(done - 1, 0)].name}"] += 1
        paths = paths[max(done, 1) :]
    return found


def sound(folder: Path, ending: str) -> Path:
    """A small sound file of a format."""
    if ending == "mtlx":
        from mat_shelf.exchange.materials.materialx_writer import write_materials

        project, assets = demo_project()
        write_materials(folder / "sound.mtlx", project.materials[:6], assets, 16)
        return folder / "sound.mtlx"
    if ending == "iges":
        gmsh.initialize(interruptible=False)
        gmsh.option.setNumber("General.Terminal", 0)
        gmsh.model.occ.addBox(0, 0, 0, 10, 20, 30)
        gmsh.model.occ.synchronize()
        gmsh.write(str(folder / "sound.iges"))
        gmsh.finalize()
        return folder / "sound.iges"
    return sample_of(folder, ending) if ending in ("gltf", "usda", "usdc", "3mf") else written(folder, ending)


def main(times: int, endings) -> int:
    worst = 0
    with tempfile.TemporaryDirectory() as folder:
        for ending in endings:
            whole = sound(Path(folder), ending).read_bytes()
            started, found, batch = time.monotonic(), Counter(), []
            for number, data in enumerate(damaged(whole, times, seed=7)):
                path = Path(folder) / f"{number}.{ending}"
                path.write_bytes(data)
                batch.append(path)
                if len(batch) == BATCH or number == times - 1:
                    found += run(batch, 120)
                    for done in batch:
                        done.unlink()
                    batch = []
            crashes = {key: count for key, count in found.items() if key.startswith("child")}
            print(
                f"{ending}: {found['mesh']} meshes, {found['message']} messages, "
                f"{sum(crashes.values())} children ended, {time.monotonic() - started:.0f} s",
                flush=True,
            )
            for key in list(crashes)[:5]:
                print(f"   {key}", flush=True)
            worst += sum("1)" in key and "-1" not in key for key in crashes)
    peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
    print(f"largest child: {peak:.0f} MB")
    return 1 if worst else 0


if __name__ == "__main__":
    chosen = [word for word in sys.argv[1:] if not word.isdigit()]
    count = next((int(word) for word in sys.argv[1:] if word.isdigit()), 2000)
    sys.exit(main(count, chosen or ENDINGS))
