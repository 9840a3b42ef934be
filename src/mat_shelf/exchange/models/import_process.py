"""Reading a model in a process of its own: a reader may crash, take all memory or never end; the program must not."""

from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path

import mat_shelf.patterns  # noqa: F401  its steps are kinds that recipes may hold
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.models.formats import format_of
from mat_shelf.exchange.models.importer import ImportedModel, ImportedPart, read_model
from mat_shelf.geometry.mesh import Mesh, MeshError
from mat_shelf.geometry.repair import Repairs
from mat_shelf.system.bounded import FaultError, LimitError, Limits, run_bounded
from mat_shelf.system.child import say

SECONDS, SECONDS_A_MB, MOST_SECONDS = 18.0, 2.0, 900.0
DRAWN_SECONDS_A_MB = 30.0
"""Solids of free surfaces take longer to lay triangles on than to read."""
MEMORY, MEMORY_A_BYTE, MOST_MEMORY = 3 << 29, 40, 8 << 30


def import_model(
    path: Path,
    progress: Callable[[str], bool] = lambda text: True,
    seconds: float | None = None,
    fineness: str = "good",
) -> ImportedModel:
    """Reads a model in another process.

    Parameters
    ----------
    path : Path
        File.
    progress : callable (str) -> bool
        Called several times a second with what is being done; False cancels.
    seconds : float, optional
        Time after which it is given up; by default the larger the file, the longer.
    fineness : str
        Of the curved faces of a CAD file, a key of `document.product.FINENESS`.

    Returns
    -------
    ImportedModel

    Raises
    ------
    MeshError
        If it cannot be used; the message says why.
    InterruptedError
        If `progress` said so.
    """
    try:
        text = run_bounded(_described, str(path), fineness, limits=_limits(path, seconds), progress=progress)
    except FaultError as fault:
        if fault.kind == MeshError.__name__:
            raise MeshError(str(fault)) from None
        raise MeshError(f"{path.name} cannot be read; it seems damaged ({fault.kind}: {fault})") from None
    except LimitError as fault:
        raise MeshError(f"{path.name} could not be read: {fault}; reduce it or split it") from None
    return _model(text)


def _limits(path: Path, seconds: float | None) -> Limits:
    try:
        size = path.stat().st_size
    except OSError:
        size = 0  # the reader says what is wrong
    form = format_of(path)
    rate = DRAWN_SECONDS_A_MB if form is not None and form.is_drawn else SECONDS_A_MB
    if seconds is None:
        seconds = min(SECONDS + rate * size / 2**20, MOST_SECONDS)
    return Limits(min(MEMORY + MEMORY_A_BYTE * size, MOST_MEMORY), MOST_MEMORY, seconds)


def _described(name: str, fineness: str) -> dict:
    """In the other process: a model as what can be sent."""
    path = Path(name)
    try:
        model = read_model(path, say, fineness)
    except OSError as fault:
        raise MeshError(f"{path.name} needs more room than there is ({fault.strerror or fault}); reduce it") from None
    return {
        "name": model.name,
        "unit": model.unit,
        "unit_is_known": model.unit_is_known,
        "up": model.up,
        "images": model.images,
        "notes": model.notes,
        "variants": [list(pair) for pair in model.variants],
        "materials": {key: recipe.model_dump() for key, recipe in model.materials.items()},
        "parts": [
            {
                "name": part.name,
                "mesh": [part.mesh.vertices, part.mesh.triangles, part.mesh.normals, part.mesh.uv],
                "material": part.material,
                "zones": part.zones,
                "repairs": asdict(part.repairs),
                "cad_faces": part.cad_faces,
                "group": part.group,
            }
            for part in model.parts
        ],
    }


def _model(text: dict) -> ImportedModel:
    model = ImportedModel(text["name"], text["unit"], text["unit_is_known"], text["up"])
    model.images, model.notes = text["images"], text["notes"]
    model.variants = [tuple(pair) for pair in text["variants"]]
    model.materials = {key: Recipe.model_validate(value) for key, value in text["materials"].items()}
    for part in text["parts"]:
        zones = [tuple(zone) for zone in part["zones"]]
        mesh, repairs = Mesh(*part["mesh"]), Repairs(**part["repairs"])
        model.parts.append(
            ImportedPart(part["name"], mesh, part["material"], zones, repairs, part["cad_faces"], part["group"])
        )
    return model
