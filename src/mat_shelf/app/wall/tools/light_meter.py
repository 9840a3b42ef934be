"""Exposure and white balance, measured in the picture."""

import numpy as np

from mat_shelf.app.wall.tools.tool import Tool

_AROUND = 2
"""Pixels around the clicked one that count too."""


class LightMeter(Tool):
    """Exposes the product on demand; the next click says what is a neutral grey, where one asks for it."""

    def __init__(self, viewport):
        super().__init__(viewport)
        self.is_wanted = False

    def want(self, is_wanted: bool) -> None:
        """Waits for a click, or no longer."""
        self.is_wanted = is_wanted

    def expose(self) -> None:
        """Exposes the product that is seen."""
        frame = self.viewport.frame
        if frame is None or frame.light is None:
            self.workshop.said.emit("Meter once the picture is there.")
            return
        part, (height, width) = frame.first_hits.part, frame.light.shape[:2]
        rows = np.arange(height) * part.shape[0] // height
        columns = np.arange(width) * part.shape[1] // width
        self.workshop.expose_for(frame.light, part[rows[:, None], columns])

    def click(self, event) -> bool:
        if not self.is_wanted:
            return False
        pixel, frame = self.picker.pixel(event.position()), self.viewport.frame
        if pixel is None or frame is None or frame.light is None:
            self.workshop.said.emit("Click what should be grey once the picture is there.")
            return True
        place = np.multiply(pixel, np.divide(frame.light.shape[:2], frame.first_hits.part.shape)).astype(int)
        rows, columns = (slice(max(k - _AROUND, 0), k + _AROUND + 1) for k in place)
        self.workshop.balance_white(frame.light[rows, columns].reshape(-1, 3).mean(axis=0))
        self.viewport.focused.emit()
        return True
