"""Parameters: fields of frozen models that carry what a value row needs to show them."""

from typing import Annotated, Any, Self

from pydantic import BaseModel, ConfigDict, Field, ValidationError
from pydantic.fields import FieldInfo

Channel = Annotated[float, Field(ge=0.0, le=1.0, allow_inf_nan=False)]
Color = tuple[Channel, Channel, Channel]


def number(
    default: float,
    low: float,
    high: float,
    *,
    label: str,
    tip: str,
    unit: str = "",
    usual: tuple[float, float] | None = None,
    log: bool = False,
) -> Any:
    """A numeric parameter with the range it accepts, the range its slider spans and its words."""
    return Field(
        default,
        ge=low,
        le=high,
        allow_inf_nan=False,
        title=label,
        description=tip,
        json_schema_extra={"unit": unit, "usual": list(usual or (low, high)), "log": log},
    )


def color(default: Color, *, label: str, tip: str) -> Any:
    """A colour parameter, linear Rec.709, each channel in [0, 1]."""
    return Field(default, title=label, description=tip)


Length = Annotated[float, Field(ge=-1e7, le=1e7, allow_inf_nan=False)]
"""Millimetres; ten kilometres, since a model read in the wrong unit must come in to be asked about."""
Point = tuple[Length, Length, Length]


class Frozen(BaseModel):
    """A value that cannot change; an edit makes another one."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    def with_(self, **changes) -> Self:
        """A validated copy with some fields changed; the others are the same objects. Raises `ValidationError`."""
        fields = {name: getattr(self, name) for name in type(self).model_fields}
        made = type(self)(**(fields | changes))
        # Validation makes new tuples; views learn what changed by identity.
        made.__dict__.update({name: value for name, value in fields.items() if name not in changes})
        return made

    @classmethod
    def parameter(cls, name: str) -> FieldInfo:
        """The field called `name`, with its label, tip, unit and range. Raises KeyError."""
        return cls.model_fields[name]

    @classmethod
    def limits(cls, name: str) -> tuple[float, float]:
        """Lowest and highest accepted value of a numeric parameter."""
        bounds = cls.model_fields[name].metadata
        return (
            next(m.ge for m in bounds if hasattr(m, "ge")),
            next(m.le for m in bounds if hasattr(m, "le")),
        )


def _cut(text: str, most: int) -> str:
    """A text from a file, no longer than a message can show."""
    return text if len(text) <= most else f"{text[:most]}..."


def explain(error: ValidationError) -> str:
    """The first fault of a refused value, in one line a user can act on."""
    first = error.errors(include_url=False, include_input=False)[0]
    where = " > ".join(_cut(str(step), 60) for step in first["loc"][:8])
    what = _cut(first["msg"].removeprefix("Value error, "), 400)
    return f"{where}: {what}" if where else what
