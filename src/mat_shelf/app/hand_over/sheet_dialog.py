"""A proof sheet made beside the window: what is on it, its paper and its file."""

from pathlib import Path

from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSpinBox,
)

from mat_shelf.app.job import Job
from mat_shelf.app.widgets.file_job_dialog import FileJobDialog, numbered_files
from mat_shelf.app.widgets.plain_label import PlainLabel, literal
from mat_shelf.app.widgets.tick_list import TickList
from mat_shelf.app.workshop import HandOverWork
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.project_file import plain_file_name
from mat_shelf.sheets.printing import make_sheet
from mat_shelf.sheets.sheet import KINDS, PAPERS, SHAPES, Paper, Sheet, check_sheet
from mat_shelf.system.file_reader import read_file
from mat_shelf.system.user_folders import home_folder

_NO_LOGO = "Logo…"


class SheetDialog(FileJobDialog):
    """Ticks of materials, sets and shapes, or of variants; then the paper."""

    def __init__(self, work: HandOverWork, parent=None):
        workshop = work.workshop
        folder = workshop.path.parent if workshop.path else home_folder()
        path = folder / f"{plain_file_name(workshop.project.name)} proof.pdf"
        super().__init__("Proof sheet", "Make sheet", path, "", parent)
        self.work, self.workshop = work, workshop
        self._logo: Path | None = None
        self.kind_box, self.paper_box = QComboBox(), QComboBox()
        for key, words in KINDS.items():
            self.kind_box.addItem(words, key)
        self.kind_box.activated.connect(self._follow_kind)
        for name in PAPERS:
            self.paper_box.addItem(f"{name}, upright", (name, False))
            self.paper_box.addItem(f"{name}, wide", (name, True))
        self.materials, self.sets = TickList("Materials"), TickList("Sets")
        self.shapes, self.variants = TickList("Shapes"), TickList("Variants")
        self.all_button = QPushButton("All worn")
        self.all_button.setProperty("role", "small")
        self.all_button.setToolTip("Ticks all materials that the product wears")
        self.all_button.clicked.connect(lambda: self._fill_materials(self._worn()))
        self.title_field = QLineEdit()
        self.title_field.setPlaceholderText(workshop.project.name)
        self.title_field.setMaxLength(120)
        self.logo_button = QPushButton(_NO_LOGO)
        self.logo_button.setToolTip("An image for the upper right corner; chosen again, it is taken away")
        self.logo_button.clicked.connect(self._choose_logo)
        self.margin_box, self.dpi_box = _spin(0, 50, 14, " mm"), _spin(50, 600, 150, " dpi")
        self.samples_box = _spin(1, 65536, 128, " samples")
        self.samples_box.setToolTip("Of each pixel, at most; less where the picture is clean before")
        self._lay_out()
        for ticks in (self.materials, self.sets, self.shapes, self.variants):
            ticks.itemChanged.connect(self._tell)
        workshop.project_replaced.connect(self._forget)
        self.offer()

    def _lay_out(self) -> None:
        grid, lists = QGridLayout(), QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(10)
        lists.setHorizontalSpacing(12)
        heads = QHBoxLayout()
        self.material_label = PlainLabel("Materials")
        heads.addWidget(self.material_label)
        heads.addStretch(1)
        heads.addWidget(self.all_button)
        self.shape_label = PlainLabel("Shapes")
        lists.addLayout(heads, 0, 0)
        lists.addWidget(PlainLabel("Sets"), 0, 1)
        lists.addWidget(self.shape_label, 0, 2)
        for column, ticks in enumerate((self.materials, self.sets, self.shapes)):
            lists.addWidget(ticks, 1, column)
            lists.setColumnStretch(column, 1)
        lists.addWidget(self.variants, 1, 2)
        paper, print_ = QHBoxLayout(), QHBoxLayout()
        for line, boxes in ((paper, (self.paper_box, self.margin_box)), (print_, (self.dpi_box, self.samples_box))):
            line.setSpacing(6)
            for box in boxes:
                line.addWidget(box, 1)
        for box, name in (
            (self.kind_box, "Content"), (self.paper_box, "Paper"), (self.margin_box, "Margin"),
            (self.dpi_box, "Pictures"), (self.samples_box, "Samples"), (self.title_field, "Title"),
        ):  # fmt: skip
            box.setAccessibleName(name)
        self.margin_box.setPrefix("Margin ")
        grid.addWidget(PlainLabel("Content"), 0, 0)
        grid.addWidget(self.kind_box, 0, 1, 1, 3)
        grid.addLayout(lists, 1, 0, 1, 4)
        grid.addWidget(PlainLabel("Paper"), 2, 0)
        grid.addLayout(paper, 2, 1)
        grid.addWidget(PlainLabel("Pictures"), 2, 2)
        grid.addLayout(print_, 2, 3)
        grid.addWidget(PlainLabel("Title"), 3, 0)
        grid.addWidget(self.title_field, 3, 1, 1, 2)
        grid.addWidget(self.logo_button, 3, 3)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        self.lay_under(grid, 4)
        self.setMinimumWidth(680)

    def _forget(self) -> None:
        for ticks in (self.materials, self.sets, self.variants):
            ticks.clear()
        self.offer()

    def offer(self) -> None:
        """Offers the project's materials, sets and variants; ticks stay, and at first what the board shows has one."""
        project, shown = self.workshop.project, self.workshop.selected_material
        self.title_field.setPlaceholderText(project.name)
        self._fill_materials(self.materials.ticked() or ([shown.id] if shown is not None else self._worn()[:1]))
        studios = [(studio.name, studio.id) for studio in project.sets]
        self.sets.fill(studios, self.sets.ticked() or [project.current_set])
        self.shapes.fill([(words, key) for key, words in SHAPES.items()], self.shapes.ticked() or ["bowl"])
        swaps = [("As it is", None), *self.work.swaps()]
        self.variants.fill(swaps, self.variants.ticked() or [swap for _, swap in swaps])
        self._follow_kind()

    def _worn(self) -> list[str]:
        worn = {key for part in self.workshop.project.product.parts for key in part.worn()}
        return [material.id for material in self.workshop.project.materials if material.id in worn]

    def _fill_materials(self, ticked: list[str]) -> None:
        self.materials.fill([(each.name, each.id) for each in self.workshop.project.materials], ticked)
        self._tell()

    def _follow_kind(self) -> None:
        """Shows what the kind of sheet has."""
        kind = self.kind_box.currentData()
        has_variants = kind == "variants"
        self.materials.setEnabled(not has_variants)
        self.all_button.setEnabled(not has_variants)
        self.material_label.setEnabled(not has_variants)
        self.shapes.setVisible(not has_variants)
        self.shapes.setEnabled(kind == "grid")
        self.variants.setVisible(has_variants)
        self.shape_label.setText("Variants" if has_variants else "Shapes")
        self.shape_label.setEnabled(kind != "product")
        if kind == "product" and len(self.materials.ticked()) < 2:
            self._fill_materials(self._worn())
        self._tell()

    def sheet(self) -> Sheet:
        """The sheet as it is chosen."""
        kind, sets = self.kind_box.currentData(), tuple(self.sets.ticked())
        return Sheet(
            kind,
            tuple(self.materials.ticked()),
            sets[:1] if kind == "product" else sets,
            tuple(self.shapes.ticked()),
            tuple(self.variants.ticked()),
            self.samples_box.value(),
        )

    def _paper(self) -> Paper:
        size, is_wide = self.paper_box.currentData()
        logo = read_file(self._logo) if self._logo is not None else None
        margin, dpi = float(self.margin_box.value()), float(self.dpi_box.value())
        return Paper(size, is_wide, margin, dpi, self.title_field.text().strip(), logo)

    def _tell(self) -> None:
        if self.start_button.isEnabled():
            count = self.sheet().pictures
            self.say(f"{count} picture{'s' * (count != 1)}" if count else "Tick what is on the sheet")

    def _choose_logo(self) -> None:
        if self._logo is not None:
            self._logo = None
            self.logo_button.setText(_NO_LOGO)
            return
        chosen, _ = QFileDialog.getOpenFileName(
            self, "Logo", str(self.path.parent), "Images (*.png *.jpg *.jpeg *.tif *.tiff *.webp *.psd)"
        )
        if chosen:
            self._logo = Path(chosen)
            self.logo_button.setText(literal(self._logo.name[:24]))

    def choose(self) -> None:
        """Asks where to write."""
        chosen, _ = QFileDialog.getSaveFileName(
            self, "Make sheet", self.path_field.text(), "Proof sheets (*.pdf);;Pictures of the pages (*.png)"
        )
        if chosen:
            self.choose_path(chosen)

    def start(self) -> None:
        """Makes the sheet of the project as it is now."""
        project, assets, sheet, path = self.workshop.project, self.workshop.assets, self.sheet(), self.path
        try:
            paper = self._paper()
            check_sheet(project, sheet, paper, path)
        except (ImageError, OSError) as fault:
            self.say(str(fault))
            return
        if not self.may_write(numbered_files(path)):
            return

        def make(job: Job) -> list[Path]:
            return make_sheet(project, assets, sheet, paper, path, job.tell, lambda: job.is_cancelled)

        self.run(make, _written, "Measuring…", sheet.pictures)

    def show_progress(self, what: str, done: int, total: int) -> None:
        self.bar.setRange(0, total)
        self.bar.setValue(done)
        left = f", about {self.time_left(done, total)} left" if what == "Picture" and done else ""
        self.state.setText(f"{what} {done + 1} of {total}{left}…")


def _written(paths: list[Path]) -> str:
    return f"Written to {paths[0]}" if len(paths) == 1 else f"{len(paths)} pages written to {paths[0].parent}"


def _spin(low: int, high: int, value: int, unit: str) -> QSpinBox:
    box = QSpinBox(minimum=low, maximum=high, value=value, suffix=unit)
    box.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
    return box
