"""Cameras kept outside of projects, ``.camera``: JSON, with the product that they were made for."""

from pathlib import Path

import numpy as np

from mat_shelf.document.camera import Camera
from mat_shelf.document.ids import Name
from mat_shelf.document.parameter import Frozen, Point, number
from mat_shelf.exchange.package import parse
from mat_shelf.system.file_reader import read_file
from mat_shelf.system.file_writer import write_file

CAMERA_ENDING, CAMERA_SCHEMA = ".camera", 1
_LARGEST = 1 << 16
"""Bytes."""


class KeptCamera(Frozen):
    """A camera outside of projects.

    Attributes
    ----------
    centre : (3,) mm, middle of the product that it was made for
    size : mm, its longest side
    """

    schema_version: int = CAMERA_SCHEMA
    name: Name
    camera: Camera
    centre: Point = (0.0, 0.0, 0.0)
    size: float = number(290.0, 0.01, 1e7, label="Size", unit="mm", tip="Longest side of its product.")

    def fitted(self, centre, size: float) -> Camera:
        """The camera for another product, which it sees as large and from the same side.

        Parameters
        ----------
        centre : (3,) float
            Middle of that product, mm.
        size : float
            Its longest side, mm.

        Returns
        -------
        Camera
        """
        factor = min(max(size / self.size, 1e-3), 1e3)

        def moved(point) -> tuple[float, float, float]:
            """A point that lies so to the other product.

            Parameters
            ----------
            point : (3,) float
                mm.

            Returns
            -------
            (3,) float
            """
            return tuple((np.asarray(centre) + np.subtract(point, self.centre) * factor).astype(float).tolist())

        camera = self.camera
        return camera.with_(
            position=moved(camera.position), target=moved(camera.target), focus=min(camera.focus * factor, 1e7)
        )


def save_camera(path: Path, kept: KeptCamera) -> None:
    """Writes a camera.

    Parameters
    ----------
    path : Path
        File.
    kept : KeptCamera
        The camera.

    Raises
    ------
    WriteError
        If it cannot be written.
    """
    write_file(Path(path), kept.model_dump_json(indent=1).encode())


def open_camera(path: Path) -> KeptCamera:
    """Reads a camera.

    Parameters
    ----------
    path : Path
        File.

    Returns
    -------
    KeptCamera

    Raises
    ------
    PackageError, OSError
        If anything about the file is not right; the message says what.
    """
    return parse(KeptCamera, read_file(Path(path), _LARGEST), Path(path), CAMERA_SCHEMA)
