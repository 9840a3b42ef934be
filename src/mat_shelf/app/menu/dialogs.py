"""Windows beside the main one, made when they are first wanted."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QWidget

from mat_shelf.app.hand_over.difference_dialog import DifferenceDialog
from mat_shelf.app.hand_over.export_dialog import ExportDialog
from mat_shelf.app.hand_over.sheet_dialog import SheetDialog
from mat_shelf.app.hand_over.turntable_dialog import TurntableDialog
from mat_shelf.app.hand_over.workers_dialog import WorkersDialog
from mat_shelf.app.menu.about_dialog import AboutDialog
from mat_shelf.app.menu.command_finder import CommandFinder
from mat_shelf.app.menu.history_list import HistoryList
from mat_shelf.app.menu.message_list import MessageList
from mat_shelf.app.menu.shortcuts_dialog import ShortcutsDialog
from mat_shelf.app.preferences.preferences import preferences
from mat_shelf.app.preferences.preferences_dialog import PreferencesDialog
from mat_shelf.app.product.thickness_dialog import ThicknessDialog
from mat_shelf.app.tour import Tour
from mat_shelf.commands.exports import ExportSubject, export_subjects

if TYPE_CHECKING:
    from mat_shelf.app.window import Window


class Dialogs:
    """Opens each once, and brings it to the front when it is wanted again."""

    def __init__(self, window: "Window"):
        self._window = window
        self._made: dict[str, QWidget] = {}

    def _open(self, name: str, make) -> QWidget:
        if name not in self._made:
            self._made[name] = make()
        dialog = self._made[name]
        dialog.show()
        dialog.raise_()
        dialog.activateWindow()
        return dialog

    def open_finder(self) -> CommandFinder:
        """The command finder."""
        if "finder" not in self._made:
            self._made["finder"] = CommandFinder(self._window.menus)
        self._made["finder"].open()
        return self._made["finder"]

    def open_history(self) -> HistoryList:
        """Steps of the history."""
        return self._open("history", lambda: HistoryList(self._window.workshop, self._window))

    def open_messages(self) -> MessageList:
        """Messages of before."""
        return self._open("messages", lambda: MessageList(self._window.notice, self._window))

    def open_export(self, subjects: Sequence[ExportSubject] = ()) -> ExportDialog:
        """Export of the product, or of what was pointed at."""

        def make() -> ExportDialog:
            window = self._window
            return self._yielding(ExportDialog(window.workshop, window.notice, window))

        dialog = self._open("export", make)
        dialog.offer(subjects or export_subjects(self._window.workshop))
        return dialog

    def open_more(self, name: str) -> None:
        """One of `shots_card.MORE`."""
        ways = {"turntable": self.open_turntable, "sheet": self.open_sheet, "difference": self.open_difference}
        (ways | {"workers": self.open_workers})[name]()

    def open_turntable(self) -> TurntableDialog:
        """A turn of the view in use."""
        return self._open(
            "turntable",
            lambda: self._yielding(TurntableDialog(self._window.hand_over, self._window)),
        )

    def open_sheet(self) -> SheetDialog:
        """A proof sheet."""
        is_new = "sheet" not in self._made
        dialog = self._open("sheet", lambda: self._yielding(SheetDialog(self._window.hand_over, self._window)))
        if not is_new and dialog.start_button.isEnabled():
            dialog.offer()
        return dialog

    def open_difference(self) -> DifferenceDialog:
        """Two pictures compared."""
        window = self._window
        return self._open("difference", lambda: DifferenceDialog(window.workshop, window.viewport, window))

    def open_workers(self) -> WorkersDialog:
        """Choice of who renders."""
        self._made["workers"] = dialog = WorkersDialog(self._window)
        dialog.open()
        return dialog

    def _yielding(self, dialog):
        """The dialog; while it renders, the window's own picture waits."""
        name = type(dialog).__name__
        dialog.is_running.connect(lambda runs: self._window.wall.give_way(name, runs))
        return dialog

    def close_threads(self) -> None:
        """Ends the work of dialogs that have any."""
        for name in ("export", "turntable", "sheet", "difference"):
            dialog = self._made.get(name)
            if dialog is not None:
                dialog.close()
                dialog.close_thread()

    def open_shortcuts(self) -> ShortcutsDialog:
        """Keys and gestures."""
        return self._open("shortcuts", lambda: ShortcutsDialog(self._window.actions(), self._window))

    def open_preferences(self) -> PreferencesDialog:
        """Preferences."""
        return self._open("preferences", lambda: PreferencesDialog(preferences(), self._window))

    def open_thickness(self) -> ThicknessDialog:
        """Thickness of a sheet that becomes a body."""
        work, part = self._window.work, self._window.workshop.selected_part
        words = f"{part.name} becomes a body: its faces stay, others follow them inwards."
        return self._ask_thickness("Thicken", words, lambda mm, _: work.thicken(mm), False)

    def open_layers(self) -> ThicknessDialog:
        """Thickness and number of layers."""
        work, part = self._window.work, self._window.workshop.selected_part
        what = "The selected faces become" if work.chosen is not None else f"{part.name} becomes"
        words = f"{what} layers that follow the outside, each a part of its own."
        return self._ask_thickness("Split into layers", words, work.split_layers, True)

    def _ask_thickness(self, title: str, words: str, make, counts: bool) -> ThicknessDialog:
        self._made["thickness"] = dialog = ThicknessDialog(title, words, make, counts, self._window)
        dialog.open()
        return dialog

    def begin_tour(self) -> Tour:
        """The tour, from its first step on."""
        if "tour" not in self._made:
            self._made["tour"] = Tour(self._window)
        self._made["tour"].begin()
        return self._made["tour"]

    def open_about(self) -> AboutDialog:
        """Version and licences."""
        return self._open("about", lambda: AboutDialog(self._window))
