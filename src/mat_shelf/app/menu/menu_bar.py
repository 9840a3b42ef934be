"""The menu bar: every command of the window, where one looks for it."""

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QMenu, QMenuBar

from mat_shelf.app.menu.command_action import CommandAction
from mat_shelf.app.product.uv_view import VIEWS
from mat_shelf.app.recent import recent_projects
from mat_shelf.app.set.light_card import WAYS
from mat_shelf.app.theme import is_dark
from mat_shelf.app.wall.tools.wipe import BLEND
from mat_shelf.app.widgets.paced import Paced
from mat_shelf.app.widgets.plain_label import literal
from mat_shelf.commands.lights import PRESETS
from mat_shelf.document.product import FINENESS
from mat_shelf.exchange.models.formats import format_of
from mat_shelf.rendering.input_picture import INPUT_VIEWS

if TYPE_CHECKING:
    from mat_shelf.app.window import Window

KEY = QKeySequence.StandardKey
SIDES = ("Front", "Right", "Back", "Left", "Above")
ARRANGEMENTS = (("Picture alone", "picture"), ("Compare side by side", "compare"), ("Board and library", "board"))


class MenuBar(QMenuBar):
    """Menus of one window.

    Attributes
    ----------
    commands : dict of list of CommandAction
        By the name of their menu.
    """

    def __init__(self, window: "Window"):
        super().__init__(window)
        self.window_, self.workshop, self.work = window, window.workshop, window.work
        self.commands: dict[str, list[CommandAction]] = {}
        self._menu: QMenu | None = None
        for title, fill in (
            ("&File", self._file),
            ("&Edit", self._edit),
            ("&Part", self._part),
            ("&Material", self._material),
            ("&Light", self._light),
            ("&View", self._view),
            ("&Window", self._window),
            ("&Help", self._help),
        ):
            self._menu = self.addMenu(title)
            self._menu.aboutToShow.connect(self.follow)
            self.commands[title.replace("&", "")] = []
            fill()
        # Shortcuts of what cannot be done now must be off, and many edits come at once while a value is dragged.
        self._soon = QTimer(self, singleShot=True, interval=0)
        self._soon.timeout.connect(self.follow)
        workshop = self.workshop
        soon = Paced(self, workshop, self._soon.start, only_rests=True).note
        for signal in (workshop.project_changed, workshop.selection_changed, workshop.camera_changed):
            signal.connect(soon)
        for signal in (
            workshop.shown_changed,
            workshop.region_changed,
            window.marks.opened,
            window.panes.changed,
            workshop.light_changed,
        ):
            signal.connect(soon)

    def follow(self) -> None:
        """Takes names and states of all commands from what is selected now."""
        for commands in self.commands.values():
            for command in commands:
                command.follow()

    def find(self, name: str) -> CommandAction:
        """The command with a name. Raises KeyError."""
        for commands in self.commands.values():
            for command in commands:
                if command.name == name:
                    return command
        raise KeyError(name)

    def _add(self, name, run, keys="", menu: QMenu | None = None, **options) -> CommandAction:
        command = CommandAction(self.window_, name, run, keys, **options)
        (menu or self._menu).addAction(command)
        self.window_.addAction(command)  # so that its key is understood while a pane fills the window too
        list(self.commands.values())[-1].append(command)
        return command

    def _gap(self) -> None:
        self._menu.addSeparator()

    def _file(self) -> None:
        window, files = self.window_, self.window_.files
        self._add("New project", window.begin_project, KEY.New)
        self._add("Open…", files.choose, KEY.Open)
        self.recent = self._menu.addMenu("Open recent")
        self.recent.aboutToShow.connect(self._fill_recent)
        self._gap()
        self._add("Save", files.save, KEY.Save)
        self._add("Save as…", files.save_as, "Ctrl+Shift+S")
        self._gap()
        self._add("Import model…", window.choose_model, "Ctrl+I")
        self._add("Import materials…", window.choose_materials)
        again = self._menu.addMenu("Read the model again")
        self._add("As it is now", lambda: window.model_import.read_again(), menu=again, when=self._has_source)
        for fineness in FINENESS:
            self._add(
                f"CAD faces {fineness}",
                lambda _, fineness=fineness: window.model_import.read_again(fineness=fineness),
                menu=again,
                when=self._has_cad_source,
                is_on=partial(self._is_as_fine, fineness),
            )
        self._add(
            "Export…",
            lambda: window.dialogs.open_export(),
            "Ctrl+E",
            when=lambda: bool(self.workshop.project.product.parts),
        )
        self._add("Render…", window.open_render, "Ctrl+R")
        self._add("Turntable…", lambda: window.dialogs.open_turntable())
        self._add("Proof sheet…", lambda: window.dialogs.open_sheet())
        self._add("Compare pictures…", lambda: window.dialogs.open_difference())
        self._add("Add shots…", window.add_shots)
        self._add("Workers…", lambda: window.dialogs.open_workers())
        self._add("Render shots", window.render_shots, when=lambda: any(s.is_on for s in window.hand_over.shots))
        self._gap()
        self._add("Quit", window.close, "Ctrl+Q")

    def _fill_recent(self) -> None:
        files = self.window_.files
        self.recent.clear()
        for path in recent_projects():
            shown = self.recent.addAction(literal(f"{path.stem}    {path.parent}"))
            shown.triggered.connect(lambda _, path=path: files.may_leave() and files.open(path))
        if self.recent.isEmpty():
            self.recent.addAction("No recent projects").setEnabled(False)

    def _edit(self) -> None:
        workshop, window = self.workshop, self.window_
        self.undo = self._add(
            lambda: f"Undo {workshop.history.undo_label or ''}".strip(),
            workshop.undo,
            KEY.Undo,
            when=lambda: workshop.history.undo_label is not None,
        )
        self.redo = self._add(
            lambda: f"Redo {workshop.history.redo_label or ''}".strip(),
            workshop.redo,
            "Ctrl+Shift+Z",
            when=lambda: workshop.history.redo_label is not None,
        )
        self._add("History…", lambda: window.dialogs.open_history(), "Ctrl+H")
        self._gap()
        has_material = self._has_material
        self._add("Copy material", workshop.copy_material, KEY.Copy, when=has_material)
        self._add("Paste material", workshop.paste_material, KEY.Paste, when=lambda: workshop.copied is not None)
        self._add(window.duplication.words, window.duplication.run, "Ctrl+D", when=window.duplication.is_possible)
        self._gap()
        steps = ((1, "Select next part", "Page Down"), (-1, "Select previous part", "Page Up"))
        for step, name, key in steps:
            self._add(name, partial(window.viewport.select.select_beside, step), hint=key, when=self._has_parts)
        self._add("Deselect", lambda: workshop.select(None), hint="Esc", when=self._has_part)
        self._gap()
        self._add("Preferences…", lambda: window.dialogs.open_preferences(), "Ctrl+,")

    def _part(self) -> None:
        workshop, work, viewport = self.workshop, self.work, self.window_.viewport
        has_part = self._has_part

        def of_part(words: str) -> str:
            part = workshop.selected_part
            return words.format(part.name if part else "part")

        self._add("Frame", lambda: viewport.frame_part(workshop.selected), hint="F", when=has_part)
        self._add("Isolate", work.isolate, when=has_part)
        self._add(
            lambda: of_part("Show {}" if has_part() and workshop.selected_part.is_hidden else "Hide {}"),
            lambda: work.toggle_hidden(workshop.selected),
            hint="H",
            when=has_part,
        )
        self._add(
            lambda: f"{'Show' if self._is_gone() else 'Hide'} in {workshop.project.view.name}",
            lambda: workshop.hide_in_view(self._chosen(), not self._is_gone()),
            when=has_part,
        )
        self._add(
            lambda: f"Show only in {workshop.project.view.name}",
            lambda: workshop.show_only_in_view(self._chosen()),
            when=lambda: has_part() and len(workshop.project.views) > 1,
        )
        self._add("Show all", lambda: work.hide(set(), "Show all"), when=self._has_hidden)
        self._gap()
        self._add("Group", work.group, when=lambda: bool(workshop.also_selected))
        self._add("Ungroup", work.ungroup, when=lambda: has_part() and workshop.selected_part.group is not None)
        self._gap()
        self._add("Drop to floor", work.set_down, when=has_part)
        self._add("Centre", work.centre, when=self._has_parts)
        self._add("Z-up to Y-up", work.upright, when=self._has_parts)
        self._gap()
        mend, window = self._menu.addMenu("Mend and split"), self.window_
        for name, run, when in (
            ("Close holes", work.close_holes, has_part),
            ("Flip faces", work.flip, has_part),
            ("Thicken…", lambda: window.dialogs.open_thickness(), has_part),
            ("Split connected parts", work.split_pieces, has_part),
            ("Split off the selected faces", work.split_faces, lambda: work.chosen is not None),
            ("Split into layers…", lambda: window.dialogs.open_layers(), has_part),
            ("Join parts", work.join, lambda: bool(workshop.also_selected)),
        ):
            self._add(name, run, menu=mend, when=when)
        wet, fills = self._menu.addMenu("Fill and drops"), window.fills

        def in_station(run):
            """A deed of the Fill station, which shows what comes of it."""
            return lambda: (window.stations.show(window.fill_board), run())

        def ask(name):
            """A question that the card of the vessel asks."""
            return lambda: getattr(window.fill_board.vessel_card, name)()

        for name, run, when in (
            ("Fill", fills.add_fill, lambda: has_part() and fills.fill_part is None),
            ("Hollow…", ask("hollow"), lambda: has_part() and fills.fill_part is None),
            ("Float…", ask("float_part"), lambda: has_part() and fills.fill_part is None and fills.has_fills),
            ("Add bubbles", fills.add_bubbles, lambda: fills.bubbling is not None and fills.bubbles_part is None),
            ("Add foam", fills.add_foam, lambda: fills.fill_part is not None and fills.foam_part is None),
            ("Pour a stream", fills.add_stream, lambda: fills.fill_part is not None and fills.stream_part is None),
            ("Add drops", fills.add_beads, lambda: has_part() and fills.beads_part is None),
        ):
            self._add(name, in_station(run), menu=wet, when=when)
        self._gap()
        self._add("Find unassigned faces", work.find_gaps, when=self._has_parts)
        self._add("Duplicate part", work.duplicate, when=has_part)
        self._add("Remove part", work.remove, when=has_part)

    def _material(self) -> None:
        workshop, window = self.workshop, self.window_
        has_material = self._has_material

        def of_material(words: str) -> str:
            material = workshop.selected_material
            return words.format(material.name if material else "material")

        self._add("Save to library", window.board.header.open_save, "Ctrl+K", when=has_material)
        self._add("Measurements", window.board.header.open_measurements, when=has_material)
        self._add("New pattern…", window.begin_pattern, when=has_material)
        self._gap()
        self._add("Rename material", window.rename_material, "F2", when=has_material)
        self._add("Make a variant", workshop.make_variant, when=lambda: has_material() and self._has_part())
        self._gap()
        self._add(
            lambda: of_material("Select all with {}"),
            lambda: workshop.select_all_wearing(workshop.selected_material.id),
            when=has_material,
        )
        self._add("Select next part with it", workshop.select_next_wearer, when=has_material)
        self._add("Last swatch on next part", workshop.dress_next, hint="R", when=lambda: bool(workshop.worn_last))
        self._gap()
        self._add("Materials of the project", window.library_pane.show_materials, "Ctrl+M")
        self._add("Search the library", window.library_pane.begin_search, KEY.Find)
        self._add("Save images to library…", window.library.choose_images)
        self._add("Delete unused materials", workshop.remove_unused)

    def _light(self) -> None:
        window, workshop = self.window_, self.workshop
        presets = self._menu.addMenu("Add")
        for preset in PRESETS:
            words = f"Add a {preset.lower()}" if preset != "Sun" else "Add the sun"
            self._add(words, lambda preset=preset: window.begin_light().lights_card.add_light(preset), menu=presets)
        for name, run in (
            ("Duplicate the light", workshop.duplicate_light),
            ("Remove the light", workshop.remove_light),
        ):
            self._add(name, run, when=self._has_light)
        self._add("Solo", workshop.solo_light, when=lambda: self._has_light() or workshop.part_light is not None)
        self._gap()
        for way, (name, _) in WAYS.items():
            aim = partial(self._toggle_way, way)
            self._add(name, aim, when=self._has_light)
        self._gap()
        self._add("Environment (HDR)…", lambda: window.begin_light().surround_card.choose_room())

    def _toggle_way(self, way: str) -> None:
        """Begins, or ends, to aim the light in a way."""
        self.window_.begin_light().light_card.way_buttons[way].toggle()

    def _has_light(self) -> bool:
        return self.workshop.light is not None

    def _view(self) -> None:
        workshop, viewport = self.workshop, self.window_.viewport
        self._add("Return to the view", lambda: workshop.explore(None), hint="Home", when=self._is_camera_free)
        self._add("Move the view here", workshop.move_view_here, when=self._is_camera_free)
        sides = self._menu.addMenu("Look from")
        for number, side in enumerate(SIDES, 1):
            self._add(side, partial(viewport.navigate.look_from, side.lower()), hint=str(number), menu=sides)
        self._gap()
        legend = viewport.input_legend
        looks = self._menu.addMenu("Look at")
        is_render = partial(self._is_looked_at, "", "")
        self._add("Render", lambda _: self._look_at(""), menu=looks, is_on=is_render)
        for key, view in INPUT_VIEWS.items():
            is_shown = partial(self._is_looked_at, key, "")
            self._add(view.label, lambda _, key=key: self._look_at(key), menu=looks, is_on=is_shown)
        for uv_view in list(VIEWS)[1:]:
            is_shown, words = partial(self._is_looked_at, "", uv_view), f"UVs: {VIEWS[uv_view].lower()}"
            self._add(words, lambda _, uv_view=uv_view: self._look_at("", uv_view), menu=looks, is_on=is_shown)
        self._add("Last input, or the render", legend.toggle, hint="I", menu=looks)
        select = viewport.select
        self._add("Outline of the selection", select.show_outline, hint="O", is_on=lambda: select.is_outlined)
        crop = viewport.crop_frame
        self._add("Frame of the render", crop.show, hint="G", is_on=lambda: crop.is_shown)
        self._gap()
        snapshots = viewport.snapshots
        for letter in ("A", "B"):
            self._add(f"Take snapshot {letter}", partial(snapshots.take, letter), hint=f"Alt+{letter}")
        for letter in ("A", "B"):
            is_there = partial(snapshots.has, letter)
            self._add(f"Show snapshot {letter}", partial(snapshots.flip, letter), hint=letter, when=is_there)
        has_reference = self._has_reference
        self._add("Keep a snapshot", self.window_.keep_snapshot, "Ctrl+Shift+K")
        self._gap()
        self._add("Wipe the reference", viewport.wipe.toggle, hint="W", when=has_reference)
        self._add("Blend the reference", lambda: viewport.wipe.toggle(BLEND), hint="Shift+W", when=has_reference)
        wall = self.window_.wall
        self._add("Align the reference", lambda: wall.comparison.align(True), when=has_reference)
        fit = "Fit the camera to the reference"
        self._add(fit, lambda: wall.comparison.align(True, fits_camera=True), when=has_reference)
        self._add("Next reference", partial(wall.reference.show_beside, 1), when=has_reference)
        self._add("Read colours", wall.eyedropper.toggle, hint="E")
        self._gap()
        self._add("Pause rendering", self.window_.wall.hold, "Ctrl+P", is_on=lambda: self.window_.wall.is_held)
        self._add("Clear the region", lambda: workshop.refine_region(None), hint="Esc", when=self._has_region)

    def _window(self) -> None:
        window, panes = self.window_, self.window_.panes
        for button in window.stations.buttons():
            self._add(button.text(), button.click, hint=button.shortcut().toString())
        self._gap()
        for number, (name, key) in enumerate(ARRANGEMENTS, 1):
            self._add(name, partial(panes.take, key), f"Alt+{number}")
        self._gap()
        self._add(
            "Show library",
            lambda is_on: panes.fold_library(not is_on),
            "F8",
            is_on=lambda: not panes.is_library_folded,
        )
        self._add(
            "Show board", lambda is_on: panes.fold_board(not is_on), "F9", is_on=lambda: not panes.is_board_folded
        )
        self._add("Fold the empty board", window.fold_empty_board, is_on=lambda: panes.folds_empty_board)
        self._add("Next region", partial(window.go_to_region, 1), "F6")
        self._add("Previous region", partial(window.go_to_region, -1), "Shift+F6")
        self._add("Fill the window with a pane", window.fill_pane, "F10")
        self._add("Full screen", lambda _: window.show_full_screen(), "F11", is_on=window.isFullScreen)
        self._gap()
        self._add("Dark look", lambda _: window.change_look(), "Ctrl+Shift+D", is_on=is_dark)

    def _help(self) -> None:
        window = self.window_
        self._add("Find a command…", lambda: window.dialogs.open_finder(), "Ctrl+Shift+P")
        self._add("Keys and gestures", lambda: window.dialogs.open_shortcuts(), KEY.HelpContents)
        self._add("Open the demo", lambda: window.files.open_demo())
        self._add("Take the tour", window.begin_tour)
        self._add("Messages…", lambda: window.dialogs.open_messages())
        self._gap()
        self._add("About Mat Shelf", lambda: window.dialogs.open_about())

    def _look_at(self, key: str, uv_view: str = "") -> None:
        """Looks at an input, at texture coordinates, or at the render."""
        self.window_.viewport.input_legend.look_at(key)
        self.window_.product_board.uv_card.show_view(uv_view)

    def _is_looked_at(self, key: str, uv_view: str) -> bool:
        return (self.workshop.input_shown, self.window_.viewport.uv_overlay.shown) == (key, uv_view)

    def _is_camera_free(self) -> bool:
        return self.workshop.free_camera is not None

    def _has_region(self) -> bool:
        return self.workshop.region is not None

    def _has_reference(self) -> bool:
        return self.workshop.project.reference is not None

    def _has_source(self) -> bool:
        return self.workshop.project.product.source is not None

    def _has_cad_source(self) -> bool:
        form = format_of(Path(self.workshop.project.product.source)) if self._has_source() else None
        return form is not None and form.is_drawn

    def _is_as_fine(self, fineness: str) -> bool:
        return self.workshop.project.product.fineness == fineness

    def _has_part(self) -> bool:
        return self.workshop.selected_part is not None

    def _has_parts(self) -> bool:
        return bool(self.workshop.project.product.parts)

    def _chosen(self) -> list[str]:
        """Ids of the selected parts."""
        return [i for i in (self.workshop.selected, *self.workshop.also_selected) if i is not None]

    def _is_gone(self) -> bool:
        """True where the view in use does not show the selected part."""
        return self.workshop.selected in self.workshop.project.view.hides

    def _has_hidden(self) -> bool:
        return any(part.is_hidden for part in self.workshop.project.product.parts)

    def _has_material(self) -> bool:
        return self.workshop.selected_material is not None
