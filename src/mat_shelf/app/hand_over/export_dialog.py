"""The product, parts or materials written in an open format, with what is lost said first."""

from collections.abc import Sequence
from html import escape
from pathlib import Path

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QFrame,
    QGridLayout,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.job import Job
from mat_shelf.app.notice import Notice
from mat_shelf.app.widgets.file_job_dialog import FileJobDialog
from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.workshop import Workshop
from mat_shelf.commands.exports import ExportItem, ExportSubject
from mat_shelf.document.ids import FreeNames
from mat_shelf.exchange.exporting import (
    EXPORT_FORMATS,
    ExportChoices,
    ExportFormat,
    estimated_bytes,
    export,
    export_format,
    losses_of,
)
from mat_shelf.exchange.materials.texture_files import NAMINGS
from mat_shelf.exchange.project_file import plain_file_name
from mat_shelf.system.user_folders import home_folder

SIZES = (256, 512, 1024, 2048, 4096, 8192)
_USD = {"USDZ, one file": ".usdz", "USDC, with a folder": ".usdc", "USDA, text with a folder": ".usda"}


class ExportDialog(FileJobDialog):
    """Choice of what to export and how; then progress and Cancel."""

    def __init__(self, workshop: Workshop, notice: Notice, parent=None):
        folder = workshop.path.parent if workshop.path else home_folder()
        super().__init__("Export", "Export", folder / "product.glb", "", parent)
        self.workshop, self.notice = workshop, notice
        self.subjects: list[ExportSubject] = []
        self._items: dict[int, list[ExportItem]] = {}
        self.subject_box, self.format_box, self.size_box = QComboBox(), QComboBox(), QComboBox()
        self.usd_box, self.naming_box, self.normals_box = QComboBox(), QComboBox(), QComboBox()
        for size in SIZES:
            self.size_box.addItem(f"{size} px", size)
        self.size_box.setCurrentIndex(SIZES.index(2048))
        for words, ending in _USD.items():
            self.usd_box.addItem(words, ending)
        for key, naming in NAMINGS.items():
            self.naming_box.addItem(naming.label, key)
        self.normals_box.addItem("Green up", False)
        self.normals_box.addItem("Green down", True)
        self.compact_box = QCheckBox("Colours as JPEG")
        self.compact_box.setToolTip("About a third as large; sharp edges lose a little")
        self.variants_box = QCheckBox("Variants")
        self.variants_box.setChecked(True)
        self.variants_box.setToolTip("Variants of the materials come along")
        self.maps_box = QCheckBox("Patterns as maps")
        self.maps_box.setToolTip("Baked on each part; otherwise as nodes, where the standard has them")
        self.losses = PlainLabel()
        self.losses.setTextFormat(Qt.TextFormat.RichText)
        self.losses.setWordWrap(True)
        self.losses.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.losses.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.estimate = PlainLabel()
        self.estimate.setProperty("role", "quiet")
        self._soon = QTimer(self, singleShot=True, interval=0)
        self._soon.timeout.connect(self._look_ahead)
        self._lay_out()
        self.subject_box.currentIndexChanged.connect(self._choose_subject)
        self.format_box.currentIndexChanged.connect(self._choose_format)
        self.usd_box.currentIndexChanged.connect(self._choose_format)
        for box in (self.size_box, self.naming_box, self.normals_box):
            box.currentIndexChanged.connect(self._soon.start)
        for box in (self.compact_box, self.variants_box, self.maps_box):
            box.toggled.connect(self._choose_format)

    def _lay_out(self) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(10)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        grid.setColumnMinimumWidth(0, 84)
        grid.setColumnMinimumWidth(2, 84)  # so that nothing moves when another format has other choices
        self.labels = {}
        for words, box, place in (
            ("What", self.subject_box, (0, 0)),
            ("Format", self.format_box, (0, 2)),
            ("Largest map", self.size_box, (1, 0)),
            ("File form", self.usd_box, (1, 2)),
            ("File names", self.naming_box, (1, 2)),
            ("Normals", self.normals_box, (2, 2)),
        ):
            self.labels[box] = PlainLabel(words)
            box.setAccessibleName(words)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            grid.addWidget(self.labels[box], *place)
            grid.addWidget(box, place[0], place[1] + 1)
        grid.addWidget(self.variants_box, 2, 1)
        grid.addWidget(self.compact_box, 1, 3)
        grid.addWidget(self.maps_box, 2, 3)
        more, inner = QVBoxLayout(), QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 8, 0)
        column.addWidget(self.losses)
        column.addStretch(1)
        area = QScrollArea(widgetResizable=True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setWidget(inner)
        area.setMinimumHeight(120)
        heading = PlainLabel("What changes")
        heading.setProperty("role", "heading")
        more.setSpacing(6)
        more.addWidget(heading)
        more.addWidget(area, 1)
        more.addWidget(self.estimate)
        self.lay_under(grid, 3, more)
        self.resize(680, 500)

    def offer(self, subjects: Sequence[ExportSubject]) -> None:
        """Offers what can be exported; the first is chosen."""
        if not self.start_button.isEnabled():
            return  # one export at a time
        self.subjects, self._items = list(subjects), {}
        self.subject_box.blockSignals(True)
        self.subject_box.clear()
        self.subject_box.addItems([subject.label for subject in self.subjects])
        self.subject_box.blockSignals(False)
        self._choose_subject()

    @property
    def subject(self) -> ExportSubject:
        """The subject that is chosen."""
        return self.subjects[max(self.subject_box.currentIndex(), 0)]

    @property
    def format(self) -> ExportFormat:
        """The format that is chosen."""
        return export_format(self.format_box.currentData())

    def items(self) -> list[ExportItem]:
        """The files of what is to be exported."""
        place = self.subject_box.currentIndex()
        if place not in self._items:
            self._items[place] = self.subject.items()
        return self._items[place]

    def choices(self) -> ExportChoices:
        """All that is chosen."""
        form = self.format
        return ExportChoices(
            form.key,
            self.size_box.currentData(),
            self.compact_box.isChecked() and form.key == "glb",
            self.variants_box.isChecked(),
            self.maps_box.isChecked() and form.key == "mtlx",
            self.naming_box.currentData(),
            self.normals_box.currentData(),
        )

    def _choose_subject(self) -> None:
        before = self.format_box.currentData()
        self.format_box.blockSignals(True)
        self.format_box.clear()
        for form in EXPORT_FORMATS:
            if self.subject.takes in form.takes:
                self.format_box.addItem(form.label, form.key)
        self.format_box.setCurrentIndex(max(self.format_box.findData(before), 0))
        self.format_box.blockSignals(False)
        name = plain_file_name(self.subject.label if self.subject.count > 1 else self.items()[0].name)
        self.path_field.setText(str(self.path.with_name(name)))
        self._choose_format()

    def _choose_format(self) -> None:
        form, choices = self.format, self.choices()
        is_baked = form.is_baked or choices.uses_maps
        for box, is_shown in (
            (self.size_box, is_baked or form.key == "mtlx"),
            (self.usd_box, form.key == "usd"),
            (self.naming_box, form.key == "textures"),
            (self.normals_box, form.key == "textures"),
        ):
            box.setVisible(is_shown)
            self.labels[box].setVisible(is_shown)
        self.compact_box.setVisible(form.key == "glb")
        self.maps_box.setVisible(form.key == "mtlx")
        self.variants_box.setVisible(form.key != "swatch" and not choices.uses_maps)
        path = self.path
        known = {ending for one in EXPORT_FORMATS for ending in one.endings}
        stem = path.with_suffix("") if path.suffix.lower() in known else path
        ending = "" if self.subject.count > 1 else self._ending()
        self.path_field.setText(str(stem.with_name(stem.name + ending)))
        self._soon.start()

    def _ending(self) -> str:
        form = self.format
        return self.usd_box.currentData() if form.key == "usd" else form.endings[0] if form.endings else ""

    def _look_ahead(self) -> None:
        """Says what changes, and about how large it gets."""
        choices, lines, size = self.choices(), {}, 0
        for item in self.items():
            lines |= dict.fromkeys(losses_of(item.project, item.assets, choices))
            size += estimated_bytes(item.project, item.assets, choices)
        rows = "".join(f"<li>{escape(line)}.</li>" for line in lines)
        style = "margin-left: -26px; margin-top: 0; margin-bottom: 0"
        self.losses.setText(f"<ul style='{style}'>{rows}</ul>" if rows else "Nothing: all of it is kept.")
        count = f", {len(self.items())} files" if self.subject.count > 1 else ""
        self.estimate.setText(f"About {_size(size)}{count}")

    def choose(self) -> None:
        """Asks where to write."""
        if self.subject.count > 1 or not self._ending():
            chosen = QFileDialog.getExistingDirectory(self, "Export to", str(self.path.parent))
        else:
            kinds = f"{self.format.label} (*{self._ending()})"
            chosen, _ = QFileDialog.getSaveFileName(self, "Export to", str(self.path), kinds)
        if chosen:
            self.choose_path(chosen)

    def start(self) -> None:
        """Exports what is chosen."""
        path, choices, items = self.path, self.choices(), self.items()
        if not path.parent.is_dir():
            self.say(f"There is no folder {path.parent}; choose another place")
            return
        many, ending, names = self.subject.count > 1, self._ending(), FreeNames()
        targets = [path / f"{names.take(plain_file_name(item.name))}{ending}" if many else path for item in items]
        if not self.may_write(targets):
            return

        def write(job: Job) -> list[str]:
            notes = []
            for number, (item, target) in enumerate(zip(items, targets, strict=True)):
                if many:
                    path.mkdir(exist_ok=True)
                    if not job.tell(item.name, number, len(items)):
                        raise InterruptedError("cancelled")

                def tell(what: str, done: int, total: int) -> bool:
                    return not job.is_cancelled if many else job.tell(what, done, total)

                notes += export(target, item.project, item.assets, choices, tell)
            return list(dict.fromkeys(notes))

        self.run(write, lambda notes: self._said(path, notes), "Preparing…")

    def _said(self, path: Path, notes: list[str]) -> str:
        for note in notes:
            self.notice.note(f"{path.name}: {note[0].upper()}{note[1:]}.")
        more = f" {notes[0][0].upper()}{notes[0][1:]}." if notes else ""
        more += f" {len(notes) - 1} more in Messages." if len(notes) > 1 else ""
        return f"Written to {path}.{more}"


def _size(count: int) -> str:
    if count >= 1 << 30:
        return f"{count / (1 << 30):.1f} GB"
    if count >= 1 << 20:
        return f"{count / (1 << 20):.0f} MB" if count >= 10 << 20 else f"{count / (1 << 20):.1f} MB"
    return f"{max(count >> 10, 1)} kB"
