"""Cameras kept in the library, for other products."""

from pathlib import Path

import numpy as np

from mat_shelf.commands.command import command
from mat_shelf.exchange.camera_file import CAMERA_ENDING, KeptCamera, open_camera, save_camera
from mat_shelf.exchange.package import PackageError
from mat_shelf.exchange.project_file import plain_file_name


class KeptCameras:
    """Commands on cameras of the library; a part of `Session`."""

    @property
    def _camera_folder(self) -> Path:
        return self.library.folder / "cameras"

    def kept_cameras(self) -> list[Path]:
        """Files of the cameras in the library, by name.

        Returns
        -------
        list of Path
        """
        return sorted(self._camera_folder.glob(f"[!.]*{CAMERA_ENDING}"))

    @command
    def keep_camera(self, bounds) -> None:
        """Saves what the viewport looks through to the library, under the name of the view in use.

        Parameters
        ----------
        bounds : (2, 3) float
            Bounds of the product, mm.
        """
        centre, size = _middle(bounds)
        kept = KeptCamera(name=self.project.view.name, camera=self.camera, centre=centre, size=size)
        stem, taken = plain_file_name(kept.name), {path.stem for path in self.kept_cameras()}
        name = next(name for name in (stem, *(f"{stem} {n}" for n in range(2, len(taken) + 3))) if name not in taken)
        path = self._camera_folder / f"{name}{CAMERA_ENDING}"
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            save_camera(path, kept)
        except OSError as fault:
            self.said.emit(f"The camera was not saved to the library: {fault.strerror or fault}.")
            return
        self.said.emit(f"The camera is in the library now, as {name}.")

    @command
    def add_kept_camera(self, path: Path, bounds) -> None:
        """Adds a camera of the library as a view, fitted to the product, and uses it.

        Parameters
        ----------
        path : Path
            Its file.
        bounds : (2, 3) float
            Bounds of the product, mm.
        """
        try:
            camera = open_camera(path).fitted(*_middle(bounds))
        except (OSError, PackageError) as fault:
            self.said.emit(f"{path.stem} was not added: {fault}.")
            return
        except ValueError:  # too far away, or on the point it looks at
            self.said.emit(f"{path.stem} was not added: it cannot be fitted to a product of this size.")
            return
        self.explore(camera)
        self.save_view(path.stem[:120])

    @command
    def forget_kept_camera(self, path: Path) -> None:
        """Deletes a camera from the library; views made of it stay.

        Parameters
        ----------
        path : Path
            Its file.
        """
        self.forget_file(path)


def _middle(bounds) -> tuple[tuple[float, float, float], float]:
    """Middle and longest side of a box."""
    low, high = np.asarray(bounds, np.float64)
    return tuple(((low + high) / 2).tolist()), min(max(float((high - low).max()), 0.01), 1e7)
