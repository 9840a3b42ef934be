"""Projects written aside from the window."""

from pathlib import Path

from PyQt6.QtCore import QObject, QThread

from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.project_file import save_project
from mat_shelf.system.file_writer import ChangedElsewhereError, Stamp


class SaveJob(QThread):
    """Writes one project.

    Parameters
    ----------
    expected : Stamp or None, or ANY
        As for `file_writer.write_file`.

    Attributes
    ----------
    stamp : Stamp or None
        Of what was written, when it is over; None where that failed.
    problem : str
        Why it failed.
    is_changed_elsewhere : bool
        Whether it failed because another program changed the file.
    """

    def __init__(self, path: Path, project: Project, assets: Assets, expected, parent: QObject):
        super().__init__(parent)
        self.path, self.project, self._assets, self._expected = path, project, assets, expected
        self.stamp: Stamp | None = None
        self.problem = ""
        self.is_changed_elsewhere = False

    def run(self) -> None:
        try:
            self.stamp = save_project(self.path, self.project, self._assets, self._expected)
        except ChangedElsewhereError as fault:
            self.problem, self.is_changed_elsewhere = str(fault), True
        except (OSError, MemoryError) as fault:
            self.problem = str(fault) or "there is not enough memory"
