"""The session and its commands as views see them."""

from pathlib import Path

from mat_shelf.app.face import face_of
from mat_shelf.app.threaded_aside import ThreadedAside
from mat_shelf.commands.fills import FillCommands
from mat_shelf.commands.hand_over import HandOverCommands
from mat_shelf.commands.marks import MarkCommands
from mat_shelf.commands.patterns import PatternCommands
from mat_shelf.commands.product import ProductCommands
from mat_shelf.commands.session import Session
from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.library.library import Library


class Workshop(face_of(Session)):
    """A session whose work aside is done on threads."""

    def __init__(self, project: Project, assets: Assets, library: Library, path: Path | None = None):
        aside = ThreadedAside()
        super().__init__(Session(project, assets, library, path, aside))

    def wait(self) -> None:
        """Waits for what is under way on threads."""
        self.aside.join()


class ProductWork(face_of(ProductCommands)):
    """Commands of the product."""

    def __init__(self, workshop: Workshop):
        super().__init__(ProductCommands(workshop.model))
        self.workshop = workshop


class PatternWork(face_of(PatternCommands)):
    """Commands of patterns, feeds and relief."""

    def __init__(self, workshop: Workshop):
        super().__init__(PatternCommands(workshop.model))
        self.workshop = workshop


class MarkWork(face_of(MarkCommands)):
    """Commands of marks."""

    def __init__(self, workshop: Workshop):
        super().__init__(MarkCommands(workshop.model))
        self.workshop = workshop


class FillWork(face_of(FillCommands)):
    """Commands of fills and beads."""

    def __init__(self, workshop: Workshop):
        super().__init__(FillCommands(workshop.model))
        self.workshop = workshop


class HandOverWork(face_of(HandOverCommands)):
    """Commands of shots and of the finish."""

    def __init__(self, workshop: Workshop):
        super().__init__(HandOverCommands(workshop.model))
        self.workshop = workshop
