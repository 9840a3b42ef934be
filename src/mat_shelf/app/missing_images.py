"""Pictures that a project refers to and that are not there: told, and found again."""

from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog

from mat_shelf.app.image_file import PICTURE_ENDINGS
from mat_shelf.app.job import Job
from mat_shelf.app.notice import Notice
from mat_shelf.app.workshop import Workshop
from mat_shelf.document.image import ImageRef
from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.assets import digest as digest_of
from mat_shelf.exchange.image_reading import ImageError
from mat_shelf.system.file_reader import read_file


def missing_images(workshop: Workshop) -> list[ImageRef]:
    """Images of patterns and marks that are missing, each once."""
    found = {picture.digest: picture for picture in workshop.project.map_pictures()}
    return [picture for digest, picture in found.items() if digest not in workshop.assets.pictures]


def words_for_missing(pictures: list[ImageRef]) -> str:
    names = ", ".join(picture.name for picture in pictures[:3])
    more = f" and {len(pictures) - 3} more" if len(pictures) > 3 else ""
    what = "An image is" if len(pictures) == 1 else f"{len(pictures)} images are"
    return f"{what} missing: {names}{more}. They show grey until they are found."


def replaced(project: Project, digests: dict[str, str]) -> Project:
    """A copy that refers to other files of the same kind instead of some, by SHA-256."""
    text = project.model_dump_json()
    for old, new in digests.items():
        text = text.replace(f'"digest":"{old}"', f'"digest":"{new}"')
    return Project.model_validate_json(text)


def find_images(missing: list[ImageRef], folder: Path, assets: Assets, job: Job) -> dict[str, str]:
    """Looks through a folder and those in it for missing images, by what is in them, else by their names.

    Returns
    -------
    dict of str
        Digests of what was read into the assets, by those that were missing.
    """
    named = {picture.name: picture for picture in missing}
    wanted = {picture.digest for picture in missing}
    found: dict[str, str] = {}
    for path in sorted(folder.rglob("*")):
        if job.is_cancelled or len(found) == len(wanted):
            break
        try:
            if path.suffix.lower() not in PICTURE_ENDINGS:
                continue
            data, same = read_file(path), named.get(path.name)
            if digest_of(data) not in wanted and same is None:
                continue  # what is kept stays in memory, and folders hold much else
            digest, kind = assets.add_map(data)
        except (OSError, ImageError):
            continue  # what cannot be read is not what is looked for
        if digest in wanted:
            found[digest] = digest
        elif same is not None and same.kind == kind and same.digest not in found:
            found[same.digest] = digest
    return found


class MissingImages(QObject):
    """Tells of missing pictures when a project was opened, and looks for them where one says."""

    def __init__(self, workshop: Workshop, notice: Notice, parent):
        super().__init__(parent)
        self.workshop, self.notice = workshop, notice
        self.job: Job | None = None
        workshop.project_replaced.connect(self.tell)

    def tell(self) -> None:
        missing = missing_images(self.workshop)
        if missing and self.notice.is_asking:  # about work that was left behind; then this waits
            self.notice.show_text(words_for_missing(missing), ("Search a folder…", self.choose))
        elif missing:
            self.notice.ask(words_for_missing(missing), ("Search a folder…", self.choose), ("Cancel", lambda: None))

    def choose(self) -> None:
        folder = QFileDialog.getExistingDirectory(self.parent(), "Where the images are")
        if folder:
            self.look_in(Path(folder))

    def look_in(self, folder: Path) -> None:
        assets = self.workshop.assets

        def take(found: dict[str, str]) -> None:
            if assets is self.workshop.assets:  # else another project was opened meanwhile
                self._take(found)

        self.job = Job(partial(find_images, missing_images(self.workshop), folder, assets), take, parent=self)
        self.job.start()

    def close(self) -> None:
        if self.job is not None:
            self.job.close()

    def _take(self, found: dict[str, str]) -> None:
        changed = {old: new for old, new in found.items() if old != new}
        if changed:
            self.workshop.edit("Find missing images", replaced(self.workshop.project, changed))
        if found:
            self.workshop.assets.displaced.clear()  # it was made of grey
            self.workshop.shown_changed.emit()
            self.workshop.project_changed.emit()
        left = missing_images(self.workshop)
        self.workshop.said.emit(
            f"{len(found)} found." + (f" {words_for_missing(left)}" if left else " Nothing is missing any more.")
        )
