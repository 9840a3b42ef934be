"""Swatches that a user marked, used lately, or folded away; remembered from start to start."""

from PyQt6.QtCore import QSettings

MOST_RECENT = 24
ALL, FAVOURITES, RECENT, IN_PROJECT = "all", "favourites", "recent", "project"
FILTERS = {
    ALL: "All swatches",
    FAVOURITES: "Favourites",
    RECENT: "Used lately",
    IN_PROJECT: "In this project",
}


class ShownSwatches:
    """Lists of ids, and names of folded families.

    Attributes
    ----------
    favourites : set of str
    recent : list of str
        The newest first.
    folded : set of str
    """

    def __init__(self):
        self.favourites, self.folded = set(self._read("favourites")), set(self._read("folded"))
        self.recent = self._read("recent")[:MOST_RECENT]

    @staticmethod
    def _read(name: str) -> list[str]:
        value = QSettings().value(f"library/{name}", [])
        listed = [value] if isinstance(value, str) else value or []
        return [one for one in listed if isinstance(one, str)] if isinstance(listed, list) else []

    def _keep(self, name: str, values) -> None:
        QSettings().setValue(f"library/{name}", sorted(values) if isinstance(values, set) else values)

    def mark(self, swatch_id: str, is_favourite: bool) -> None:
        """Makes a swatch one of the favourites, or ends that."""
        (self.favourites.add if is_favourite else self.favourites.discard)(swatch_id)
        self._keep("favourites", self.favourites)

    def note_use(self, swatch_id: str) -> None:
        """Puts a swatch first among those used lately."""
        if self.recent[:1] != [swatch_id]:
            self.recent = [swatch_id, *(other for other in self.recent if other != swatch_id)][:MOST_RECENT]
            self._keep("recent", self.recent)

    def fold(self, family: str, is_folded: bool) -> None:
        """Folds a family away, or shows its swatches again."""
        (self.folded.add if is_folded else self.folded.discard)(family)
        self._keep("folded", self.folded)
