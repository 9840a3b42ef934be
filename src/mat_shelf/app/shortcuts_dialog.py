"""The list of keys and gestures."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QDialog, QGridLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from mat_shelf.app.theme import font

GESTURES = (
    (
        "Hero view",
        (
            ("Click", "Brings the piece's material to the board"),
            ("Drag", "Goes round the product"),
            ("Shift+Drag", "Shifts the view"),
            ("Wheel", "Comes near or goes away"),
            ("F, double click", "Fills the view with the piece"),
            ("Home", "Returns to the view in use"),
            ("1 to 5", "Looks from the front, right, back, left, above"),
            ("Page Up, Page Down", "Goes from piece to piece"),
            ("Click again", "Selects what lies behind"),
            ("H", "Hides the piece, or shows it again"),
            ("Right click", "Puts the loupe there"),
            ("Shift+Right click", "Stands a coloured ball there"),
            ("Delete", "Takes the ball away"),
            ("W", "Wipes the reference against the render"),
            ("Alt+A, Alt+B", "Keeps snapshot A or B"),
            ("A, B", "Shows snapshot A or B"),
            ("Escape", "Lets go of the piece"),
        ),
    ),
    (
        "Loupe",
        (
            ("Wheel, + and −", "Shows fewer or more millimetres"),
            ("Drag", "Holds a lamp to it from where you drag"),
            ("L, double click", "Puts the lamp on or out"),
        ),
    ),
    (
        "Reference",
        (
            ("Wheel, drag", "Zooms and shifts"),
            ("Double click", "Fits the picture"),
            ("Delete", "Takes it away"),
        ),
    ),
    (
        "Patterns",
        (
            ("Hold A", "Shows the open pattern alone on the product"),
            ("Escape", "Goes back from the strip to the material"),
            ("Drag a chip", "Shares its pattern with another input or material"),
            ("Drag a step", "Moves it; so does Shift with Left and Right"),
            ("Move it, drag", "Moves the pattern on the product; Shift turns it"),
            ("Move it, Control+Wheel", "Sizes the pattern"),
        ),
    ),
    (
        "Shelf",
        (
            ("Enter", "Puts the swatch on the selected piece"),
            ("Right click", "Name, tags, duplicate, variant, compare"),
            ("Delete", "Throws the swatch out"),
        ),
    ),
    (
        "Values",
        (
            ("Left, Right", "A step; with Shift a small one"),
            ("Double click", "Returns the slider to its default"),
        ),
    ),
)
"""What is not an action of the window; views explain these in their tooltips too."""


class ShortcutsDialog(QDialog):
    """Two columns: what the window's actions are called by, and what the views understand."""

    def __init__(self, actions: list[QAction], parent: QWidget):
        super().__init__(parent)
        self.setWindowTitle("Keys and gestures")
        keys = [
            (action.shortcut().toString(QKeySequence.SequenceFormat.NativeText), action.text().replace("…", ""))
            for action in actions
            if not action.shortcut().isEmpty()
        ]
        columns = ([("Everywhere", tuple(keys)), GESTURES[1], GESTURES[2]], [GESTURES[0], GESTURES[3], GESTURES[4]])
        inner = QWidget()
        grid = QGridLayout(inner)
        grid.setContentsMargins(22, 18, 22, 18)
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(5)
        for side, groups in enumerate(columns):
            row, left = 0, side * 3
            for title, lines in groups:
                heading = QLabel(title)
                heading.setProperty("role", "cardTitle")
                grid.addWidget(heading, row, left, 1, 2)
                for key, what in lines:
                    row += 1
                    name = QLabel(key)
                    name.setFont(font(12))
                    name.setProperty("role", "quiet")
                    grid.addWidget(name, row, left)
                    grid.addWidget(QLabel(what), row, left + 1)
                row += 2
                grid.setRowMinimumHeight(row - 1, 8)
        grid.setColumnMinimumWidth(2, 20)
        grid.setAlignment(Qt.AlignmentFlag.AlignTop)
        area = QScrollArea(widgetResizable=True)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        area.setWidget(inner)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(area)
        self.resize(860, 600)
