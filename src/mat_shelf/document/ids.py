"""Names and ids. References between values are ids, which never change; names are for people."""

import secrets
from collections.abc import Container, Iterable
from typing import Annotated

from pydantic import StringConstraints

Id = Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9_-]{0,63}$")]
Name = Annotated[str, StringConstraints(min_length=1, max_length=120, strip_whitespace=True)]
Digest = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]


def new_id(kind: str) -> str:
    """A fresh id such as ``material-3f9a1c04``."""
    return f"{kind}-{secrets.token_hex(4)}"


def by_id(things: Iterable, wanted: str):
    """The one with an id. Raises KeyError."""
    for thing in things:
        if thing.id == wanted:
            return thing
    raise KeyError(wanted)


def with_one(things: tuple, new) -> tuple:
    """Things in which a new one replaces the one with its id, or is added at the end."""
    if new.id not in {thing.id for thing in things}:
        return *things, new
    return tuple(new if thing.id == new.id else thing for thing in things)


LONGEST_NAME = 120


def free_name(wanted: str, taken: Container[str]) -> str:
    """The name itself, or with the first number that makes it free; never longer than a name may be."""
    return FreeNames(taken).take(wanted)


def name_of_copy(name: str, taken: Container[str]) -> str:
    """A free name for a copy: the next number after that of the original, where that is numbered itself."""
    base, _, number = name.rpartition(" ")
    return free_name(base if number.isdecimal() and base in taken else name, taken)


class FreeNames:
    """Names that are free beside others, for many at a time.

    Parameters
    ----------
    taken : container of str
        Names that are not free; those handed out are remembered beside it.
    """

    def __init__(self, taken: Container[str] = ()):
        self._taken = taken
        self._given: set[str] = set()
        self._next: dict[str, int] = {}

    def take(self, wanted: str) -> str:
        """The name itself, or with the first number that makes it free."""
        name = base = wanted[:LONGEST_NAME].strip()
        count = self._next.get(base, 2)
        while name in self._taken or name in self._given:
            number = f" {count}"
            name, count = base[: LONGEST_NAME - len(number)].rstrip() + number, count + 1
        self._next[base] = count
        self._given.add(name)
        return name


def name_from(text: str, otherwise: str) -> str:
    """A name out of a file or its path: one line of characters that can be shown, not too long."""
    shown = " ".join("".join(c if c.isprintable() else " " for c in text).split())
    return shown[:LONGEST_NAME].strip() or otherwise
