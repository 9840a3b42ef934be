"""Results kept from one build of a scene to the next, so that an edit makes only that anew which it changes."""

from collections.abc import Callable

from mat_shelf.geometry.mesh import Mesh


class Kept:
    """Results of the last build, found again by the very meshes, and equal values, that they were made from."""

    def __init__(self):
        self._last: dict[tuple, tuple] = {}
        self._now: dict[tuple, tuple] = {}

    def __call__(self, make: Callable, *sources):
        """The result of a function, made now or kept.

        Parameters
        ----------
        make : callable
            Of the sources, and of nothing else.
        *sources
            Meshes, which are never changed, and hashable values.

        Returns
        -------
        object
        """
        key = (make, *(id(source) if isinstance(source, Mesh) else source for source in sources))
        found = self._now.get(key) or self._last.get(key)
        # The sources are kept too, so that no other mesh gets the id of one of them.
        self._now[key] = found or (make(*sources), sources)
        return self._now[key][0]

    def end_build(self) -> None:
        """Drops what the build that ends now did not use."""
        self._last, self._now = self._now, {}
