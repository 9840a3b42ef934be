"""A command as menus and the finder show it."""

from collections.abc import Callable

from PyQt6.QtCore import QObject
from PyQt6.QtGui import QAction, QKeySequence

from mat_shelf.app.widgets.plain_label import literal


class CommandAction(QAction):
    """Knows when it can be done, and what it is called then.

    Parameters
    ----------
    name : str or callable () -> str
        Name, where it depends on what is selected as a function.
    run : callable
        Takes nothing, or whether it is checked where `is_on` is given.
    keys : str or QKeySequence.StandardKey
        Shortcut, understood everywhere in the window.
    hint : str
        Key that a view understands by itself, shown beside the name.
    when : callable () -> bool, optional
        Tells if it can be done now.
    is_on : callable () -> bool, optional
        Tells if it is ticked; makes it checkable.
    """

    def __init__(
        self,
        parent: QObject,
        name: str | Callable[[], str],
        run: Callable,
        keys: str | QKeySequence.StandardKey = "",
        hint: str = "",
        when: Callable[[], bool] | None = None,
        is_on: Callable[[], bool] | None = None,
    ):
        super().__init__(parent)
        self._name = name if callable(name) else lambda: name
        self._when, self._is_on, self.hint = when, is_on, hint
        if keys:
            self.setShortcut(QKeySequence(keys))
        self.setCheckable(is_on is not None)
        self.triggered.connect(run if is_on is not None else lambda: run())
        self.follow()

    @property
    def name(self) -> str:
        """Its name at present, without what only a menu shows."""
        return self._name()

    @property
    def key_words(self) -> str:
        """The keys that call it; empty where none do."""
        return self.hint or self.shortcut().toString(QKeySequence.SequenceFormat.NativeText)

    def follow(self) -> None:
        """Takes its name and state from what is selected now."""
        name = literal(self.name)
        self.setText(f"{name}\t{self.hint}" if self.hint else name)
        self.setEnabled(self._when is None or self._when())
        if self._is_on is not None:
            self.setChecked(self._is_on())
