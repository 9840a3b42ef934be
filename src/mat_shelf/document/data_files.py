"""Data files that come with the program, validated like a user's."""

import json
from pathlib import Path
from typing import TypeVar

from mat_shelf.document.parameter import Frozen

_Model = TypeVar("_Model", bound=Frozen)


def read_data(model: type[_Model], folder: Path) -> tuple[_Model, ...]:
    """Values of the JSON files of a folder, in the order of its ``order.json``.

    Parameters
    ----------
    model : type
        Of the values.

    Raises
    ------
    ValidationError
        If a file holds anything that the model refuses.
    """
    names = json.loads((folder / "order.json").read_text("utf-8"))
    return tuple(model.model_validate_json((folder / f"{name}.json").read_bytes()) for name in names)
