"""The list of keys and gestures."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QDialog, QGridLayout, QScrollArea, QVBoxLayout, QWidget

from mat_shelf.app.theme import font
from mat_shelf.app.widgets.plain_label import PlainLabel

GESTURES = (
    (
        "Picture",
        (
            ("Click", "Opens the part's material on the board"),
            ("Drag", "Orbits the product"),
            ("Shift+Drag", "Pans"),
            ("Wheel", "Zooms"),
            ("F, double click", "Frames the selected part"),
            ("Home", "Returns to the view"),
            ("1 to 5", "Front, right, back, left, top"),
            ("Page Up, Page Down", "Selects the next or previous part"),
            ("Click again", "Selects the part behind"),
            ("H", "Hides or shows the part"),
            ("O", "Shows or hides the outline"),
            ("R", "Puts the last swatch on the next part"),
            ("M+Drag", "Carries the material to another part"),
            ("Right click", "Offers what can be done with the part"),
            ("C", "Moves the close-up to the pointer"),
            ("Shift+C", "Puts a coloured ball there"),
            ("Delete", "Removes the ball"),
            ("I", "Looks at one input, or the render"),
            ("L+Drag", "Rotates all lights"),
            ("G", "Shows what the render will crop"),
            ("W, Shift+W", "Wipes or blends the reference"),
            ("E", "Reads colours of render and reference"),
            ("Alt+A, Alt+B", "Takes snapshot A or B"),
            ("A, B", "Shows snapshot A or B"),
            ("Ctrl+Drag", "Draws a region; only that is refined"),
            ("Escape", "Clears the region; deselects"),
        ),
    ),
    (
        "Close-up",
        (
            ("Wheel, + and −", "Shows fewer or more millimetres"),
            ("Drag", "Lights it with a lamp from that side"),
            ("L, double click", "Switches the lamp on or off"),
        ),
    ),
    (
        "Reference",
        (
            ("Wheel, drag", "Zooms and pans"),
            ("Page Up, Page Down", "Shows the previous or next one"),
            ("Double click", "Fits the image"),
            ("Delete", "Removes it"),
        ),
    ),
    (
        "Patterns",
        (
            ("Hold A", "Shows the open pattern alone on the product"),
            ("Escape", "Returns from the strip to the material"),
            ("Drag a chip", "Shares its pattern with another input or material"),
            ("Drag a step", "Moves it; so does Shift with Left and Right"),
            ("Drag on product", "Moves the pattern; Shift rotates it"),
            ("Ctrl+Wheel", "Sizes the pattern while it is dragged"),
        ),
    ),
    (
        "Library",
        (
            ("Enter", "Puts the swatch on the selected part"),
            ("Shift while dragging", "Puts it on all parts that wear the same"),
            ("Ctrl while dragging", "Puts it on the faces up to the next edge"),
            ("Right click", "Name, tags, duplicate, variant, compare"),
            ("Delete", "Deletes the swatch or material"),
            ("F2", "Renames the material"),
        ),
    ),
    (
        "Values",
        (
            ("Left, Right", "One step; with Shift a small one"),
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
                heading = PlainLabel(title)
                heading.setProperty("role", "cardTitle")
                grid.addWidget(heading, row, left, 1, 2)
                for key, what in lines:
                    row += 1
                    name = PlainLabel(key)
                    name.setFont(font(12))
                    name.setProperty("role", "quiet")
                    grid.addWidget(name, row, left)
                    grid.addWidget(PlainLabel(what), row, left + 1)
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
