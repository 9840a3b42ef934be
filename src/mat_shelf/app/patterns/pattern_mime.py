"""Patterns as they are dragged."""

from PyQt6.QtCore import QMimeData

from mat_shelf.commands.patterns import PatternCommands

PATTERN_MIME = "application/x-mat-shelf-pattern"


def pattern_mime(work: PatternCommands, pattern_id: str) -> QMimeData:
    """Data of a pattern of the recipe on the board."""
    material, overlay = work.session.selected_material, work.session.overlay
    return _mime(material.id, overlay.id if overlay else "", pattern_id)


def ready_mime(ready_id: str) -> QMimeData:
    """Data of a ready pattern."""
    return _mime("", "", ready_id)


def _mime(*words: str) -> QMimeData:
    data = QMimeData()
    data.setData(PATTERN_MIME, "\n".join(words).encode())
    return data


def dropped_pattern(work: PatternCommands, data: QMimeData) -> str | None:
    """Id of a pattern that is dropped, in the recipe on the board; None where it is none or is gone."""
    if not data.hasFormat(PATTERN_MIME):
        return None
    words = bytes(data.data(PATTERN_MIME)).decode(errors="replace").split("\n")
    return work.copy_from(*words) if len(words) == 3 else None
