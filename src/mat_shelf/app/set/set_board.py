"""The board of the Set station: which set, its lights, room and backdrop, the camera and the views."""

from functools import partial

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QFrame,
    QGridLayout,
    QInputDialog,
    QMenu,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.set.backdrop_card import BackdropCard
from mat_shelf.app.set.camera_card import CameraCard
from mat_shelf.app.set.light_card import LightCard
from mat_shelf.app.set.lights_card import LightsCard
from mat_shelf.app.set.part_light_card import PartLightCard
from mat_shelf.app.set.plan_card import ABOVE, SIDE, PlanView
from mat_shelf.app.set.position_card import PositionCard
from mat_shelf.app.set.props_card import PropsCard
from mat_shelf.app.set.sets_card import SetsCard
from mat_shelf.app.set.surround_card import SurroundCard
from mat_shelf.app.widgets.binding import of_set
from mat_shelf.app.widgets.choice_row import ChoiceRow
from mat_shelf.app.widgets.fold_row import FoldRow
from mat_shelf.app.widgets.paced import Paced
from mat_shelf.app.widgets.plain_label import literal
from mat_shelf.app.widgets.small_widgets import small_button
from mat_shelf.app.workshop import ProductWork, Workshop
from mat_shelf.document.set import Set

TONE_CURVES = {"neutral": "Neutral", "exact": "Exact colours", "filmic": "Filmic"}
_CHOICE, _MOST_HEIGHT = 30, 150
"""Pixels of a choice, and of all that are shown at once."""


class SetBoard(QFrame):
    """Cards from left to right: sets, lights, plan, surround, backdrop, camera, views."""

    def __init__(self, workshop: Workshop, work: ProductWork):
        super().__init__()
        self.setObjectName("board")
        self.workshop, self.work = workshop, work
        self.straight_box = self._box("straight_light")
        self.tone_row = ChoiceRow(of_set(workshop, "tone_curve"), TONE_CURVES)
        self.apart_box = self._box("keeps_apart")
        self.sets_card = SetsCard(workshop, work)
        self.views = _Choices("Named cameras")
        self.views.chosen.connect(workshop.look_through)
        self.keep_view_button = small_button("Save…", "Saves the camera shown now as a view")
        self.move_view_button = small_button("Update view", "Sets the chosen view to the camera shown now")
        self.drop_view_button = small_button("Remove", "Removes the chosen view")
        self.keep_view_button.clicked.connect(self._keep_view)
        self.move_view_button.clicked.connect(workshop.move_view_here)
        self.drop_view_button.clicked.connect(workshop.remove_view)
        self.library_button = small_button(
            "Library", "Cameras kept for other products; they come in fitted to this one"
        )
        self.library_menu = QMenu(self.library_button)
        self.library_menu.aboutToShow.connect(self.fill_library)
        self.library_button.setMenu(self.library_menu)
        self.lock_box = QCheckBox("Locked")
        self.lock_box.setToolTip("Keeps the camera of the chosen view as it is; one can still look about from it.")
        self.lock_box.clicked.connect(workshop.lock_view)
        buttons = QWidget()
        grid = QGridLayout(buttons)
        grid.setContentsMargins(0, 6, 0, 0)
        grid.setSpacing(6)
        grid.addWidget(self.keep_view_button, 0, 0)
        grid.addWidget(self.drop_view_button, 0, 1)
        grid.addWidget(self.move_view_button, 1, 0, 1, 2)
        grid.addWidget(self.library_button, 2, 0)
        grid.addWidget(self.lock_box, 2, 1)

        self.lights_card, self.light_card = LightsCard(workshop, work), LightCard(workshop)
        self.part_light_card = PartLightCard(workshop)
        self.position_card, self.surround_card = PositionCard(workshop), SurroundCard(workshop)
        self.backdrop_card, self.camera_card = BackdropCard(workshop), CameraCard(workshop)
        self.props_card = PropsCard(workshop, work)
        self.plan = PlanView(workshop, work)
        self.plan_sides = QPushButton("From the side", checkable=True)
        self.plan_sides.setProperty("role", "small")
        self.plan_sides.setToolTip("Shows the plan from the right, instead of from above")
        self.plan_sides.toggled.connect(lambda is_side: self.plan.look_from(SIDE if is_side else ABOVE))
        self.row = FoldRow(
            self,
            {
                "Set": ([self.sets_card], 20),
                "Lights": ([self.lights_card, self.apart_box], 15),
                "Light": ([self.light_card, self.part_light_card], 42, 3),
                "Position": ([self.position_card], 14),
                "Plan": ([self.plan, self.plan_sides], 22),
                "Surround": ([self.surround_card, self.straight_box], 28, 2),
                "Backdrop": ([self.backdrop_card], 26, 2),
                "Props": ([self.props_card], 26, 2),
                "Camera": ([self.camera_card], 42, 3),
                "Views": ([self.views, buttons, self.tone_row], 14),
            },
            ("Props", "Backdrop", "Views", "Camera", "Surround", "Position", "Set", "Plan"),
        )
        self._paced = Paced(self, workshop, self.follow)
        for changed in (
            workshop.light_changed,
            workshop.prop_changed,
            workshop.project_changed,
            workshop.camera_changed,
        ):
            changed.connect(self._paced.note)
        self.follow()

    def follow(self) -> None:
        """Shows the set and the views; out of sight it waits, since most edits are made in other stations."""
        if not self.isVisible():
            return
        project = self.workshop.project
        is_free = self.workshop.free_camera is not None
        self.views.show_choices([(v.id, v.name) for v in project.views], None if is_free else project.current_view)
        is_locked = project.view.is_locked
        self.move_view_button.setEnabled(is_free and not is_locked)
        is_final = project.current_view == project.views[0].id
        self.drop_view_button.setEnabled(not is_free and not is_final and not is_locked)
        self.lock_box.setChecked(is_locked)
        self.camera_card.setEnabled(not is_locked)
        self.straight_box.setChecked(project.set.straight_light)
        self.tone_row.follow()
        self.apart_box.setChecked(project.set.keeps_apart)
        for card in (self.sets_card, self.lights_card, self.light_card, self.part_light_card, self.position_card):
            card.follow()
        self.light_card.setVisible(self.workshop.part_light is None)
        for card in (self.surround_card, self.backdrop_card, self.props_card, self.camera_card):
            card.follow()

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self.follow()
        self.row.follow_room()

    def hideEvent(self, event) -> None:
        super().hideEvent(event)
        self.light_card.let_go()
        self.camera_card.leave()
        self.backdrop_card.let_go()

    def _box(self, name: str) -> QCheckBox:
        """A box for a switch of the set."""
        told = Set.parameter(name)
        box = QCheckBox(told.title)
        box.setToolTip(told.description)

        def switch(is_on: bool) -> None:
            project = self.workshop.project
            self.workshop.edit(told.title, project.with_set(project.set.with_(**{name: is_on})))

        box.clicked.connect(switch)
        return box

    def fill_library(self) -> None:
        """Lists the cameras of the library."""
        workshop, menu, kept = self.workshop, self.library_menu, self.workshop.kept_cameras()
        menu.clear()
        menu.addAction("Save this camera to the library", lambda: workshop.keep_camera(self.work.bounds()))
        if kept:
            menu.addSeparator()
            for path in kept:
                menu.addAction(path.stem, lambda path=path: workshop.add_kept_camera(path, self.work.bounds()))
            gone = menu.addMenu("Delete from the library")
            for path in kept:
                gone.addAction(path.stem, partial(workshop.forget_kept_camera, path))

    def _keep_view(self) -> None:
        name, is_given = QInputDialog.getText(self, "Save view", "Name of the view")
        if is_given:
            self.workshop.save_view(name[:120])


class _Choices(QScrollArea):
    """Names one under the other, of which one is chosen; many of them scroll.

    Signals
    -------
    chosen : str
        Id of what the user chose.
    """

    chosen = pyqtSignal(str)

    def __init__(self, tip: str):
        super().__init__()
        self.setToolTip(tip)
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        inside = QWidget()
        self.setWidget(inside)
        self._layout = QVBoxLayout(inside)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(2)
        self._group = QButtonGroup(self)
        self._shown: list[tuple[str, str]] = []
        self._laid_out = QTimer(self, singleShot=True, interval=0)
        self._laid_out.timeout.connect(self._show_chosen)
        self.buttons: dict[str, QPushButton] = {}

    def show_choices(self, choices: list[tuple[str, str]], current: str | None) -> None:
        if choices != self._shown:
            for button in self.buttons.values():
                self._group.removeButton(button)
                button.deleteLater()
            self.buttons = {}
            for key, name in choices:
                button = QPushButton(literal(name), checkable=True)
                button.setProperty("role", "choice")
                button.clicked.connect(lambda _, key=key: self.chosen.emit(key))
                self._group.addButton(button)
                self._layout.addWidget(button)
                self.buttons[key] = button
            self._shown = choices
            self.setFixedHeight(min(len(choices) * _CHOICE, _MOST_HEIGHT))
        self._group.setExclusive(False)
        for key, button in self.buttons.items():
            button.setChecked(key == current)
        self._group.setExclusive(True)
        self._laid_out.start()

    def _show_chosen(self) -> None:
        if self._group.checkedButton() is not None:
            self.ensureWidgetVisible(self._group.checkedButton())
