"""The file of a session: saved, opened, replaced."""

from pathlib import Path

from mat_shelf.document.history import History
from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.package import PackageError
from mat_shelf.exchange.project_file import project_path, read_project, save_project
from mat_shelf.system.file_writer import Stamp, stamp_of


class FileCommands:
    """Opening and saving."""

    def save(self, path: str | Path) -> bool:
        """Saves to a path; says why where that fails, and changes nothing.

        Parameters
        ----------
        path : str or Path
            Project file.

        Returns
        -------
        bool
        """
        path = project_path(Path(path))
        try:
            stamp = save_project(path, self.project, self.assets)
        except OSError as fault:
            self.said.emit(f"Not saved: {fault}")
            return False
        self.note_saved(path, self.project, stamp)
        return True

    def note_saved(self, path: Path, project: Project, stamp: Stamp) -> None:
        """Takes note of what was written where; the project may have gone on since.

        Parameters
        ----------
        path : Path
            Project file.
        project : Project
            The project.
        stamp : Stamp
            State of the file when it was read or written.
        """
        self.path, self.stamp = path, stamp
        self.history.saved = project
        self.project_changed.emit()

    def open(self, path: Path) -> bool:
        """Opens a project; says why where that fails, and keeps the present one.

        Parameters
        ----------
        path : Path
            Project file.

        Returns
        -------
        bool
        """
        stamp = stamp_of(path)
        try:
            project, assets = read_project(path)
        except PackageError as fault:
            self.said.emit(f"Not opened: {fault}")
            return False
        self.replace(project, assets, path, stamp)
        return True

    def replace(self, project: Project, assets: Assets, path: Path | None, stamp: Stamp | None = None) -> None:
        """Goes on with another project; `stamp` is that of its file when it was read.

        Parameters
        ----------
        project : Project
            The project.
        assets : Assets
            Files of the project.
        path : Path or None
            Project file.
        stamp : Stamp or None
            State of the file when it was read or written.
        """
        self.history = History(project)
        self.assets = assets
        self.path, self.stamp = path, stamp
        self.selected = self.selected_zone_id = None
        self.also_selected = ()
        self.free_camera = None
        self.close_up_point = self.close_up_light = self.ball = self.region = None
        self._opened_material = self._alone = None
        self.project_replaced.emit()
        self.selection_changed.emit()
        self.project_changed.emit()
