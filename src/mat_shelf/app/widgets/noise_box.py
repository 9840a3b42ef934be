"""Choice of the noise that a picture may have: by words, or as a percentage that is typed."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox

from mat_shelf.rendering.adaptive import NOISE_LEVELS

EVEN = "All samples"
LEAST, MOST = 0.001, 1.0


class NoiseBox(QComboBox):
    """Noise at which a picture stops where it is clean.

    Signals
    -------
    chosen : float
        The noise, 0 where all samples are rendered everywhere.
    """

    chosen = pyqtSignal(float)

    def __init__(self):
        super().__init__()
        self.setAccessibleName("Noise")
        self.setEditable(True)
        self.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.addItem(EVEN, 0.0)
        for name, noise in NOISE_LEVELS.items():
            self.addItem(f"{name.capitalize()}, {_percent(noise)}", noise)
        self.setToolTip(
            "Renders each place until its light varies by no more than this, and all of them at most as many times as "
            "there are samples. Type a percentage for another level."
        )
        self._noise = 0.0
        self.activated.connect(lambda: self._take(self.currentData()))
        self.lineEdit().editingFinished.connect(self._read)

    @property
    def noise(self) -> float:
        """The noise; 0 for all samples."""
        return self._noise

    def show_noise(self, noise: float) -> None:
        """Shows a noise."""
        self._noise = noise
        place = self.findData(noise)
        self.setCurrentIndex(place)
        if place < 0:
            self.setEditText(_percent(noise))

    def _take(self, noise: float) -> None:
        changes = noise != self._noise
        self.show_noise(noise)
        if changes:
            self.chosen.emit(noise)

    def _read(self) -> None:
        text = self.currentText().strip()
        place = next((k for k in range(self.count()) if self.itemText(k) == text), -1)
        if place >= 0:
            self._take(self.itemData(place))
            return
        try:
            noise = float(text.rstrip("% ").replace(",", ".")) / 100
        except ValueError:
            noise = self._noise
        if noise:
            noise = min(max(noise, LEAST), MOST) if noise == noise else self._noise
        self._take(noise)


def _percent(noise: float) -> str:
    return f"{100 * noise:g} %"
