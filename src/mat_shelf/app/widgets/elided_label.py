"""A label that ends in an ellipsis where its text does not fit; the tooltip then has all of it."""

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QSizePolicy, QStyle, QStyleOption

from mat_shelf.app.widgets.plain_label import PlainLabel, plain_text


class ElidedLabel(PlainLabel):
    def __init__(self, text: str = ""):
        super().__init__(text)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.setMinimumWidth(24)

    def minimumSizeHint(self) -> QSize:
        return QSize(24, super().minimumSizeHint().height())

    def shown_text(self) -> str:
        """The text as far as it fits."""
        return self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())

    def paintEvent(self, event) -> None:
        shown = self.shown_text()
        self.setToolTip(plain_text(self.text() if shown != self.text() else ""))
        option = QStyleOption()
        option.initFrom(self)
        painter = QPainter(self)
        role = self.foregroundRole()
        is_enabled = bool(option.state & QStyle.StateFlag.State_Enabled)
        self.style().drawItemText(
            painter,
            self.rect(),
            int(self.alignment() | Qt.AlignmentFlag.AlignVCenter),
            self.palette(),
            is_enabled,
            shown,
            role,
        )
