"""Messages and questions over the lower edge of the picture."""

from collections import deque
from collections.abc import Callable
from datetime import datetime

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QBoxLayout, QFrame, QHBoxLayout, QPushButton

from mat_shelf.app.widgets.plain_label import PlainLabel, literal

MOST_KEPT = 1000


class Notice(QFrame):
    """A message that goes by itself or on a click, or a question that stays until it is answered.

    Signals
    -------
    shown
        It has another text, and needs a place.
    told
        There is one more among the messages.

    Attributes
    ----------
    messages : deque of (datetime, str)
        What was said, the newest last.
    """

    shown = pyqtSignal()
    told = pyqtSignal()

    def __init__(self):
        super().__init__()
        self.setObjectName("notice")
        self.text = PlainLabel()
        self.text.setWordWrap(True)
        self.text.setMinimumWidth(420)
        self.buttons: list[QPushButton] = []
        self.messages: deque[tuple[datetime, str]] = deque(maxlen=MOST_KEPT)
        self._is_asking = self._is_progress = False
        self._waiting: tuple | None = None
        self._layout = QBoxLayout(QBoxLayout.Direction.LeftToRight, self)
        self._layout.setContentsMargins(16, 10, 12, 10)
        self._layout.setSpacing(10)
        self._answers = QHBoxLayout()
        self._answers.setSpacing(8)
        self._answers.addStretch(1)
        self._layout.addWidget(self.text, 1)
        self._layout.addLayout(self._answers)
        self._timer = QTimer(self, singleShot=True, interval=12_000)
        self._timer.timeout.connect(self.hide)

    def show_text(self, text: str, *answers: tuple[str, Callable[[], None]]) -> None:
        """Shows a message, with what may be done about it; one that comes during a question waits for the answer."""
        self.note(text)
        if self._is_asking:
            self._waiting = text, *answers
            return
        self._show_for_a_while(text, *answers)

    def _show_for_a_while(self, text: str, *answers: tuple[str, Callable[[], None]]) -> None:
        self._show(text, *answers, ("Close", lambda: None))
        self._timer.start()

    def ask(self, text: str, *answers: tuple[str, Callable[[], None]]) -> None:
        """Shows a question with a button for each answer and what it does."""
        self._timer.stop()
        if not text.endswith("…"):  # progress comes again and again
            self.note(text)
        self._is_asking = True
        self._show(text, *answers)

    def show_progress(self, text: str, *answers: tuple[str, Callable[[], None]]) -> None:
        """Shows how far work beside the window is, unless there is a message or a question to be read."""
        if self.isVisible() and not self._is_progress:
            return
        self._timer.stop()
        self._show(text, *answers)
        self._is_progress = True

    def end_progress(self) -> None:
        """Takes away how far work is, and nothing else."""
        if self._is_progress:
            self.settle()

    def note(self, text: str) -> None:
        """Puts a message among the others without showing it."""
        self.messages.append((datetime.now(), text))
        self.told.emit()

    @property
    def is_asking(self) -> bool:
        """True while a question waits for its answer."""
        return self._is_asking

    def settle(self) -> None:
        """Takes a question away that has become void."""
        self._is_asking = self._is_progress = False
        self.hide()

    def _answered(self, run: Callable[[], None]) -> None:
        self.hide()
        self._is_asking = False
        run()
        if self._waiting is not None and not self._is_asking:
            waiting, self._waiting = self._waiting, None
            self._show_for_a_while(*waiting)

    def _show(self, text: str, *answers: tuple[str, Callable[[], None]]) -> None:
        self._is_progress = False
        for button in self.buttons:
            self._answers.removeWidget(button)
            button.hide()  # it is deleted only when the present event is over
            button.deleteLater()
        self.buttons = []
        for label, run in answers:
            button = QPushButton(literal(label))
            button.clicked.connect(lambda _, run=run: self._answered(run))
            self._answers.addWidget(button, 0, Qt.AlignmentFlag.AlignVCenter)
            button.show()  # else it takes no room yet where the notice is shown already
            self.buttons.append(button)
        many = len(answers) > 2
        self._layout.setDirection(QBoxLayout.Direction.TopToBottom if many else QBoxLayout.Direction.LeftToRight)
        self.text.setText(text)
        self.show()
        self.shown.emit()
