"""Names and ids. References between values are ids, which never change; names are for people."""

import secrets
from collections.abc import Container
from typing import Annotated

from pydantic import StringConstraints

Id = Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9_-]{0,63}$")]
Name = Annotated[str, StringConstraints(min_length=1, max_length=120, strip_whitespace=True)]
Digest = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]


def new_id(kind: str) -> str:
    """A fresh id such as ``material-3f9a1c04``."""
    return f"{kind}-{secrets.token_hex(4)}"


def free_name(wanted: str, taken: Container[str]) -> str:
    """The name itself, or with the first number that makes it free."""
    name, count = wanted, 2
    while name in taken:
        name, count = f"{wanted} {count}", count + 1
    return name
