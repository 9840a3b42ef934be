"""Patterns: named maps as a row of steps, how they lie on a part, and what they feed.

What a kind of step computes is not known here: it is a class of its own in `mat_shelf.patterns`, which enters itself
by its `kind` when it is defined.
"""

from collections.abc import Iterable, Iterator, Mapping
from functools import cache
from math import prod
from typing import Annotated, Any, ClassVar, Literal, Self, get_args

from pydantic import Field, SerializeAsAny, ValidationError, WrapValidator, model_validator

from mat_shelf.document.ids import Id, Name
from mat_shelf.document.image import ImageRef
from mat_shelf.document.parameter import Frozen, explain, number

PatternRef = Id | None
"""Another pattern of the same recipe, by id."""

Millimetres = Annotated[float, Field(ge=-1e5, le=1e5, allow_inf_nan=False)]
Repeat = Annotated[float, Field(ge=-1000, le=1000, allow_inf_nan=False)]


class Step(Frozen):
    """One operation in a pattern; its kinds are subclasses.

    Attributes
    ----------
    kind : str
        What it is called in files; a subclass gives it as the default.
    is_on : bool
        Steps that are switched off pass on what they get.
    asks : int
        How often it asks for what the steps before it give.
    looks : str
        Direction in which the geometry map that it reads looks for edges: "inward", "outward", or "others" for other
        parts; empty where it reads none.
    """

    label: ClassVar[str] = ""
    tip: ClassVar[str] = ""
    is_source: ClassVar[bool] = False
    asks: ClassVar[int] = 1
    looks: ClassVar[str] = ""
    kinds: ClassVar[dict[str, type["Step"]]] = {}

    kind: str = ""
    is_on: bool = True

    @classmethod
    def __pydantic_init_subclass__(cls, **kwargs) -> None:
        kind = cls.model_fields["kind"].default
        if kind:
            Step.kinds[kind] = cls

    @classmethod
    @cache  # each edit of a recipe asks each of its steps
    def pattern_fields(cls) -> tuple[str, ...]:
        """Names of the fields that refer to another pattern."""
        return tuple(name for name, field in cls.model_fields.items() if field.annotation == PatternRef)

    @classmethod
    @cache
    def picture_fields(cls) -> tuple[str, ...]:
        """Names of the fields that may refer to a picture."""
        fields = cls.model_fields.items()
        return tuple(name for name, field in fields if ImageRef in (field.annotation, *get_args(field.annotation)))

    def pictures(self) -> list[ImageRef]:
        """The pictures that it shows."""
        return [value for name in self.picture_fields() if (value := getattr(self, name)) is not None]

    def histogram_marks(self) -> tuple[float, ...]:
        """Values that the histogram of what it gets marks."""
        return ()

    def used(self) -> list[str]:
        """Ids of the other patterns that it refers to."""
        return [value for name in self.pattern_fields() if (value := getattr(self, name)) is not None]


def _known_step(value: Any, proceed) -> Step:
    """Makes a step of the right kind out of what a file holds. Raises ValueError."""
    if isinstance(value, Step):
        return value
    if not isinstance(value, dict):
        raise ValueError("a step is missing its kind")
    kind = Step.kinds.get(str(value.get("kind")))
    if kind is None:
        raise ValueError(f"there is no step of the kind '{str(value.get('kind'))[:40]}'; a newer version may have it")
    try:
        return kind(**value)
    except ValidationError as fault:
        raise ValueError(f"step '{kind.label}', {explain(fault)}") from None


AnyStep = Annotated[SerializeAsAny[Step], WrapValidator(_known_step)]

Projection = Literal["solid", "uv", "whole uv", "planar", "box", "cylinder", "sphere"]
Axis = Literal["x", "y", "z"]


class Placement(Frozen):
    """Placement of a pattern on a part.

    Attributes
    ----------
    projection : str
        ``solid`` runs through the part as grain through wood; ``uv`` follows the mesh's own coordinates, in mm, and
        ``whole uv`` lets a size cover all of them; ``planar`` is thrown on along the axis, ``box``
        from all six sides, ``cylinder`` and ``sphere`` go round the axis.
    axis : str
        Of the part; for ``solid``, the direction in which the pattern is stretched.
    shift : (2,) mm, along and across the pattern
        In ``whole uv`` of a size that covers all of them.
    repeat : (2,) float
        Of ``whole uv``: how often it repeats along u and v, before it is rotated; below zero it is mirrored.
    over : str
        Whether it starts anew on each part, or runs over the whole product.
    """

    projection: Projection = Field(
        "solid",
        title="Projection",
        description="How the pattern is mapped onto the part: through it, by its UVs, along an axis, or around one.",
    )
    axis: Axis = Field("y", title="Axis", description="Axis of the part that the projection uses.")
    size: float = number(
        10.0,
        0.001,
        10_000,
        label="Size",
        unit="mm",
        tip="Length of one repeat, or of the largest detail, on the product.",
        usual=(0.05, 200),
        log=True,
    )
    stretch: float = number(
        1.0,
        0.01,
        1000,
        label="Stretch",
        tip="Length over width. 1 is even; brushed grain 50 to 200.",
        usual=(0.1, 200),
        log=True,
    )
    turn: float = number(
        0.0, -360, 360, label="Rotation", unit="°", tip="Rotates the pattern on the surface.", usual=(-180, 180)
    )
    shift: tuple[Millimetres, Millimetres] = (0.0, 0.0)
    repeat: tuple[Repeat, Repeat] = (1.0, 1.0)
    seam: float = number(
        180.0,
        -360,
        360,
        label="Seam",
        unit="°",
        tip="Where the ends of a cylinder or sphere projection meet; 0 is the front.",
        usual=(-180, 180),
    )
    blend: float = number(
        0.25, 0, 1, label="Blend", tip="Softness between the sides of a box, or between the two ends at the seam."
    )
    over: Literal["part", "product"] = Field(
        "part", title="Extent", description="Starts again on each part, or continues over the whole product."
    )
    shuffle: float = number(
        0.0,
        0,
        1,
        label="Shuffle",
        tip="Random offset for each part, so that neighbours do not show the same area. 1 is anywhere.",
    )
    shuffle_turn: float = number(
        0.0, 0, 180, label="Shuffle angle", unit="°", tip="Random rotation for each part, up to this much."
    )


MOST_ASKED = 300
"""Times that a source may be asked for each point: enough for two steps that look about them."""
MOST_STEPS = 120
"""Steps that a pattern may stand on, its own and those of the patterns that it uses, one on another."""


class Pattern(Frozen):
    """A named map: a source, then the steps that it goes through.

    Attributes
    ----------
    steps : tuple of Step
        The first is a source, no other is.
    """

    id: Id
    name: Name
    steps: tuple[AnyStep, ...] = Field(min_length=1, max_length=64)
    placement: Placement = Placement()

    @model_validator(mode="after")
    def _starts_with_a_source(self) -> Self:
        if not self.steps[0].is_source:
            raise ValueError(f"pattern '{self.name}' does not start with a source")
        for step in self.steps[1:]:
            if step.is_source:
                raise ValueError(f"pattern '{self.name}' has a second source, '{step.label}'")
        if prod(step.asks for step in self.steps if step.is_on) > MOST_ASKED:
            slow = ", ".join(step.label for step in self.steps if step.is_on and step.asks > 1)
            raise ValueError(f"pattern '{self.name}' would take too long with {slow} one after another; remove one")
        return self

    def histogram_marks(self) -> tuple[float, ...]:
        """Values that the histogram of what it gets marks."""
        return ()

    def used(self) -> list[str]:
        """Ids of the other patterns that its steps need, each once."""
        return list(dict.fromkeys(i for step in self.steps for i in step.used()))

    def renamed(self, ids: Mapping[str, str]) -> "Pattern":
        """A copy whose steps refer to other patterns by new ids, where `ids` has any."""
        steps = []
        for step in self.steps:
            changed = {name: ids[old] for name in step.pattern_fields() if (old := getattr(step, name)) in ids}
            steps.append(step.with_(**changed) if changed else step)
        return self.with_(steps=tuple(steps))

    def with_step(self, place: int, step: Step) -> "Pattern":
        """A copy with another step in place of one."""
        return self.with_(steps=(*self.steps[:place], step, *self.steps[place + 1 :]))


Level = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]


class Feed(Frozen):
    """An input's use of a pattern.

    Attributes
    ----------
    input : str
        Name of the parameter.
    low, high : float or (3,) float
        What the input is where the pattern is 0 and 1. For a pattern in colour, both scale it.
    amount : float
        From the input's own value (0) to the pattern's (1).
    """

    input: str
    pattern: Id
    low: Level | tuple[Level, Level, Level] = 0.0
    high: Level | tuple[Level, Level, Level] = 1.0
    amount: float = number(1.0, 0, 1, label="Amount", tip="Mix between the constant value (0) and the pattern (1).")


class Relief(Frozen):
    """A row of height or normal detail.

    Attributes
    ----------
    id : of the row
    height : mm
        Between where the pattern is 0 and where it is 1; below zero it goes down. Pictures of normals are as steep as
        they say at 0.01.
    kind : str
        Whether the pattern is a height, or a picture of normals (glTF's convention, green up; or green down).
    is_displaced : bool
        Whether the surface itself stands out; else, and for what is finer than `fineness`, only its shading bends.
    """

    id: Id
    pattern: Id
    height: float = number(
        0.01,
        -1000,
        1000,
        label="Height",
        unit="mm",
        tip="From the pattern's black to its white. Brushing 0.002, leather 0.2. Negative goes down.",
        usual=(-0.2, 0.2),
    )
    kind: Literal["height", "normal", "normal, green down"] = "height"
    is_on: bool = True
    is_displaced: bool = False
    fineness: float = number(
        0.4,
        0.02,
        20,
        label="Fineness",
        unit="mm",
        tip="Longest side of the triangles of true relief: a fifth of the smallest detail that should stand out.",
        usual=(0.1, 2),
        log=True,
    )


def path_of_loop(patterns: Mapping[str, Pattern]) -> list[str]:
    """Names along the first loop of patterns that use each other, its start again at its end; empty where none is."""
    done: set[str] = set()

    def walk(pattern: Pattern, above: list[Pattern]) -> Iterator[list[str]]:
        if pattern in above:
            yield [p.name for p in (*above[above.index(pattern) :], pattern)]
        elif pattern.id not in done:
            for other in pattern.used():
                if other in patterns:
                    yield from walk(patterns[other], [*above, pattern])
            done.add(pattern.id)

    for pattern in patterns.values():
        for loop in walk(pattern, []):
            return loop
    return []


def needed(wanted: Iterable[str], patterns: Mapping[str, Pattern]) -> list[Pattern]:
    """Some patterns and all that they use, each after those it uses."""
    found: dict[str, Pattern] = {}

    def take(name: str) -> None:
        if name not in found and name in patterns:
            for other in patterns[name].used():
                take(other)
            found[name] = patterns[name]

    for name in wanted:
        take(name)
    return list(found.values())


def stands_on(pattern: Pattern, patterns: Mapping[str, Pattern], known: dict[str, int]) -> int:
    """Steps that a pattern stands on along its longest line of uses; `known` keeps what was found."""
    if pattern.id not in known:
        below = (stands_on(patterns[other], patterns, known) for other in pattern.used())
        known[pattern.id] = len(pattern.steps) + max(below, default=0)
    return known[pattern.id]
