"""Reading a model in a process of its own: a reader may crash, take all memory or never end; the program must not."""

import json
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path

import numpy as np

from mat_shelf.document.recipe import Recipe
from mat_shelf.geometry.importing import ImportedModel, ImportedPart, read_model
from mat_shelf.geometry.mesh import Mesh, MeshError
from mat_shelf.geometry.repair import Repairs

MOST_MEMORY = 8 * 2**30
"""Bytes of address space; what is resident stays far below it."""
SECONDS = 900.0


def import_model(
    path: Path, progress: Callable[[str], bool] = lambda text: True, seconds: float = SECONDS
) -> ImportedModel:
    """Reads a model in another process.

    Parameters
    ----------
    progress : callable (str) -> bool
        Called several times a second with what is being done; False cancels.
    seconds : float
        Time after which it is given up.

    Raises
    ------
    MeshError
        If it cannot be used; the message says why.
    InterruptedError
        If `progress` said so.
    """
    with tempfile.TemporaryDirectory(prefix="mat-shelf-import-") as folder:
        said = Path(folder) / "said"
        with said.open("wb") as out:
            reader = subprocess.Popen(
                [sys.executable, "-m", "mat_shelf.geometry.import_process", str(path), folder],
                stdout=out,
                stderr=subprocess.DEVNULL,
                stdin=subprocess.DEVNULL,
            )
        ends = time.monotonic() + seconds
        try:
            while reader.poll() is None:
                time.sleep(0.05)
                lines = said.read_text("utf-8", "replace").splitlines()
                if not progress(lines[-1] if lines else "Starting to read"):
                    raise InterruptedError("cancelled")
                if time.monotonic() > ends:
                    raise MeshError(f"{path.name} takes longer than {seconds:.0f} s to read; it was given up")
        finally:
            if reader.poll() is None:
                reader.kill()
                reader.wait()
        return _received(Path(folder), path)


def _received(folder: Path, path: Path) -> ImportedModel:
    try:
        text = json.loads((folder / "model.json").read_text())
    except (OSError, ValueError):
        raise MeshError(
            f"{path.name} could not be read: it is damaged, or too large for this machine's memory"
        ) from None
    if "fault" in text:
        raise MeshError(text["fault"])
    model = ImportedModel(text["name"], text["unit"], text["unit_is_known"])
    model.materials = {key: Recipe.model_validate(value) for key, value in text["materials"].items()}
    for number, part in enumerate(text["parts"]):
        with np.load(folder / f"{number}.npz", allow_pickle=False) as arrays:
            mesh = Mesh(*(arrays[name] for name in ("vertices", "triangles", "normals")), arrays.get("uv"))
            zones = [(name, arrays[f"zone{k}"], key) for k, (name, key) in enumerate(part["zones"])]
        model.parts.append(ImportedPart(part["name"], mesh, part["material"], zones, Repairs(**part["repairs"])))
    return model


def _send(model: ImportedModel, folder: Path) -> dict:
    """Writes a model's arrays; returns the rest."""
    for number, part in enumerate(model.parts):
        zones = {f"zone{k}": faces for k, (_, faces, _) in enumerate(part.zones)}
        mesh = part.mesh
        arrays = {"vertices": mesh.vertices, "triangles": mesh.triangles, "normals": mesh.normals, **zones}
        if mesh.uv is not None:
            arrays["uv"] = mesh.uv
        np.savez(folder / f"{number}.npz", **arrays)
    return {
        "name": model.name,
        "unit": model.unit,
        "unit_is_known": model.unit_is_known,
        "materials": {key: recipe.model_dump() for key, recipe in model.materials.items()},
        "parts": [
            {
                "name": part.name,
                "material": part.material,
                "zones": [(name, key) for name, _, key in part.zones],
                "repairs": asdict(part.repairs),
            }
            for part in model.parts
        ],
    }


def main(path: Path, folder: Path) -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    try:
        text = _send(read_model(path, lambda text: print(text, flush=True)), folder)
    except MeshError as fault:
        text = {"fault": str(fault)}
    except (MemoryError, OSError):
        text = {"fault": f"{path.name} needs more memory or space than there is; reduce it"}
    except Exception as fault:  # a fault of ours must still be told
        text = {"fault": f"{path.name} cannot be read ({type(fault).__name__}: {fault})"}
    (folder / "model.json").write_text(json.dumps(text))


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]))
