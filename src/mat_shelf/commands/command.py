"""Commands: what a user does to the project, refused in words where the document cannot hold what would come of it."""

from collections.abc import Callable
from functools import wraps
from inspect import signature

from pydantic import ValidationError

from mat_shelf.document.parameter import explain


def command(run: Callable) -> Callable:
    """Make a method a command.

    Where a value is refused, the project stays as it was before the command, the reason is said, and None is
    returned. Commands may call commands; only the outermost one ends so.

    Parameters
    ----------
    run : method
        Of a session, or of an object with a ``session``, or with a ``workshop`` that is the face of one.

    Returns
    -------
    Callable
    """

    takes_nothing = len(signature(run).parameters) == 1

    @wraps(run)
    def tried(self, *arguments, **options):
        """Run the method, and take back what it did where a value is refused."""
        if takes_nothing:  # a button that it is connected to sends whether it is checked
            arguments = ()
        session = getattr(self, "session", None) or getattr(self, "workshop", self)
        before = session.begin_command()
        try:
            return run(self, *arguments, **options)
        except ValidationError as fault:
            if before is None:
                raise
            session.roll_back(before)
            session.said.emit(f"Nothing was changed: {explain(fault)}.")
            return None
        finally:
            session.end_command()

    return tried
