"""The artwork of the mark on the board: its preview and sharpness; choosing, reading, cropping it."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QCursor, QImage, QPixmap
from PyQt6.QtWidgets import QFileDialog, QVBoxLayout, QWidget

from mat_shelf.app.image_file import PICTURE_ENDINGS, SeveralLayersError, layer_menu, read_artwork_file
from mat_shelf.app.job import Job
from mat_shelf.app.marks.artwork_watch import ArtworkWatch
from mat_shelf.app.marks.crop_dialog import CropDialog
from mat_shelf.app.theme import font
from mat_shelf.app.widgets.elided_label import ElidedLabel
from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.widgets.small_widgets import quiet_label, small_button
from mat_shelf.app.workshop import MarkWork
from mat_shelf.commands.command import command
from mat_shelf.document.image import ImageRef
from mat_shelf.document.mark import Clip, Mark
from mat_shelf.exchange.clips import CLIP_ENDINGS, read_clip
from mat_shelf.exchange.image_reading import ImageError
from mat_shelf.system.file_writer import words_of

ART_FILES = f"Artwork ({' '.join(f'*{ending}' for ending in PICTURE_ENDINGS)})"
_PREVIEW = QSize(158, 92)


class ArtworkColumn(QWidget):
    """Preview, name, buttons and sharpness, one under another; reads artwork aside from the window."""

    def __init__(self, work: MarkWork):
        super().__init__()
        self.work, self.workshop = work, work.workshop
        self.job: Job | None = None
        self._previewed: tuple = ()
        self._saved_anew: list[tuple[str, Path, int | None]] = []
        self.watch = ArtworkWatch(self)
        self.watch.changed.connect(self._read_again)
        self.preview = PlainLabel()
        self.preview.setFixedHeight(_PREVIEW.height())
        self.preview.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.art_name, self.sharp = ElidedLabel(), quiet_label()
        self.art_name.setProperty("role", "quiet")
        self.art_name.setFont(font(12))
        self.sharp.setWordWrap(True)
        self.art_button = small_button(
            "Choose artwork…", "A PNG, TIFF, JPEG, EXR, PSD, WebP, SVG or PDF file, best with alpha"
        )
        self.art_button.clicked.connect(lambda: self._choose_art("art"))
        self.back_button = small_button("Back artwork…", "Artwork on the back of the label, seen through glass")
        self.back_button.clicked.connect(self._choose_back)
        self.clip_button = small_button("Clip…", "A film, an animation, or several images, which run in turntables")
        self.clip_button.clicked.connect(self._choose_clip)
        self.crop_button = small_button("Crop or pad…", "Crops the artwork, or pads it with clear ground, in mm")
        self.crop_button.clicked.connect(lambda: self.open_crop(self.work.mark.id))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        buttons = self.art_button, self.back_button, self.clip_button, self.crop_button
        for row in (self.preview, self.art_name, *buttons, self.sharp):
            column.addWidget(row)
        column.addStretch(1)
        self.workshop.camera_changed.connect(self._follow_sharpness)
        self.workshop.picture_size_changed.connect(self._follow_sharpness)

    def follow(self) -> None:
        """Shows the artwork of the mark on the board."""
        mark = self.work.mark
        self.crop_button.setEnabled(mark.art is not None)
        self.back_button.setVisible(mark.kind == "label")
        self.clip_button.setVisible(mark.kind == "screen")
        self.clip_button.setText("Clip…" if mark.clip is None else "No clip")
        self.back_button.setText("Back artwork…" if mark.back is None else "No back artwork")
        self._follow_art(mark)
        self._follow_sharpness()

    def _follow_art(self, mark: Mark) -> None:
        pictures = self.workshop.assets.pictures
        shown = pictures.get(mark.art.digest) if mark.art else None
        key = (mark.art, mark.clip, shown is None)
        if key == self._previewed:
            return
        self._previewed = key
        if shown is None:
            self.preview.setPixmap(QPixmap())
            self.preview.setText("no artwork yet" if mark.art is None else "missing")
            self.art_name.setText("")
            return
        self.preview.setPixmap(_pixmap(shown))
        moves = f", {mark.clip.seconds:.1f} s" if mark.clip is not None else ""
        self.art_name.setText(f"{mark.art.name}   {shown.width} × {shown.height}{moves}")

    def _follow_sharpness(self) -> None:
        mark = self.work.mark
        wide = self.workshop.picture_size[0]
        found = self.work.sharpness(mark, wide) if mark and self.isVisible() else None
        if found is None:
            self.sharp.setText("")
            return
        ratio, needed = found
        told = f"Artwork: {ratio:.1f} px per render px at {wide} wide."
        self.sharp.setText(told if ratio >= 1 else f"⚠ Blurry at {wide}: it needs artwork {needed} pixels wide.")

    def open_crop(self, mark_id: str) -> None:
        """Asks how much of a mark's art is to be seen."""
        self.work.open(mark_id)
        self.crop_dialog = CropDialog(self.work, self)
        self.crop_dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.crop_dialog.show()

    def _read_again(self, digest: str, path: Path, layer: int | None) -> None:
        """Reads art that was saved anew, one after another: several marks may show layers of one file."""
        self._saved_anew.append((digest, path, layer))
        self._read_next()

    def _read_next(self) -> None:
        if self._saved_anew and (self.job is None or self.job.isFinished()):
            digest, path, layer = self._saved_anew.pop(0)
            self.read_art(path, lambda picture: self.work.replace_art(digest, picture), layer)

    def _choose_art(self, name: str) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, "Artwork", "", ART_FILES)
        mark = self.work.mark
        if chosen and mark is not None:
            self.read_art(Path(chosen), lambda picture: self._put_art_on(mark.id, mark.name, name, picture))

    def _put_art_on(self, mark_id: str, mark_name: str, name: str, picture: ImageRef) -> None:
        """Gives a mark art that was read meanwhile, whichever one is on the board by now."""
        if mark_id not in {mark.id for mark in self.workshop.project.marks}:
            self.workshop.said.emit(f"{picture.name} was not used: '{mark_name}' was removed.")
            return
        self.work.open(mark_id)
        self.put_art(name, picture)

    @command
    def _choose_back(self) -> None:
        if self.work.mark.back is None:
            self._choose_art("back")
        else:
            self.work.put("No back artwork", self.work.mark.with_(back=None))

    @command
    def put_art(self, name: str, picture: ImageRef) -> None:
        """Gives the mark on the board other art; the first art sets its proportions."""
        mark = self.work.mark
        if mark is None:
            return
        changes: dict = {name: picture} | ({"clip": None} if name == "art" else {})
        if name == "art" and mark.art is None:
            shown = self.workshop.assets.pictures[picture.digest]
            changes["height"] = round(mark.width * shown.height / shown.width, 2)
        changed = self.workshop.changed(mark, "art", mark.art)
        if changed is not None:
            self.work.put("Artwork", mark.with_(**changes))

    @command
    def _choose_clip(self) -> None:
        mark = self.work.mark
        if mark.clip is not None:
            self.work.set_clip(mark, None)
            return
        kinds = f"Films, animations, images ({' '.join(f'*{ending}' for ending in CLIP_ENDINGS)})"
        chosen, _ = QFileDialog.getOpenFileNames(self, "Clip", "", kinds)
        if chosen:
            self.read_clip([Path(path) for path in chosen], mark.id)

    def read_clip(self, paths: list[Path], mark_id: str) -> None:
        """Reads a clip aside from the window, for a screen."""
        if self.job is not None and not self.job.wait(50):
            self.workshop.said.emit("Artwork is still being read; try again in a moment.")
            return
        assets = self.workshop.assets

        def take(clip: Clip) -> None:
            mark = next((mark for mark in self.workshop.project.marks if mark.id == mark_id), None)
            if assets is self.workshop.assets and mark is not None:
                self.work.set_clip(mark, clip)

        def refuse(fault: Exception) -> None:
            self.workshop.said.emit(f"{paths[0].name} cannot run on a screen: {words_of(fault)}.")

        self.job = Job(lambda _: read_clip(paths, assets), take, refuse, (OSError, ImageError), self)
        self.job.start()

    def read_art(self, path: Path, then: Callable[[ImageRef], None], layer: int | None = None) -> None:
        """Reads a file of art aside from the window, and hands it on; of several layers it is asked which."""
        if self.job is not None and not self.job.wait(50):
            self.workshop.said.emit("Artwork is still being read; try again in a moment.")
            return
        assets = self.workshop.assets

        def take(picture: ImageRef) -> None:
            if assets is self.workshop.assets:  # else another project was opened meanwhile
                self.watch.follow(picture.digest, path, layer)
                then(picture)

        def refuse(fault: Exception) -> None:
            if isinstance(fault, SeveralLayersError):
                layer_menu(fault.names, lambda k: self.read_art(path, then, k), self).popup(QCursor.pos())
            else:
                self.workshop.said.emit(f"{path.name} cannot be used as artwork: {words_of(fault)}.")

        refusals = (SeveralLayersError, OSError, ImageError)
        self.job = Job(lambda _: read_artwork_file(path, assets, layer), take, refuse, refusals, self)
        self.job.finished.connect(self._read_next, Qt.ConnectionType.QueuedConnection)
        self.job.start()

    def close_thread(self) -> None:
        if self.job is not None:
            self.job.close()


def _pixmap(picture) -> QPixmap:
    """A small picture of art, over a checker where it is clear."""
    level = next((p for p in picture.levels if p.shape[1] <= 2 * _PREVIEW.width()), picture.levels[-1])
    pixels = (
        level if level.dtype == np.uint8 else np.clip(level / (65535 if level.dtype == np.uint16 else 1), 0, 1) * 255
    )
    pixels = np.asarray(pixels, np.uint8)
    h, w, channels = pixels.shape
    color = np.repeat(pixels[..., :1], 3, axis=2) if channels < 3 else pixels[..., :3]
    alpha = pixels[..., -1:] / 255 if channels in (2, 4) else 1.0
    y, x = np.mgrid[:h, :w]
    ground = np.where(((x // 8 + y // 8) % 2)[..., None], 205, 225)
    shown = np.ascontiguousarray(color * alpha + ground * (1 - alpha), np.uint8)
    image = QImage(shown.data, w, h, 3 * w, QImage.Format.Format_RGB888).copy()
    keep, smooth = Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
    return QPixmap.fromImage(image).scaled(_PREVIEW, keep, smooth)
