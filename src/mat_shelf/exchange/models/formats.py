"""Formats of models that can be brought in, and the reader of each."""

from collections.abc import Callable
from importlib import import_module
from pathlib import Path
from typing import NamedTuple


class ModelFormat(NamedTuple):
    """A format of models.

    Attributes
    ----------
    name : str
        For the user.
    endings : tuple of str
        Of its files, in lower case.
    module, function : str
        Its reader, within `exchange.models`; loaded when it is needed.
    is_drawn : bool
        Whether its faces are curved, and laid out in triangles as finely as one wants.
    """

    name: str
    endings: tuple[str, ...]
    module: str
    function: str
    is_drawn: bool = False

    def reader(self) -> Callable:
        """The function that reads it.

        Returns
        -------
        callable (Path) -> ReadModel
        """
        return getattr(import_module(f"mat_shelf.exchange.models.{self.module}"), self.function)


MODEL_FORMATS = (
    ModelFormat("STEP", (".step", ".stp"), "cad_reader", "read_step", is_drawn=True),
    ModelFormat("IGES", (".iges", ".igs"), "cad_reader", "read_iges", is_drawn=True),
    ModelFormat("glTF 2.0", (".glb", ".gltf"), "gltf_reader", "read_gltf"),
    ModelFormat("USD", (".usd", ".usda", ".usdc", ".usdz"), "usd_reader", "read_usd"),
    ModelFormat("OBJ", (".obj",), "obj_reader", "read_obj"),
    ModelFormat("STL", (".stl",), "mesh_readers", "read_stl"),
    ModelFormat("PLY", (".ply",), "mesh_readers", "read_ply"),
    ModelFormat("3MF", (".3mf",), "three_mf_reader", "read_3mf"),
)
MODEL_ENDINGS = tuple(ending for form in MODEL_FORMATS for ending in form.endings)


def format_of(path: Path) -> ModelFormat | None:
    """The format that a file's ending names.

    Parameters
    ----------
    path : Path
        The file.

    Returns
    -------
    ModelFormat or None
    """
    return next((form for form in MODEL_FORMATS if path.suffix.lower() in form.endings), None)
