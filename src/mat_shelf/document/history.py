"""One history for the whole project: a list of immutable project values."""

from mat_shelf.document.project import Project

DEPTH = 500


class History:
    """Past, present and future of a project.

    Attributes
    ----------
    present : Project
    saved : Project or None
        The value last written to disk; the project is changed when `present` is another.
    """

    def __init__(self, project: Project):
        self._past: list[tuple[str, Project]] = []
        self._future: list[tuple[str, Project]] = []
        self._open_gesture: str | None = None
        self.present = project
        self.saved: Project | None = project

    def edit(self, label: str, project: Project, gesture: str | None = None) -> None:
        """Makes `project` the present.

        Edits that share a `gesture` (one drag of a slider) become one entry, until `end_gesture`.
        """
        if project == self.present:
            return
        if gesture is None or gesture != self._open_gesture:
            self._past.append((label, self.present))
            del self._past[:-DEPTH]
        self._open_gesture = gesture
        self._future.clear()
        self.present = project

    def amend(self, project: Project) -> None:
        """Makes `project` the present as part of the last edit, since it follows from that."""
        self.present = project

    @property
    def is_in_gesture(self) -> bool:
        """True while a value is dragged."""
        return self._open_gesture is not None

    def end_gesture(self) -> None:
        self._open_gesture = None

    def state(self) -> tuple:
        """All of it, for `restore`; cheap, since it shares every project."""
        return self.present, tuple(self._past), tuple(self._future)

    def restore(self, state: tuple) -> None:
        """Goes back to a state as if nothing had happened since."""
        self.present, past, future = state
        self._past, self._future = list(past), list(future)
        self.end_gesture()

    @property
    def undo_label(self) -> str | None:
        """Text of the edit that undo would take back; None where there is nothing."""
        return self._past[-1][0] if self._past else None

    @property
    def redo_label(self) -> str | None:
        return self._future[-1][0] if self._future else None

    @property
    def steps(self) -> list[str]:
        """Texts of all edits, the oldest first; the last of them may be taken back at present."""
        return [label for label, _ in self._past] + [label for label, _ in reversed(self._future)]

    @property
    def position(self) -> int:
        """Number of the steps that are in the present."""
        return len(self._past)

    def go_to(self, position: int) -> None:
        """Takes edits back, or makes them again, until that many steps are in the present."""
        while len(self._past) > max(position, 0):
            self.undo()
        while len(self._past) < position and self._future:
            self.redo()

    @property
    def is_changed(self) -> bool:
        return self.present is not self.saved and self.present != self.saved

    def undo(self) -> None:
        if self._past:
            label, before = self._past.pop()
            self._future.append((label, self.present))
            self.present = before
        self.end_gesture()

    def redo(self) -> None:
        if self._future:
            label, after = self._future.pop()
            self._past.append((label, self.present))
            self.present = after
        self.end_gesture()
