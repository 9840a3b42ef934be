"""A turn rendered to a film, an animation, images or a page, beside the window."""

from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFileDialog,
    QGridLayout,
    QPushButton,
    QSpinBox,
)

from mat_shelf.app.hand_over.workers_dialog import workers_address
from mat_shelf.app.job import Job
from mat_shelf.app.widgets.file_job_dialog import FileJobDialog, numbered_files
from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.workshop import HandOverWork
from mat_shelf.document.shot import TURN_KINDS
from mat_shelf.document.turn import GOING, MOST_FRAMES, Turn
from mat_shelf.exchange.cluster import crew_at
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.project_file import plain_file_name
from mat_shelf.exchange.turntable import TurnSettings, check_turntable, render_turntable
from mat_shelf.system.user_folders import home_folder

FORMATS = {words: f".{kind}" for kind, words in TURN_KINDS.items()}


class TurntableDialog(FileJobDialog):
    """Choice of a turn and its file."""

    cancelled_words = "Cancelled; frames that are done are kept, and the next run goes on with them."

    def __init__(self, work: HandOverWork, parent=None):
        workshop = work.workshop
        folder = workshop.path.parent if workshop.path else home_folder()
        path = folder / f"{plain_file_name(workshop.project.name)} turn.html"
        words = "Looks through the view in use, in its set, with the finish."
        super().__init__("Turntable", "Render", path, words, parent)
        self.workshop, self.work = workshop, work
        self.keep_button = QPushButton("Add to the shots")
        self.keep_button.setToolTip("Renders it with the others, as often as anything changes")
        self.keep_button.clicked.connect(self._keep)
        self.going_box, self.kind_box, self.to_box = QComboBox(), QComboBox(), QComboBox()
        self.going_box.activated.connect(self._follow_going)
        for view in workshop.project.views:
            if view.id != workshop.project.current_view:
                self.to_box.addItem(view.name, view.id)
        self.to_box.setToolTip("The view that the camera goes to, from the one in use")
        for key, words in GOING.items():
            if key != "view" or self.to_box.count():
                self.going_box.addItem(words, key)
        self.kind_box.addItems(FORMATS)
        self.kind_box.textActivated.connect(self._choose_kind)
        self.frames_box = _spin(2, MOST_FRAMES, 36, " frames", "Frames")
        self.seconds_box = QDoubleSpinBox(minimum=0.1, maximum=3600, value=6, decimals=1, suffix=" s")
        self.degrees_box = _spin(-3600, 3600, 360, "°", "Angle")
        self.degrees_box.setToolTip("Of the whole turn; below 0 the other way round")
        self.eased_box = QCheckBox("Starts and ends slowly")
        self.eased_box.setToolTip("Where it is no whole turn")
        self.width_box, self.height_box = _spin(16, 8192, 960, " px", "Width"), _spin(16, 8192, 640, " px", "Height")
        self.samples_box = _spin(1, 65536, 64, " samples", "Samples")
        self.white_box = QCheckBox("On white")
        self.white_box.setToolTip("The product alone, without the set's backdrop")
        for box, name in (
            (self.going_box, "Motion"),
            (self.to_box, "To the view"),
            (self.kind_box, "Format"),
            (self.seconds_box, "Length"),
        ):
            box.setAccessibleName(name)
        self.seconds_box.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self._lay_out()

    def _lay_out(self) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(10)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        lines = (
            (("Motion", self.going_box), ("Format", self.kind_box)),
            (("Frames", self.frames_box), ("Length", self.seconds_box)),
            (("Angle", self.degrees_box), ("To the view", self.to_box)),
            (("Width", self.width_box), ("Height", self.height_box)),
            (("Samples", self.samples_box), ("", PlainLabel())),
            (("", self.eased_box), ("", self.white_box)),
        )
        for row, line in enumerate(lines):
            for column, (words, widget) in enumerate(line):
                grid.addWidget(PlainLabel(words), row, column * 2)
                grid.addWidget(widget, row, column * 2 + 1)
        self.lay_under(grid, len(lines), beside=self.keep_button)
        self._follow_going()

    def _follow_going(self) -> None:
        """Offers an angle to what goes round, and a view to a camera that goes there."""
        goes_to_view = self.going_box.currentData() == "view"
        self.degrees_box.setEnabled(not goes_to_view)
        self.to_box.setEnabled(goes_to_view)

    def _choose_kind(self, name: str) -> None:
        self.path_field.setText(str(self.path.with_suffix(FORMATS[name])))

    def choose(self) -> None:
        """Asks where to write."""
        kinds = f"Turns ({' '.join(f'*{ending}' for ending in FORMATS.values())})"
        chosen, _ = QFileDialog.getSaveFileName(self, "Render to", self.path_field.text(), kinds)
        if chosen:
            self.choose_path(chosen)

    def settings(self) -> TurnSettings:
        """The turn as it is chosen."""
        angle = float(self.degrees_box.value()) or 360.0
        going = self.going_box.currentData()
        return TurnSettings(
            Turn(
                going=going,
                frames=self.frames_box.value(),
                seconds=self.seconds_box.value(),
                degrees=angle,
                is_eased=self.eased_box.isChecked(),
                to=self.to_box.currentData() if going == "view" else None,
            ),
            self.width_box.value(),
            self.height_box.value(),
            self.samples_box.value(),
            "white" if self.white_box.isChecked() else "set",
        )

    def _keep(self) -> None:
        """Adds the turn to the shots, in the view and set in use."""
        settings, kind = self.settings(), FORMATS[self.kind_box.currentText()][1:]
        size = (settings.width, settings.height, 72.0)
        fields = {"samples": settings.samples, "background": settings.background, "kind": kind}
        self.work.add_shots(size=size, turn=settings.turn, **fields)
        self.say(f"{self.work.shot.name} is among the shots now")

    def start(self) -> None:
        """Renders the turn of the view and set in use."""
        path, settings = self.path, self.settings()
        try:
            check_turntable(path, settings, self.workshop.project)
        except ImageError as fault:
            self.say(str(fault))
            return
        if not self.may_write(numbered_files(path)):
            return
        project, assets = self.workshop.project, self.workshop.assets

        address = workers_address()

        def render(job: Job) -> None:
            with crew_at(address) as crew:
                render_turntable(
                    project,
                    assets,
                    path,
                    settings,
                    lambda done, total: job.tell("", done, total),
                    lambda: job.is_cancelled,
                    crew,
                )

        self.run(render, lambda _: f"Written to {path}", "Preparing the first frame…", settings.turn.frames)

    def show_progress(self, what: str, done: int, total: int) -> None:
        self.bar.setValue(done)
        left = f"{done} of {total} frames, about {self.time_left(done, total)} left"
        self.state.setText(left if done < total else "Writing the file…")


def _spin(low: int, high: int, value: int, unit: str, name: str) -> QSpinBox:
    box = QSpinBox(minimum=low, maximum=high, value=value, suffix=unit)
    box.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
    box.setAccessibleName(name)
    return box
