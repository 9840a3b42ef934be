"""The shots: a list with ticks and how far each is, the folder of their files, and what renders them."""

from functools import partial
from pathlib import Path

from PyQt6.QtCore import QRect, QSize, Qt, QUrl, pyqtSignal
from PyQt6.QtGui import QColor, QDesktopServices, QPainter
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QMessageBox,
    QPushButton,
    QStyledItemDelegate,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.hand_over.add_shots_dialog import AddShotsDialog
from mat_shelf.app.hand_over.shot_run import ShotRun
from mat_shelf.app.theme import THEME, font
from mat_shelf.app.widgets.elided_label import ElidedLabel
from mat_shelf.app.widgets.plain_label import plain_text
from mat_shelf.app.widgets.small_widgets import small_button
from mat_shelf.app.workshop import HandOverWork
from mat_shelf.document.ids import by_id
from mat_shelf.document.shot import TURN_KINDS, Shot
from mat_shelf.exchange.image_form import FILE_KINDS
from mat_shelf.exchange.shot_files import TOKENS
from mat_shelf.exchange.shot_queue import ShotState

_ID = Qt.ItemDataRole.UserRole
_LINES = Qt.ItemDataRole.UserRole + 1
_SHARE = Qt.ItemDataRole.UserRole + 2
_ROW = 42
MORE = {"turntable": "Turntable…", "sheet": "Proof sheet…", "difference": "Compare pictures…", "workers": "Workers…"}


class ShotsCard(QWidget):
    """Shots of the project, in the order in which they are rendered.

    Signals
    -------
    wanted : str
        Something else is to be made: a key of `MORE`.
    """

    wanted = pyqtSignal(str)

    def __init__(self, work: HandOverWork, run: ShotRun):
        super().__init__()
        self.work, self.run = work, run
        self.list = QListWidget()
        self.list.setAccessibleName("Shots")
        self.list.setMinimumWidth(330)
        self.list.setItemDelegate(_ShotPainter(self.list))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.list.customContextMenuRequested.connect(self._open_menu)
        self.list.currentItemChanged.connect(self._choose)
        self.list.itemChanged.connect(self._tick)
        self.list.itemDoubleClicked.connect(lambda item: self._open(self._path(item)))
        self.add_button = small_button("Add…", "Adds shots: views, sets and variants", self._add)
        self.copy_button = small_button("Duplicate", "Adds a copy of the chosen shot", work.duplicate_shot)
        self.up_button = small_button("Up", "Renders it earlier", lambda: work.move_shot(-1))
        self.down_button = small_button("Down", "Renders it later", lambda: work.move_shot(1))
        self.remove_button = small_button("Remove", "Removes the chosen shot", work.remove_shot)
        self.pattern = QLineEdit()
        self.pattern.setAccessibleName("File names")
        self.pattern.setToolTip(
            "Names of the files. Words in braces stand for what they name:\n" + ", ".join(f"{{{t}}}" for t in TOKENS)
        )
        self.pattern.editingFinished.connect(lambda: work.set_pattern(self.pattern.text()))
        self.folder = ElidedLabel()
        self.folder.setProperty("role", "quiet")
        self.folder_button = small_button(
            "Folder…", "Chooses the folder that the files are written to", self._choose_folder
        )
        self.open_button = small_button("Open folder", "Shows the folder of the files", lambda: _show(self.run.folder))
        self.start_button = QPushButton("Render shots")
        self.start_button.setProperty("role", "main")
        self.start_button.setToolTip(
            "Renders the ticked shots one after the other; the window stays usable.\n"
            "Beside it: about how long they will take, and the memory that they need."
        )
        self.start_button.clicked.connect(self.start_or_stop)
        self.more_button = QPushButton("More")
        self.more_button.setProperty("role", "small")
        self.more_button.setToolTip("Turntables, proof sheets, pictures compared, and who renders")
        menu = QMenu(self.more_button)
        for name, words in MORE.items():
            menu.addAction(words, partial(self.wanted.emit, name))
        self.more_button.setMenu(menu)
        self.words = ElidedLabel()
        self.words.setProperty("role", "quiet")
        self._lay_out()
        run.changed.connect(self.follow)

    def _lay_out(self) -> None:
        edits, files, foot = QHBoxLayout(), QHBoxLayout(), QHBoxLayout()
        for button in (self.add_button, self.copy_button, self.up_button, self.down_button, self.remove_button):
            edits.addWidget(button)
        files.addWidget(self.pattern, 2)
        files.addWidget(self.folder, 3)
        files.addWidget(self.folder_button)
        files.addWidget(self.open_button)
        foot.addWidget(self.start_button)
        foot.addWidget(self.more_button)
        foot.addWidget(self.words, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(self.list, 1)
        for line in (edits, files, foot):
            line.setSpacing(6)
            layout.addLayout(line)

    def _add(self) -> None:
        AddShotsDialog(self.work, self).open()

    def _choose(self, item: QListWidgetItem | None) -> None:
        if item is not None and (self.work.shot is None or item.data(_ID) != self.work.shot.id):
            self.work.choose_shot(item.data(_ID))

    def _tick(self, item: QListWidgetItem) -> None:
        is_on = item.checkState() == Qt.CheckState.Checked
        shot = next((each for each in self.work.shots if each.id == item.data(_ID)), None)
        if shot is not None and shot.is_on != is_on:
            self.work.tick_shot(shot.id, is_on)

    def _choose_folder(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "Folder of the files", str(self.run.folder))
        if chosen:
            self.run.set_folder(Path(chosen))

    def start_or_stop(self) -> None:
        """Renders the ticked shots, or stops."""
        if self.run.runs:
            self.run.stop()
            return
        found = self.run.foreign_files()
        if found:
            names = ", ".join(path.name for path in found[:4]) + (
                f" and {len(found) - 4} more" if len(found) > 4 else ""
            )
            are = "is" if len(found) == 1 else "are"
            words = f"{names} in {self.run.folder} {are} there already, and not from these shots. Replace?"
            answer = QMessageBox.question(self, "Replace files", plain_text(words))
            if answer != QMessageBox.StandardButton.Yes:
                return
        self.run.start()

    def _path(self, item: QListWidgetItem | None) -> Path | None:
        shot = next((each for each in self.work.shots if item is not None and each.id == item.data(_ID)), None)
        return self.run.path_of(shot) if shot is not None else None

    def _open(self, path: Path | None) -> None:
        if path is not None and path.is_file():
            _show(path)

    def _open_menu(self, where) -> None:
        item = self.list.itemAt(where)
        path = self._path(item)
        menu = QMenu(self)
        is_there = path is not None and path.is_file()
        menu.addAction("Open", lambda: self._open(path)).setEnabled(is_there)
        menu.addAction("Show in folder", lambda: _show(path.parent)).setEnabled(is_there)
        menu.addAction("Keep as reference", lambda: self.work.workshop.set_reference(path)).setEnabled(
            is_there and path.suffix in (".png", ".jpg", ".tiff", ".webp")
        )
        menu.addSeparator()
        menu.addAction("Duplicate", self.work.duplicate_shot).setEnabled(item is not None)
        menu.addAction("Remove", self.work.remove_shot).setEnabled(item is not None)
        menu.popup(self.list.viewport().mapToGlobal(where))

    def follow(self) -> None:
        """Shows the shots and how far they are."""
        if not self.isVisible():
            return
        work, shots = self.work, self.work.shots
        self.list.blockSignals(True)
        while self.list.count() > len(shots):
            self.list.takeItem(self.list.count() - 1)
        for row, shot in enumerate(shots):
            if row >= self.list.count():
                made = QListWidgetItem()
                made.setFlags(made.flags() | Qt.ItemFlag.ItemIsUserCheckable)
                self.list.addItem(made)
            item, state = self.list.item(row), self.run.state(shot)
            name, below, size, words = self._lines(shot, state)
            item.setText(f"{name}, {below}, {size}, {words}")
            item.setToolTip(state.words or words)
            item.setData(_ID, shot.id)
            item.setData(_LINES, (name, below, size, words))
            item.setData(_SHARE, state.samples / max(state.of, 1) if state.kind in ("renders", "writes") else 0.0)
            item.setCheckState(Qt.CheckState.Checked if shot.is_on else Qt.CheckState.Unchecked)
        chosen = work.shot
        self.list.setCurrentRow(shots.index(chosen) if chosen in shots else -1)
        self.list.blockSignals(False)
        for button in (self.copy_button, self.up_button, self.down_button, self.remove_button):
            button.setEnabled(chosen is not None)
        if not self.pattern.hasFocus():
            self.pattern.setText(work.project.hand_over.pattern)
        self.folder.setText(str(self.run.folder))
        self._tell()

    def _lines(self, shot: Shot, state: ShotState) -> tuple[str, str, str, str]:
        project = self.work.project
        below = f"{by_id(project.views, shot.view).name}, {by_id(project.sets, shot.set).name}"
        if shot.swap is not None:
            below += next((f", {m.name}" for m in project.materials if m.id == shot.swap.variant), ", variant removed")
        ground = {"transparent": ", alpha", "white": ", white"}.get(shot.background.partition("-")[0], "")
        ground += ", cropped" if shot.crop is not None else ""
        ground += ", shadow" if shot.background.endswith("shadow") else ""
        kind = FILE_KINDS.get(shot.kind, "")
        if shot.turn is not None:
            kind = f"{TURN_KINDS[shot.kind].split(', ')[-1]}, {shot.frames} frames"
        size = f"{shot.width} × {shot.height} {kind}{ground}"
        return shot.name, below, size, _words(state)

    def _tell(self) -> None:
        run, ticked = self.run, [shot for shot in self.work.shots if shot.is_on]
        self.start_button.setText("Pause" if run.runs else "Render shots")
        self.start_button.setEnabled(bool(ticked) or run.runs)
        if run.words:
            self.words.setText(run.words)
        elif not self.work.shots:
            self.words.setText("Add a shot to render.")
        elif ticked:
            seconds, memory = run.estimate()
            count = f"{len(ticked)} shot{'s' * (len(ticked) != 1)}"
            self.words.setText(f"{count}, {duration(seconds)}, {memory / 1e9:.1f} GB")
        else:
            self.words.setText("No shot is ticked.")


def _words(state: ShotState) -> str:
    share = f"{100 * state.samples // max(state.of, 1)} %"
    left = f", {duration(state.left)} left" if state.left is not None else ""
    return {
        "waits": "waits",
        "prepares": "preparing",
        "renders": f"{share}{left}",
        "writes": "removing noise",
        "done": "done",
        "was done": "done before",
        "stopped": f"{share} kept" if state.samples < state.of else "to be written",
        "failed": "not rendered",
    }[state.kind]


def duration(seconds: float) -> str:
    """A duration in words, no finer than it is known."""
    if seconds < 90:
        return f"{max(round(seconds / 5) * 5, 5)} s"
    minutes = seconds / 60
    return f"{minutes:.0f} min" if minutes < 90 else f"{minutes / 60:.1f} h"


def _show(path: Path) -> None:
    """Opens a file or folder with the desktop's own program."""
    QDesktopServices.openUrl(QUrl.fromLocalFile(str(path)))


class _ShotPainter(QStyledItemDelegate):
    """Paints a shot: its name over its view and set, its size over how far it is."""

    def sizeHint(self, option, index) -> QSize:
        return QSize(200, max(_ROW, 2 * option.fontMetrics.height() + 8))

    def initStyleOption(self, option, index) -> None:
        super().initStyleOption(option, index)
        option.text = ""

    def paint(self, painter: QPainter, option, index) -> None:
        super().paint(painter, option, index)
        name, below, size, words = index.data(_LINES)
        painter.save()
        rect = option.rect.adjusted(30, 3, -8, -3)
        half = rect.height() // 2
        upper = QRect(rect.x(), rect.y(), rect.width(), half)
        lower = QRect(rect.x(), rect.y() + half, rect.width(), half)
        right, left = Qt.AlignmentFlag.AlignRight, Qt.AlignmentFlag.AlignLeft
        middle = Qt.AlignmentFlag.AlignVCenter
        small = font(12, tabular=True)
        for area, near, far, own in ((upper, name, size, THEME.text), (lower, below, words, THEME.quiet)):
            painter.setFont(small)
            painter.setPen(QColor(THEME.accent if area is lower and index.data(_SHARE) else THEME.quiet))
            painter.drawText(area, right | middle, far)
            taken = painter.fontMetrics().horizontalAdvance(far) + 12
            painter.setFont(font(13) if area is upper else small)
            painter.setPen(QColor(own))
            room = area.width() - taken
            painter.drawText(
                area.adjusted(0, 0, -taken, 0),
                left | middle,
                painter.fontMetrics().elidedText(near, Qt.TextElideMode.ElideRight, room),
            )
        share = index.data(_SHARE)
        if share:
            line = QRect(rect.right() - 110, rect.bottom() + 1, 110, 2)
            painter.fillRect(line, QColor(THEME.track))
            painter.fillRect(QRect(line.x(), line.y(), round(line.width() * share), 2), QColor(THEME.accent))
        painter.restore()
