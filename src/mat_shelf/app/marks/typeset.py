"""Words as art, for labels whose real art is still to come."""

from PyQt6.QtCore import QBuffer, QIODevice, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetricsF, QImage, QPainter

from mat_shelf.app.theme import INK, font

_PIXELS = 160
"""Height of a letter of the first line; enough for a label as wide as a picture."""
MOST_CHARACTERS = 400


def set_words(text: str) -> bytes:
    """Lines of a text, centred, the first one larger and bold, dark on clear ground, as a PNG."""
    lines = [line.strip() for line in text[:MOST_CHARACTERS].splitlines() if line.strip()]
    styles = []
    for number, line in enumerate(lines):
        style = QFont(font(12, QFont.Weight.DemiBold if number == 0 else QFont.Weight.Normal))
        style.setPixelSize(_PIXELS if number == 0 else round(0.55 * _PIXELS))
        if number == 0:
            style.setLetterSpacing(QFont.SpacingType.PercentageSpacing, 108)
        styles.append((line, style, QFontMetricsF(style)))
    wide = max(metrics.horizontalAdvance(line) for line, _, metrics in styles)
    tall = sum(metrics.height() for *_, metrics in styles)
    margin = 0.3 * _PIXELS
    image = QImage(round(wide + 2 * margin), round(tall + 2 * margin), QImage.Format.Format_ARGB32)
    image.fill(0)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.TextAntialiasing)
    painter.setPen(QColor(INK))
    y = margin
    for line, style, metrics in styles:
        painter.setFont(style)
        painter.drawText(QRectF(margin, y, wide, metrics.height()), Qt.AlignmentFlag.AlignCenter, line)
        y += metrics.height()
    painter.end()
    out = QBuffer()
    out.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(out, "PNG")
    return bytes(out.data())
