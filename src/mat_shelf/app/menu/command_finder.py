"""The command finder: type a few letters, see the key, run it."""

from PyQt6.QtCore import QEvent, QRect, QSize, Qt
from PyQt6.QtGui import QColor, QFontMetrics, QPainter
from PyQt6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QStyle, QStyledItemDelegate, QVBoxLayout

from mat_shelf.app.menu.command_action import CommandAction
from mat_shelf.app.menu.menu_bar import MenuBar
from mat_shelf.app.theme import THEME, font

COMMAND = Qt.ItemDataRole.UserRole
_WIDTH, _ROW, _ROWS = 460, 30, 12


class _Row(QStyledItemDelegate):
    """Name, menu and key of a command in one line."""

    def sizeHint(self, option, index) -> QSize:
        return QSize(_WIDTH - 40, _ROW)

    def paint(self, painter: QPainter, option, index) -> None:
        menu, command = index.data(COMMAND)
        is_chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if is_chosen:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(THEME.accent if command.isEnabled() else THEME.track))
            painter.drawRoundedRect(option.rect.adjusted(0, 1, 0, -1), 5, 5)
        plain = THEME.on_accent if is_chosen and command.isEnabled() else THEME.text
        quiet = plain if is_chosen else THEME.quiet
        line = option.rect.adjusted(10, 0, -10, 0)
        painter.setFont(font(12))
        painter.setPen(QColor(quiet))
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, command.key_words)
        painter.drawText(
            QRect(line.left(), line.top(), 62, line.height()),
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft,
            menu,
        )
        painter.setFont(font(13))
        painter.setPen(QColor(plain if command.isEnabled() else THEME.faint))
        name = line.adjusted(70, 0, -QFontMetrics(font(12)).horizontalAdvance(command.key_words) - 12, 0)
        shown = QFontMetrics(font(13)).elidedText(command.name, Qt.TextElideMode.ElideRight, name.width())
        painter.drawText(name, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, shown)
        painter.restore()


class CommandFinder(QFrame):
    """Lists the commands that have all typed words; what can be done now comes first."""

    def __init__(self, menus: MenuBar):
        super().__init__(menus.window(), Qt.WindowType.Popup)
        self.setObjectName("card")
        self.menus = menus
        self.words = QLineEdit(placeholderText="Find a command", clearButtonEnabled=True)
        self.words.setAccessibleName("Find a command")
        self.words.textChanged.connect(self._filter)
        self.words.returnPressed.connect(self.run)
        self.words.installEventFilter(self)
        self.list = QListWidget()
        self.list.setAccessibleName("Commands")
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setItemDelegate(_Row(self.list))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.itemClicked.connect(self.run)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 10, 10)
        layout.setSpacing(8)
        layout.addWidget(self.words)
        layout.addWidget(self.list)
        self.setFixedSize(_WIDTH, 62 + _ROWS * _ROW)

    def open(self) -> None:
        """Opens over the upper middle of the window, with all commands."""
        self.menus.follow()
        self.words.clear()
        self._filter("")
        window = self.menus.window()
        top = window.mapToGlobal(window.rect().topLeft())
        self.move(top.x() + (window.width() - _WIDTH) // 2, top.y() + 54)
        self.show()
        self.words.setFocus()

    def _filter(self, text: str) -> None:
        self.list.clear()
        for menu, command in found(self.menus.commands, text):
            item = QListWidgetItem(command.name)
            item.setData(COMMAND, (menu, command))
            self.list.addItem(item)
        self.list.setCurrentRow(0)

    def run(self, *_) -> None:
        """Runs the chosen command."""
        item = self.list.currentItem()
        if item is not None and item.data(COMMAND)[1].isEnabled():
            self.hide()
            item.data(COMMAND)[1].trigger()

    def eventFilter(self, watched, event) -> bool:
        if event.type() == QEvent.Type.KeyPress and event.key() in (
            Qt.Key.Key_Up,
            Qt.Key.Key_Down,
            Qt.Key.Key_PageUp,
            Qt.Key.Key_PageDown,
        ):
            self.list.keyPressEvent(event)
            return True
        return super().eventFilter(watched, event)


def found(commands: dict[str, list[CommandAction]], text: str) -> list[tuple[str, CommandAction]]:
    """Commands whose name or menu has all words of a text, with their menus.

    What can be done now comes before what cannot; then names that begin with the text, names in which words begin so,
    and the others.
    """
    words = text.casefold().split()
    ranked = []
    for menu, listed in commands.items():
        for command in listed:
            name = command.name.casefold()
            if all(word in f"{menu.casefold()} {name}" for word in words):
                starts = sum(any(part.startswith(word) for part in name.split()) for word in words)
                ranked.append((not command.isEnabled(), not name.startswith(text.casefold()), -starts, menu, command))
    return [(menu, command) for *_, menu, command in sorted(ranked, key=lambda row: row[:3])]
