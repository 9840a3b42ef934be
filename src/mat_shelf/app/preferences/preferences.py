"""Preferences: their values, where they are kept, and who is told."""

from dataclasses import asdict, dataclass, field, fields, replace
from functools import cache
from pathlib import Path

from PyQt6.QtCore import QObject, QSettings, pyqtSignal

GROUP = "preferences"


def _choice(default: str, **words: str):
    return field(default=default, metadata={"words": words})


def _number(default: int, low: int, high: int):
    return field(default=default, metadata={"range": (low, high)})


@dataclass(frozen=True)
class Preferences:
    """Values of all preferences.

    Attributes
    ----------
    look : str
    size : int
        Of type and controls, percent of their usual size; from the next start on.
    surround : int
        L* round the picture.
    drag, wheel, zoom_at, orbit_about : str
        Effect of the mouse on the camera.
    autosave_s : int
        Seconds after which unsaved work is kept for a crash.
    threads : int
        Threads that render; 0 for as many as there are processors.
    library : str
        Folder of the library; empty for the usual one.
    """

    look: str = _choice("light", light="Light", dark="Dark", desktop="As the desktop")
    size: int = _number(100, 75, 200)
    surround: int = _number(50, 20, 60)
    drag: str = _choice("orbit", orbit="Orbits, with Shift pans", pan="Pans, with Shift orbits")
    orbit_about: str = _choice("target", target="What the view looks at", pointer="The point under the pointer")
    wheel: str = _choice("in", **{"in": "Away from you zooms in", "out": "Towards you zooms in"})
    zoom_at: str = _choice("pointer", pointer="The pointer", target="The middle of the picture")
    autosave_s: int = _number(10, 5, 600)
    threads: int = _number(0, 0, 256)
    library: str = ""


def allowed(name: str, value) -> bool:
    """True for a value that a preference may have."""
    about = {one.name: one for one in fields(Preferences)}[name]
    if "words" in about.metadata:
        return isinstance(value, str) and value in about.metadata["words"]
    if "range" in about.metadata:
        low, high = about.metadata["range"]
        return isinstance(value, int) and low <= value <= high
    return isinstance(value, str) and "\0" not in value and (not value or Path(value).is_absolute())


class PreferenceBook(QObject):
    """The preferences in use.

    Signals
    -------
    changed
        At least one has another value.

    Attributes
    ----------
    now : Preferences
    problems : list of str
        Kept values that could not be used; each is as at a first start.
    """

    changed = pyqtSignal()

    def __init__(self):
        super().__init__()
        self.now, self.problems = Preferences(), []
        self.read()

    def read(self) -> None:
        """Takes the kept values; what is damaged stays as at a first start."""
        settings = QSettings()
        self.problems = []
        if settings.status() == QSettings.Status.FormatError:
            self.problems.append("the file cannot be read")
        found = {}
        for about in fields(Preferences):
            value = settings.value(f"{GROUP}/{about.name}")
            if value is None:
                continue
            if isinstance(about.default, int):
                value = int(value) if str(value).lstrip("-").isdecimal() else value
            if allowed(about.name, value):
                found[about.name] = value
            else:
                self.problems.append(about.name.replace("_", " "))
        self.now = Preferences(**found)

    def change(self, **values) -> None:
        """Takes other values, keeps them, and tells it. Raises ValueError where one may not be."""
        for name, value in values.items():
            if not allowed(name, value):
                raise ValueError(f"{name} cannot be {value!r}")
        new = replace(self.now, **values)
        if new == self.now:
            return
        self.now = new
        settings = QSettings()
        for name, value in asdict(new).items():
            settings.setValue(f"{GROUP}/{name}", value)
        self.changed.emit()

    def reset(self) -> None:
        """All as at a first start."""
        self.change(**asdict(Preferences()))


@cache
def preferences() -> PreferenceBook:
    """The one book of the program; it is read when it is first asked for."""
    return PreferenceBook()
