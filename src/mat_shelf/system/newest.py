"""Results that were made last, kept for those who ask again."""

from collections import OrderedDict
from collections.abc import Callable
from contextlib import suppress


class Newest:
    """Results that were made last, found again by the very objects that each was made of, and further keys.

    Parameters
    ----------
    count : int
        Results that are kept.
    """

    def __init__(self, count: int):
        self._count = count
        self._made: OrderedDict = OrderedDict()

    def __call__(self, sources: tuple, keys: tuple, make: Callable):
        """The result for some sources, made now or kept.

        Parameters
        ----------
        sources : tuple of object
            Objects that are never changed.
        keys : tuple
            What else it depends on.
        make : callable () -> object
            Makes it.

        Returns
        -------
        object
        """
        key = (*map(id, sources), *keys)
        with suppress(KeyError):
            found = self._made[key]
            self._made.move_to_end(key)
            return found[1]
        made = make()
        self._made[key] = sources, made  # the sources are kept, so that their ids stay their own
        with suppress(KeyError):
            while len(self._made) > self._count:
                self._made.popitem(last=False)
        return made
