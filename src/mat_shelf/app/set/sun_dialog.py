"""A dialog that asks for a date, a time and a place, and tells where the sun stands then."""

from datetime import UTC, datetime, timedelta, timezone

from PyQt6.QtCore import QDateTime
from PyQt6.QtWidgets import QDateTimeEdit, QDialog, QDoubleSpinBox, QFormLayout, QVBoxLayout

from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.widgets.small_widgets import answers
from mat_shelf.scene.sky import sun_at

_WIDTH = 340


class SunDialog(QDialog):
    """Asks for a moment and a place on earth; the camera of the set looks to the north."""

    def __init__(self, parent):
        super().__init__(parent)
        self.setWindowTitle("Sun of a date")
        self.setMinimumWidth(_WIDTH)
        self.moment = QDateTimeEdit(QDateTime.currentDateTime())
        self.moment.setDisplayFormat("yyyy-MM-dd  HH:mm")
        self.moment.setCalendarPopup(True)
        self.zone = _number(-12, 14, 0.0, "Hours that the clock there is ahead of universal time")
        self.zone.setSingleStep(0.5)
        self.latitude = _number(-90, 90, 51.5, "To the north; below 0 to the south")
        self.longitude = _number(-180, 180, 0.0, "To the east; below 0 to the west")
        form = QFormLayout()
        for name, widget in (
            ("Date and time", self.moment),
            ("Hours from UTC", self.zone),
            ("Latitude", self.latitude),
            ("Longitude", self.longitude),
        ):
            form.addRow(name, widget)
        self.told = PlainLabel()
        self.told.setProperty("role", "quiet")
        self.told.setWordWrap(True)
        self.button, line = answers(self, self.accept)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addWidget(self.told)
        layout.addLayout(line)
        for widget in (self.zone, self.latitude, self.longitude):
            widget.valueChanged.connect(self._tell)
        self.moment.dateTimeChanged.connect(self._tell)
        self._tell()

    def _stands(self) -> tuple[float, float]:
        shown = self.moment.dateTime()
        day, clock = shown.date(), shown.time()
        local = datetime(day.year(), day.month(), day.day(), clock.hour(), clock.minute(), tzinfo=UTC)
        moment = local.replace(tzinfo=timezone(timedelta(hours=self.zone.value())))
        return sun_at(moment, self.latitude.value(), self.longitude.value())

    def sun(self) -> tuple[float, float]:
        """Height of the sun, and azimuth from the front to the right, degrees."""
        height, azimuth = self._stands()
        return height, (360 - azimuth) % 360 - 180

    def _tell(self) -> None:
        height, azimuth = self._stands()
        self.button.setEnabled(height > 0)
        self.told.setText(
            f"The sun stands {height:.1f}° high, {azimuth:.0f}° from north over east; the camera of a set looks north."
            if height > 0
            else "The sun is below the horizon then; choose another time."
        )


def _number(low: float, high: float, value: float, tip: str) -> QDoubleSpinBox:
    box = QDoubleSpinBox()
    box.setRange(low, high)
    box.setDecimals(2)
    box.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
    box.setValue(value)
    box.setToolTip(tip)
    return box
