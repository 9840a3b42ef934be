"""Projects read aside from the window: with large pictures in them that takes seconds."""

from pathlib import Path

from PyQt6.QtCore import QThread, pyqtSignal

from mat_shelf.exchange.package import PackageError
from mat_shelf.exchange.project_file import open_project


class OpenJob(QThread):
    """Reads one project.

    Attributes
    ----------
    result : (Project, Assets) or None
        When it is over; None where it failed.

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

    def run(self) -> None:
        try:
            self.result = open_project(self.path)
        except PackageError as fault:
            self.failed.emit(f"Not opened: {fault}")
