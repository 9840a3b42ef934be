"""Parameters: fields of frozen models that carry what a value row needs to show them."""

import math
from typing import Annotated, Any, Self

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, ValidationError
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
    qualified: str = "",
    scale: float = 1.0,
    zero: str = "",
) -> Any:
    """A numeric parameter with the range it accepts, the range its slider spans and its words.

    Parameters
    ----------
    usual : (float, float), optional
        Range of its slider; all that it accepts if left out.
    qualified : str
        Label where no card says what it belongs to.
    scale : float
        Units shown in one unit of the value, such as 1000 nm in 1 µm.
    zero : str
        Word that is shown for 0.
    """
    return Field(
        default,
        ge=low,
        le=high,
        allow_inf_nan=False,
        title=label,
        description=tip,
        json_schema_extra={
            "unit": unit,
            "usual": list(usual or (low, high)),
            "log": log,
            "qualified": qualified,
            "scale": scale,
            "zero": zero,
        },
    )


def color(default: Color, *, label: str, tip: str, qualified: str = "") -> Any:
    """A colour parameter, linear Rec.709, each channel in [0, 1]."""
    return Field(default, title=label, description=tip, json_schema_extra={"qualified": qualified})


Node = tuple[Channel, Channel]


def _rising(nodes: tuple[Node, ...]) -> tuple[Node, ...]:
    places = [x for x, _ in nodes]
    if any(b - a < 1e-4 for a, b in zip(places, places[1:], strict=False)):
        raise ValueError("the nodes of a curve must lie apart, from left to right")
    return nodes


Nodes = Annotated[tuple[Node, ...], Field(min_length=2, max_length=16), AfterValidator(_rising)]
"""Nodes (in, out) of a curve, by rising input."""
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
    def field_label(cls, name: str) -> str:
        """Label of a field where no card says what it belongs to. Raises KeyError."""
        field = cls.model_fields[name]
        return (field.json_schema_extra or {}).get("qualified") or field.title or name

    @classmethod
    def limits(cls, name: str) -> tuple[float, float]:
        """Lowest and highest accepted value of a numeric parameter."""
        bounds = cls.model_fields[name].metadata
        return (
            next(m.ge for m in bounds if hasattr(m, "ge")),
            next(m.le for m in bounds if hasattr(m, "le")),
        )


def three_figures(value: float) -> str:
    """A number to about three significant figures."""
    if 0 < abs(value) < 0.1:
        return f"{value:.4f}".rstrip("0")
    digits = 2 if abs(value) < 10 else 1 if abs(value) < 100 else 0
    return f"{value:.{digits}f}"


def shown_number(field: FieldInfo, value: float) -> str:
    """Text of a numeric parameter's value in the unit that is shown, without the unit."""
    extra = field.json_schema_extra
    if value == 0 and extra["zero"]:
        return extra["zero"]
    if extra["scale"] != 1:
        return f"{value * extra['scale']:.4g}"
    return three_figures(value)


def read_number(field: FieldInfo, text: str) -> float:
    """Value of a numeric parameter from text in the unit that is shown; NaN where it is no number."""
    extra = field.json_schema_extra
    if extra["zero"] and text.strip().lower() == extra["zero"]:
        return 0.0
    try:
        return float(text) / extra["scale"]
    except ValueError:
        return math.nan


def _cut(text: str, most: int) -> str:
    """A text from a file, no longer than a message can show."""
    return text if len(text) <= most else f"{text[:most]}..."


def explain(error: ValidationError) -> str:
    """The first fault of a refused value, in one line a user can act on."""
    first = error.errors(include_url=False, include_input=False)[0]
    where = " > ".join(_cut(str(step), 60) for step in first["loc"][:8])
    what = _cut(first["msg"].removeprefix("Value error, "), 400)
    return f"{where}: {what}" if where else what
