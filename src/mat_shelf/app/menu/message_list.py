"""Messages of the program, to read again."""

from PyQt6.QtWidgets import QApplication, QDialog, QHBoxLayout, QPlainTextEdit, QPushButton, QVBoxLayout, QWidget

from mat_shelf.app.notice import Notice


class MessageList(QDialog):
    """All messages since the start, the newest last."""

    def __init__(self, notice: Notice, parent: QWidget):
        super().__init__(parent)
        self.setWindowTitle("Messages")
        self.notice = notice
        self.text = QPlainTextEdit(readOnly=True)
        self.text.setAccessibleName("Messages")
        self.copy_button = QPushButton("Copy")
        self.copy_button.clicked.connect(lambda: QApplication.clipboard().setText(self.text.toPlainText()))
        close = QPushButton("Close")
        close.clicked.connect(self.close)
        buttons = QHBoxLayout()
        buttons.addStretch(1)
        buttons.addWidget(self.copy_button)
        buttons.addWidget(close)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 12, 14, 12)
        layout.setSpacing(10)
        layout.addWidget(self.text, 1)
        layout.addLayout(buttons)
        self.resize(560, 380)
        notice.told.connect(self.follow)
        self.follow()

    def follow(self) -> None:
        """Shows what was said until now."""
        lines = [f"{when:%H:%M:%S}   {text}" for when, text in self.notice.messages]
        self.text.setPlainText("\n".join(lines) or "Nothing was said yet.")
        self.text.verticalScrollBar().setValue(self.text.verticalScrollBar().maximum())
