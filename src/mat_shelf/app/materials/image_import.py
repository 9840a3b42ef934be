"""Image files on their way into a material: one becomes a pattern, several a texture set."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtGui import QCursor
from PyQt6.QtWidgets import QFileDialog, QWidget

from mat_shelf.app.image_file import PICTURE_ENDINGS, SeveralLayersError, layer_menu, read_images
from mat_shelf.app.job import Job
from mat_shelf.app.patterns.texture_set_dialog import TextureSetDialog
from mat_shelf.app.workshop import PatternWork
from mat_shelf.commands.command import command
from mat_shelf.document.pattern import Pattern
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.texture_set import Taken, image_pattern, with_set
from mat_shelf.patterns.sources import Pictured


class ImageImport(QObject):
    """Reads image files for the material on the board.

    Parameters
    ----------
    begin : callable (Pattern)
        Begins a pattern on the board.
    board : QWidget
        Parent of the dialogs.
    """

    def __init__(self, patterns: PatternWork, begin: Callable[[Pattern], None], board: QWidget):
        super().__init__(board)
        self.patterns, self.workshop, self.board, self._begin = patterns, patterns.workshop, board, begin
        self._job: Job | None = None
        self.texture_dialog: TextureSetDialog | None = None

    def close(self) -> None:
        """Ends what is being read."""
        if self._job is not None:
            self._job.close()
        if self.texture_dialog is not None:
            self.texture_dialog.close()

    def choose(self) -> None:
        """Asks for picture files for the material: one, or a texture set."""
        kinds = " ".join(f"*{ending}" for ending in PICTURE_ENDINGS)
        chosen, _ = QFileDialog.getOpenFileNames(self.board, "Image files", "", f"Images ({kinds})")
        if chosen:
            self.read([Path(name) for name in chosen])

    def choose_other(self) -> None:
        """Asks for another file for the picture on the strip."""
        kinds = " ".join(f"*{ending}" for ending in PICTURE_ENDINGS)
        chosen, _ = QFileDialog.getOpenFileName(self.board, "Image file", "", f"Images ({kinds})")
        if chosen:
            self._read([Path(chosen)], self._exchange_picture)

    def read(self, paths: list[Path], input_name: str = "") -> None:
        """Reads picture files; one becomes a pattern, of several it is asked what they are.

        Parameters
        ----------
        input_name : str
            Input that a single one feeds.
        """
        if self.workshop.selected_material is None:
            self.workshop.said.emit("Select the part whose material the images are for, then drop them again.")
            return
        material, overlay = self.workshop.selected_material, self.workshop.overlay

        def take(taken: list[Taken]) -> None:
            if self._is_on_board(material.id, material.name, overlay.id if overlay else None):
                self._take_pictures(taken, input_name)

        self._read(paths, take)

    def _is_on_board(self, material_id: str, name: str, overlay_id: str | None) -> bool:
        """Brings the material that something was read for to the board again; whether it is still there."""
        material = next((m for m in self.workshop.project.materials if m.id == material_id), None)
        gone = material is None or overlay_id not in (None, *(overlay.id for overlay in material.recipe.overlays))
        if gone:
            self.workshop.said.emit(f"The images were not used: '{name}', for which they were read, was removed.")
            return False
        selected = self.workshop.selected_material
        if selected is None or selected.id != material_id:
            self.workshop.open_material(material_id)
        self.workshop.open_overlay(overlay_id)
        return True

    def _read(self, paths: list[Path], done: Callable[[list[Taken]], None], layer: int | None = None) -> None:
        if self._job is not None and not self._job.wait(50):
            self.workshop.said.emit("Images are still being read; try again in a moment.")
            return
        assets = self.workshop.assets

        def take(read: tuple[list[Taken], list[str]]) -> None:
            for words in read[1]:
                self.workshop.said.emit(words)
            if self.workshop.assets is assets:
                done(read[0])

        def ask(several: SeveralLayersError) -> None:
            layer_menu(several.names, lambda k: self._read(paths, done, k), self.board).popup(QCursor.pos())

        work = partial(read_images, paths, assets, layer)
        self._job = Job(work, take, ask, (SeveralLayersError,), self)
        self._job.start()

    def _exchange_picture(self, taken: list[Taken]) -> None:
        pattern = self.patterns.pattern
        if taken and pattern is not None and isinstance(pattern.steps[0], Pictured):
            self.patterns.put_step(0, pattern.steps[0].with_(picture=taken[0].picture))

    def _take_pictures(self, taken: list[Taken], input_name: str = "") -> None:
        if not taken or self.workshop.selected_material is None:
            return
        if len(taken) == 1:
            made = image_pattern(taken[0])
            if input_name:
                with self.workshop.as_one(f"Feed {Recipe.field_label(input_name)}"):
                    self.patterns.feed(input_name, self.patterns.begin(made.steps, made.name, made.placement))
            else:
                self._begin(made)
            return
        part = self.workshop.selected_part
        has_uv = part is not None and self.workshop.assets.meshes[part.mesh].uv is not None
        self.texture_dialog = TextureSetDialog(taken, self.workshop.assets.pictures, has_uv, self.board)
        self.texture_dialog.accepted.connect(self._apply_set)
        self.texture_dialog.open()

    @command
    def _apply_set(self) -> None:
        dialog = self.texture_dialog
        made = with_set(self.patterns.recipe, dialog.taken(), dialog.placement())
        self.patterns.edit("Texture set", made)
