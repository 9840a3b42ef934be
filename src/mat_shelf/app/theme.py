"""Colours, type and measures of the window: a print shop's viewing booth, light and achromatic."""

from dataclasses import dataclass, replace
from pathlib import Path

from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication


@dataclass(frozen=True)
class Theme:
    """Every colour the window uses."""

    panel: str = "#E7E7E7"  # L* 92
    card: str = "#F6F6F6"  # L* 97
    field: str = "#FFFFFF"
    line: str = "#D2D2D2"
    track: str = "#C9C9C9"
    text: str = "#262626"  # L* 15
    quiet: str = "#595959"  # 5.6 : 1 on a panel
    surround: str = "#777777"  # L* 50
    pane: str = "#686868"  # ground of a pane without a picture
    on_surround: str = "#FFFFFF"
    grip: str = "#D6D6D6"  # 3.1 : 1 on the surround
    accent: str = "#0F6B62"
    on_accent: str = "#FFFFFF"
    faint: str = "#8A8A8A"  # words of what cannot be used now
    pressed: str = "#0C5A52"  # the main action under the pointer


EDGE = "#262626"
"""Dark line on either side of what is drawn over a picture."""
OUTLINE = "#16A394"
"""Selection in the picture, in both looks."""
LAMP = "#FFF3C4"
INK = "#1C1C1C"
"""Type set for a label."""

LIGHT = Theme()
DARK = Theme(
    panel="#2B2B2B",
    card="#363636",
    field="#424242",
    line="#4A4A4A",
    track="#5C5C5C",
    text="#EDEDED",
    quiet="#B4B4B4",
    accent="#2F9E92",
    on_accent="#0B0B0B",
    faint="#8C8C8C",
    pressed="#37B3A6",
)


class _InUse:
    """The look in use. Its colours are read whenever something is painted, so a change of look needs no restart."""

    look = LIGHT

    def __getattr__(self, name: str) -> str:
        return getattr(_InUse.look, name)


THEME = _InUse()
FONTS = Path(__file__).parent / "fonts"
CHEVRON = (Path(__file__).parent / "icon" / "chevron.svg").as_posix()


def font(size: int = 13, weight: QFont.Weight = QFont.Weight.Normal, tabular: bool = False) -> QFont:
    """The interface's type in pixels; tabular figures keep numbers in columns."""
    made = QFont("Inter")
    made.setPixelSize(size)
    made.setWeight(weight)
    made.setHintingPreference(QFont.HintingPreference.PreferNoHinting)
    if tabular:
        made.setFeature(QFont.Tag("tnum"), 1)
    return made


def _grey(lightness: float) -> str:
    """Grey of an L*, as CIE 15 has it, in sRGB (IEC 61966-2-1)."""
    high = (lightness + 16) / 116
    linear = high**3 if high > 6 / 29 else 3 * (6 / 29) ** 2 * (high - 4 / 29)
    value = 12.92 * linear if linear <= 0.0031308 else 1.055 * linear ** (1 / 2.4) - 0.055
    return f"#{round(value * 255):02X}" + f"{round(value * 255):02X}" * 2


def is_dark() -> bool:
    return _InUse.look.panel == DARK.panel


def apply_theme(application: QApplication, dark: bool = False, lightness: int | None = None) -> None:
    """Dresses the application in the light or the dark look.

    Parameters
    ----------
    lightness : int, optional
        L* round the picture, 20 to 60; that of the look by default.
    """
    _InUse.look = DARK if dark else LIGHT
    if lightness is not None:
        _InUse.look = replace(
            _InUse.look,
            surround=_grey(lightness),
            pane=_grey(lightness - 6),
            grip="#D6D6D6" if lightness <= 50 else "#FFFFFF",
        )
    for path in sorted(FONTS.glob("*.otf")):
        QFontDatabase.addApplicationFont(str(path))
    application.setStyleSheet("")  # to change one for another takes Qt ten times as long as to take it away first
    if application.style().name() != "fusion":
        application.setStyle("Fusion")
    application.setFont(font())
    palette = QPalette()
    for role, color in (
        (QPalette.ColorRole.Window, THEME.panel),
        (QPalette.ColorRole.Base, THEME.field),
        (QPalette.ColorRole.AlternateBase, THEME.card),
        (QPalette.ColorRole.Button, THEME.card),
        (QPalette.ColorRole.Text, THEME.text),
        (QPalette.ColorRole.WindowText, THEME.text),
        (QPalette.ColorRole.ButtonText, THEME.text),
        (QPalette.ColorRole.PlaceholderText, THEME.quiet),
        (QPalette.ColorRole.Highlight, THEME.accent),
        (QPalette.ColorRole.HighlightedText, THEME.on_accent),
        (QPalette.ColorRole.ToolTipBase, THEME.text),
        (QPalette.ColorRole.ToolTipText, THEME.card),
    ):
        palette.setColor(role, QColor(color))
    application.setPalette(palette)
    application.setStyleSheet(_style())


def _style() -> str:
    return f"""
* {{ outline: none; }}
QToolTip {{ background: {THEME.text}; color: {THEME.card}; border: none; padding: 6px 8px; }}
#topBar, #board, #library {{ background: {THEME.panel}; }}
#topBar {{ border-bottom: 1px solid {THEME.line}; }}
#wall {{ background: {THEME.surround}; }}
#card {{ background: {THEME.card}; border: 1px solid {THEME.line}; border-radius: 8px; }}
QLabel[role="cardTitle"] {{ font-weight: 600; color: {THEME.text}; }}
QLabel[role="quiet"] {{ color: {THEME.quiet}; font-size: 12px; }}
QLabel[role="tag"] {{ background: {THEME.card}; border: 1px solid {THEME.line}; border-radius: 10px;
    padding: 2px 9px; font-size: 12px; color: {THEME.quiet}; }}
QPushButton[role="station"] {{ background: transparent; border: none; border-bottom: 2px solid transparent;
    border-radius: 0; padding: 0 2px; color: {THEME.quiet}; }}
QPushButton[role="station"]:hover {{ color: {THEME.text}; }}
QPushButton[role="station"]:checked {{ font-weight: 600; color: {THEME.text}; border-bottom-color: {THEME.accent}; }}
QPushButton[role="station"]:focus {{ color: {THEME.accent}; }}
QPushButton[role="page"] {{ background: transparent; border: none; border-bottom: 2px solid transparent;
    border-radius: 0; padding: 5px 1px; color: {THEME.quiet}; }}
QPushButton[role="page"]:hover {{ color: {THEME.text}; }}
QPushButton[role="page"]:checked {{ font-weight: 600; color: {THEME.text}; border-bottom-color: {THEME.accent}; }}
QPushButton[role="page"]:focus {{ color: {THEME.accent}; }}
QMenuBar {{ background: transparent; border: none; }}
QMenuBar::item {{ background: transparent; padding: 6px 8px; border-radius: 5px; }}
QMenuBar::item:selected {{ background: {THEME.card}; }}
QMenuBar::item:pressed {{ background: {THEME.accent}; color: {THEME.on_accent}; }}
QPushButton[role="choice"] {{ background: transparent; border: 1px solid transparent; text-align: left;
    padding: 5px 8px; }}
QPushButton[role="choice"]:hover {{ background: {THEME.field}; }}
QPushButton[role="choice"]:checked {{ background: {THEME.field}; border-color: {THEME.accent}; font-weight: 600; }}
QPushButton[role="choice"]:focus {{ border-color: {THEME.accent}; }}
QPushButton[role="mini"] {{ padding: 0; border: none; background: transparent; color: {THEME.accent};
    font-size: 13px; }}
QPushButton[role="tag"] {{ background: {THEME.card}; border: 1px solid {THEME.line}; border-radius: 10px;
    padding: 2px 9px; font-size: 12px; color: {THEME.accent}; }}
QPushButton[role="tag"]:hover, QPushButton[role="tag"]:focus {{ border-color: {THEME.accent}; }}
QLineEdit[role="title"] {{ background: transparent; border: 1px solid transparent; border-radius: 4px;
    padding: 1px 3px; font-size: 15px; font-weight: 600; }}
QLineEdit[role="title"]:hover {{ border-color: {THEME.line}; background: {THEME.field}; }}
QLineEdit[role="title"]:focus {{ border-color: {THEME.accent}; background: {THEME.field}; }}
QPushButton[role="small"] {{ padding: 3px 7px; font-size: 12px; }}
QPushButton[role="add"] {{ background: transparent; border: 1px solid transparent; text-align: left;
    padding: 4px 2px; color: {THEME.quiet}; }}
QPushButton[role="name"] {{ background: transparent; border: 1px solid transparent; text-align: left;
    padding: 4px 2px; }}
QPushButton[role="name"]:hover {{ color: {THEME.accent}; background: transparent; }}
QPushButton[role="add"]:hover {{ color: {THEME.accent}; }}
QPushButton[role="add"]:focus {{ border-color: {THEME.accent}; }}
QPushButton[role="slot"] {{ background: transparent; border: 1px dashed {THEME.faint}; padding: 2px;
    color: {THEME.quiet}; }}
QPushButton[role="slot"]:hover {{ color: {THEME.accent}; border-color: {THEME.accent}; }}
QPushButton[role="slot"]:focus {{ border: 1px solid {THEME.accent}; }}
QToolButton[role="tile"] {{ background: transparent; border: 1px solid transparent; border-radius: 6px; }}
QToolButton[role="tile"]:hover, QToolButton[role="tile"]:focus {{ background: {THEME.field};
    border-color: {THEME.accent}; }}
QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; }}
QScrollBar:horizontal {{ background: transparent; height: 8px; margin: 0; }}
QScrollBar::handle:horizontal {{ background: {THEME.track}; border-radius: 4px; min-width: 30px; }}
QScrollBar::add-line:horizontal, QScrollBar::sub-line:horizontal {{ width: 0; }}
QComboBox[role="small"] {{ padding: 1px 6px; }}
QComboBox[role="row"], QDoubleSpinBox[role="row"] {{ padding: 0px 6px; }}
QComboBox[role="tiny"] {{ padding: 1px 2px 1px 6px; }}
QComboBox[role="tiny"]::drop-down {{ border: none; width: 14px; }}
QDoubleSpinBox[role="tiny"] {{ padding: 1px 2px; }}
QPushButton[role="line"] {{ background: transparent; border: none; border-radius: 0; padding: 0 16px; text-align: left;
    color: {THEME.quiet}; }}
QPushButton[role="line"]:hover, QPushButton[role="line"]:focus {{ color: {THEME.accent}; background: transparent; }}
QPushButton:checked {{ border-color: {THEME.accent}; color: {THEME.accent}; }}
QPushButton {{ background: {THEME.card}; border: 1px solid {THEME.line}; border-radius: 6px; padding: 5px 12px; }}
QPushButton:hover {{ background: {THEME.field}; }}
QPushButton:focus {{ border-color: {THEME.accent}; }}
QPushButton:disabled {{ color: {THEME.faint}; }}
QPushButton[role="main"] {{ background: {THEME.accent}; color: {THEME.on_accent}; border-color: {THEME.accent}; }}
QPushButton[role="main"]:hover {{ background: {THEME.pressed}; }}
QPushButton[role="main"]:focus {{ border: 2px solid {THEME.text}; padding: 4px 11px; }}
QPushButton[role="main"]:disabled {{ background: {THEME.line}; color: {THEME.faint}; border-color: {THEME.line}; }}
QPushButton[role="plain"] {{ background: transparent; border: 1px solid transparent; padding: 5px 8px; }}
QPushButton[role="plain"]:hover {{ background: {THEME.card}; }}
QPushButton[role="plain"]:focus {{ border-color: {THEME.accent}; }}
QLineEdit, QSpinBox, QDoubleSpinBox, QComboBox, QPlainTextEdit {{
    background: {THEME.field}; border: 1px solid {THEME.line}; border-radius: 6px;
    padding: 4px 8px; selection-background-color: {THEME.accent}; }}
QLineEdit:focus, QSpinBox:focus, QDoubleSpinBox:focus, QComboBox:focus,
QPlainTextEdit:focus {{ border-color: {THEME.accent}; }}
QLineEdit[role="number"] {{ background: transparent; border: 1px solid transparent; border-radius: 4px;
    padding: 0 3px; }}
QLineEdit[role="number"]:hover {{ border-color: {THEME.line}; background: {THEME.field}; }}
QLineEdit[role="number"]:focus {{ border-color: {THEME.accent}; background: {THEME.field}; }}
QComboBox:disabled, QSpinBox:disabled, QDoubleSpinBox:disabled {{ color: {THEME.faint}; }}
QComboBox::drop-down {{ border: none; width: 22px; }}
QComboBox::down-arrow {{ image: url({CHEVRON}); width: 10px; height: 6px; }}
QComboBox QAbstractItemView {{ background: {THEME.card}; border: 1px solid {THEME.line};
    selection-background-color: {THEME.accent}; selection-color: {THEME.on_accent}; }}
QCheckBox:disabled, QLabel:disabled {{ color: {THEME.faint}; }}
QDoubleSpinBox {{ padding: 1px 4px; border-radius: 4px; }}
QDialog QDoubleSpinBox {{ padding: 4px 8px; border-radius: 6px; }}
QTreeWidget {{ background: {THEME.field}; border: 1px solid {THEME.line}; border-radius: 6px; padding: 3px; }}
QTreeWidget::item {{ padding: 2px 0; }}
QTreeWidget::item:selected {{ background: {THEME.panel}; color: {THEME.accent}; }}
QListView {{ background: transparent; border: none; }}
QListWidget {{ background: {THEME.field}; border: 1px solid {THEME.line}; border-radius: 6px; padding: 4px; }}
QListWidget::item {{ padding: 4px 6px; border-radius: 4px; }}
QListWidget::item:selected {{ background: {THEME.panel}; color: {THEME.accent}; }}
QMenu {{ background: {THEME.card}; border: 1px solid {THEME.line}; padding: 4px; }}
QMenu::item {{ padding: 6px 28px 6px 14px; border-radius: 4px; }}
QMenu::item:selected {{ background: {THEME.accent}; color: {THEME.on_accent}; }}
QMenu::item:disabled {{ color: {THEME.faint}; }}
QMenu::item:selected:disabled {{ background: {THEME.panel}; color: {THEME.faint}; }}
QMenu::separator {{ height: 1px; background: {THEME.line}; margin: 4px 8px; }}
QScrollBar:vertical {{ background: transparent; width: 8px; margin: 0; }}
QScrollBar::handle:vertical {{ background: {THEME.track}; border-radius: 4px; min-height: 30px; }}
QScrollBar::add-line:vertical, QScrollBar::sub-line:vertical {{ height: 0; }}
QProgressBar {{ background: {THEME.track}; border: none; border-radius: 2px; max-height: 4px; }}
QProgressBar::chunk {{ background: {THEME.accent}; border-radius: 2px; }}
#notice {{ background: #262626; border: 1px solid #5A5A5A; border-radius: 8px; }}
#notice QLabel {{ color: #F6F6F6; }}
#notice QPushButton {{ color: #F6F6F6; background: transparent; border: 1px solid #8A8A8A; }}
"""
