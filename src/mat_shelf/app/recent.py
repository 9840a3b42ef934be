"""The projects that were opened or saved last."""

from pathlib import Path

from PyQt6.QtCore import QSettings

MOST = 10


def recent_projects() -> list[Path]:
    """Newest first; those whose file is gone are left out."""
    return [path for path in _noted() if path.exists()]


def note_recent(path: Path) -> None:
    """Puts a project first."""
    noted = _noted()
    if noted[:1] != [path]:
        kept = [str(path), *(str(other) for other in noted if other != path)]
        QSettings().setValue("recent", kept[:MOST])


def _noted() -> list[Path]:
    value = QSettings().value("recent", [])
    return [Path(text) for text in ([value] if isinstance(value, str) else value or [])]
