"""Projects read aside from the window: with large pictures in them that takes seconds."""

from pathlib import Path

from PyQt6.QtCore import QThread, pyqtSignal

from mat_shelf.exchange.package import PackageError
from mat_shelf.exchange.project_file import open_project
from mat_shelf.system.file_writer import Stamp, stamp_of


class OpenJob(QThread):
    """Reads one project.

    Attributes
    ----------
    result : (Project, Assets) or None
        When it is over; None where it failed.
    stamp : Stamp or None
        Of the file as it was read.

    Signals
    -------
    failed : str
        Why it cannot be opened.
    """

    failed = pyqtSignal(str)

    def __init__(self, path: Path):
        super().__init__()
        self.path = path
        self.result: tuple | None = None
        self.stamp: Stamp | None = None

    def run(self) -> None:
        self.stamp = stamp_of(self.path)
        try:
            self.result = open_project(self.path)
        except PackageError as fault:
            self.failed.emit(f"Not opened: {fault}")
        except MemoryError:
            self.failed.emit(f"Not opened: {self.path.name} needs more memory than there is; close other programs.")
