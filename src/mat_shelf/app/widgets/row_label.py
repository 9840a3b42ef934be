"""The name at the head of a row; in a variant it also says which values are its own."""

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.plain_label import PlainLabel

LABEL_WIDTH = 104
BACK_WIDTH = 16


class RowLabel(QWidget):
    """A name, and in a variant a small button behind it where the value is its own: it gives the value back."""

    def __init__(self, binding: Binding, is_stacked: bool = False):
        super().__init__()
        self._binding = binding
        self.name = PlainLabel(binding.field.title)
        self.back = QPushButton("↺")
        self.back.setProperty("role", "mini")
        self.back.setFixedSize(BACK_WIDTH, 18)
        self.back.setToolTip("Override of the variant. Click to follow its parent again.")
        self.back.setAccessibleName(f"{binding.label}, follow the parent again")
        self.back.clicked.connect(binding.reset_to_parent)
        policy = self.back.sizePolicy()
        policy.setRetainSizeWhenHidden(not is_stacked and binding.may_follow)
        self.back.setSizePolicy(policy)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.name, 0 if is_stacked else 1)
        layout.addWidget(self.back)
        if is_stacked:
            layout.addStretch(1)
        if not is_stacked:
            self.setFixedWidth(LABEL_WIDTH + (BACK_WIDTH if binding.may_follow else 0))
        self.back.setVisible(False)

    def follow(self) -> None:
        """Shows whether the value is a variant's own."""
        self.back.setVisible(self._binding.is_own())
