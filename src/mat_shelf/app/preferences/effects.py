"""Preferences taken over into the window when they are changed."""

from pathlib import Path

from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtWidgets import QApplication

from mat_shelf.app.autosave import Autosave
from mat_shelf.app.preferences.preferences import PreferenceBook, Preferences
from mat_shelf.app.theme import apply_theme
from mat_shelf.app.workshop import Workshop
from mat_shelf.library.library import Library
from mat_shelf.system.processors import limit_processors


def apply_look(chosen: Preferences) -> None:
    """Dresses the application as preferences have it."""
    hints = QApplication.styleHints()
    is_dark = chosen.look == "dark" or (chosen.look == "desktop" and hints.colorScheme() == Qt.ColorScheme.Dark)
    apply_theme(QApplication.instance(), is_dark, chosen.surround)


def library_of(chosen: Preferences) -> Library:
    """The library that preferences name."""
    return Library(Path(chosen.library) if chosen.library else None)


class Effects(QObject):
    """Takes what has changed over into a window.

    Signals
    -------
    taken
        Look and surround are as chosen.
    """

    taken = pyqtSignal()

    def __init__(self, book: PreferenceBook, workshop: Workshop, autosave: Autosave | None, parent: QObject):
        super().__init__(parent)
        self._book, self._workshop, self._autosave = book, workshop, autosave
        self._before = book.now
        book.changed.connect(self._take)
        QApplication.styleHints().colorSchemeChanged.connect(self._dress)
        if autosave is not None:
            autosave.set_interval(book.now.autosave_s)

    def _take(self) -> None:
        now, before, self._before = self._book.now, self._before, self._book.now
        if (now.look, now.surround) != (before.look, before.surround):
            self._dress()
        if self._autosave is not None:
            self._autosave.set_interval(now.autosave_s)
        if now.threads != before.threads:
            limit_processors(now.threads)
        if now.library != before.library:
            self._workshop.use_library(library_of(now))
            for problem in self._workshop.library.problems[:1]:
                self._workshop.said.emit(f"Library: {problem}.")

    def _dress(self) -> None:
        apply_look(self._book.now)
        self.taken.emit()
