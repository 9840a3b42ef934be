"""Work beside the caller: at once where there is no window, on a thread where there is one."""

from collections.abc import Callable
from typing import Protocol


class Aside(Protocol):
    """Does some work, and hands over what came of it where the caller runs."""

    def __call__(
        self, work: Callable[[], object], then: Callable[[object], None], failed: Callable[[Exception], None]
    ) -> None: ...


def at_once(work: Callable[[], object], then: Callable[[object], None], failed: Callable[[Exception], None]) -> None:
    """Does the work before it returns.

    Parameters
    ----------
    work : callable () -> object
        Does the work.
    then : callable (object) -> None
        Takes the result.
    failed : callable (Exception) -> None
        Takes the exception.
    """
    try:
        result = work()
    except Exception as fault:  # the caller says what it means
        failed(fault)
    else:
        then(result)
