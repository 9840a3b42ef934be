"""Cards of a board beside each other; those that have no room wait as tabs."""

from functools import partial

from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from mat_shelf.app.widgets.card import bound, card_of, column_of
from mat_shelf.app.widgets.fold import TAB, CardTitle, Fold

_GAP, _TAB_GAP, _MARGIN = 6, 4, 12


class FoldRow(QObject):
    """Lays cards out on a board; a click on a title folds a card, one on its tab opens it again.

    Parameters
    ----------
    board : QWidget
        Filled with the cards; it may be wider than what it is shown in.
    contents : dict of (list of QWidget, int[, int])
        By title: what is in a card, one under the other, its share of the width, and how many columns that counts as.
    folds_first : tuple of str
        Cards that fold where there is no room, in this order, unless the user turned them.

    Attributes
    ----------
    folds : dict of Fold
        By title.
    """

    def __init__(self, board: QWidget, contents: dict[str, tuple], folds_first: tuple[str, ...]):
        super().__init__(board)
        self._board, self._folds_first = board, folds_first
        self._turned: dict[str, bool] = {}
        self.folds: dict[str, Fold] = {}
        line, tabs = QHBoxLayout(board), QHBoxLayout()
        line.setContentsMargins(_MARGIN, 14, _MARGIN, 14)
        line.setSpacing(_GAP)
        tabs.setSpacing(_TAB_GAP)
        for name, (widgets, share, *columns) in contents.items():
            title = CardTitle(name)
            self.folds[name] = fold = Fold(name, card_of(title, [column_of(widgets)]), title)
            bound(fold.card, *(columns or [1]))
            line.addWidget(fold.card, share)
            tabs.addWidget(fold.tab)
            fold.turned.connect(partial(self._turn, name))
        line.addStretch(1)
        line.addLayout(tabs)

    def follow_room(self) -> None:
        """Watches the room from now on, which may shrink further than the board itself."""
        self._board.parentWidget().installEventFilter(self)
        self.fold()

    def fold(self) -> None:
        """Folds what has no room, and opens what has."""
        shown = [name for name in self.folds if self._turned.get(name, True)]
        for name in self._folds_first:
            if name in shown and name not in self._turned and not self._has_room(shown):
                shown.remove(name)
        for name, fold in self.folds.items():
            fold.show_open(name in shown)

    def eventFilter(self, watched, event) -> bool:
        if event.type() == QEvent.Type.Resize:
            self.fold()
        return False

    def show(self, name: str, *instead_of: str) -> None:
        """Opens a card, and folds others where there is no room for all, unless the user turned them."""
        if name not in self._turned:
            before = (k for k in self._folds_first if k != name and k not in instead_of)
            self._folds_first = (*before, *instead_of, name)
            self.fold()

    def unfold(self, name: str) -> None:
        """Opens a card and keeps it open, as a click of the user does."""
        self._turned[name] = True
        self.fold()

    def _turn(self, name: str, is_open: bool) -> None:
        self._turned[name] = is_open
        self.fold()
        fold = self.folds[name]
        (fold.title if is_open else fold.tab).setFocus()

    def _has_room(self, shown: list[str]) -> bool:
        cards = sum(self.folds[name].card.minimumSizeHint().width() + _GAP for name in shown)
        tabs = (len(self.folds) - len(shown)) * (TAB + _TAB_GAP)
        return cards + tabs + 2 * _MARGIN <= self._board.parentWidget().width()
