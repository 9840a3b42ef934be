"""Results kept from one build of a scene to the next, so that an edit makes only that anew which it changes."""

from collections import OrderedDict
from collections.abc import Callable
from contextlib import suppress

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


class Newest:
    """Results that were made last, found again by the very object that each was made of, and further keys.

    Parameters
    ----------
    count : int
        Results that are kept.
    """

    def __init__(self, count: int):
        self._count = count
        self._made: OrderedDict = OrderedDict()

    def __call__(self, source, keys: tuple, make: Callable):
        """The result for a source, made now or kept.

        Parameters
        ----------
        source : object
            One that is never changed.
        keys : tuple
            What else it depends on.
        make : callable () -> object
            Makes it.

        Returns
        -------
        object
        """
        key = (id(source), *keys)
        with suppress(KeyError):
            found = self._made[key]
            self._made.move_to_end(key)
            return found[1]
        made = make()
        self._made[key] = source, made  # the source is kept, so that its id stays its own
        with suppress(KeyError):
            while len(self._made) > self._count:
                self._made.popitem(last=False)
        return made
