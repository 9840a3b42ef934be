"""The brush of a painted pattern: begin to paint, erase, and start over."""

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.workshop import PatternWork
from mat_shelf.commands.patterns import PAINTING


class BrushRow(QWidget):
    """Buttons that switch the brush on, turn it into an eraser, and take all strokes away."""

    ROWS = 2

    def __init__(self, work: PatternWork):
        super().__init__()
        self.work = work
        self.setMinimumWidth(190)
        self.paint_button = QPushButton("Paint", checkable=True)
        self.paint_button.setToolTip(
            "Paint on the product with the left button; the right and middle buttons move the camera"
        )
        self.paint_button.clicked.connect(lambda: work.take_in_hand(PAINTING if self.paint_button.isChecked() else ""))
        self.erase_button = QPushButton("Erase", checkable=True)
        self.erase_button.setToolTip("Erases what was painted. Or hold Control while painting.")
        self.erase_button.clicked.connect(
            lambda: work.set_brush(work.brush.with_(erases=self.erase_button.isChecked()))
        )
        self.clear_button = QPushButton("Clear all")
        self.clear_button.setToolTip("Removes every stroke; undo brings them back")
        self.clear_button.clicked.connect(work.clear_strokes)
        buttons = QHBoxLayout()
        buttons.setSpacing(6)
        for button in (self.paint_button, self.erase_button, self.clear_button):
            button.setProperty("role", "small")
            buttons.addWidget(button)
        buttons.addStretch(1)
        self.state = PlainLabel()
        self.state.setProperty("role", "quiet")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(buttons)
        layout.addWidget(self.state)
        layout.addStretch(1)

    def follow(self) -> None:
        work = self.work
        painted = work.painted
        count = len(painted.strokes) if painted else 0
        self.paint_button.setChecked(work.hand == PAINTING)
        self.erase_button.setChecked(work.brush.erases)
        self.clear_button.setEnabled(count > 0)
        strokes = f"{count} stroke{'s' if count != 1 else ''}" if count else "nothing painted yet"
        self.state.setText(strokes if count or work.hand == PAINTING else "switch on Paint, then draw on the product")
