"""Looks, finishes kept outside of projects, ``.look``: JSON."""

from pathlib import Path

from mat_shelf.document.finish import Finish
from mat_shelf.document.ids import Name
from mat_shelf.document.parameter import Frozen
from mat_shelf.exchange.package import parse
from mat_shelf.system.file_reader import read_file
from mat_shelf.system.file_writer import write_file

LOOK_ENDING, LOOK_SCHEMA = ".look", 3
_LARGEST = 1 << 20
"""Bytes."""
_OF_ANY_PRODUCT = ("product", "backdrop", "tones")


class KeptLook(Frozen):
    """A finish outside of projects.

    Attributes
    ----------
    finish : Finish
        Its masks are of what every picture has.
    """

    schema_version: int = LOOK_SCHEMA
    name: Name
    finish: Finish

    @classmethod
    def of(cls, name: str, finish: Finish) -> "KeptLook":
        """The look of a finish, without masks and retouching of what only its product has.

        Parameters
        ----------
        name : str
            Its name.
        finish : Finish
            The finish.

        Returns
        -------
        KeptLook
        """
        masked = tuple(each for each in finish.masked if each.kind in _OF_ANY_PRODUCT)
        return cls(name=name, finish=finish.with_(masked=masked, healed=(), is_on=True))

    def over(self, finish: Finish) -> Finish:
        """The look in place of a finish, whose masks and retouching of what only its product has stay.

        Parameters
        ----------
        finish : Finish
            The finish.

        Returns
        -------
        Finish
        """
        own = tuple(each for each in finish.masked if each.kind not in _OF_ANY_PRODUCT)
        return self.finish.with_(masked=(*own, *self.finish.masked), healed=finish.healed)


def save_look(path: Path, look: KeptLook) -> None:
    """Writes a look.

    Parameters
    ----------
    path : Path
        File.
    look : KeptLook
        The look.

    Raises
    ------
    WriteError
        If it cannot be written.
    """
    write_file(Path(path), look.model_dump_json(indent=1).encode())


def open_look(path: Path) -> KeptLook:
    """Reads a look.

    Parameters
    ----------
    path : Path
        File.

    Returns
    -------
    KeptLook

    Raises
    ------
    PackageError, OSError
        If anything about the file is not right; the message says what.
    """
    return parse(KeptLook, read_file(Path(path), _LARGEST), Path(path), LOOK_SCHEMA, _migrated)


def _migrated(fields: dict) -> dict:
    """Fields of the present schema; schema 2 adds colour tables, schema 3 glare, which older looks are without."""
    return fields | {"schema_version": LOOK_SCHEMA} if fields.get("schema_version") in (1, 2) else fields
