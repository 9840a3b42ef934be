"""The project: one product, its materials and its sets, as frozen values.

An edit makes a new project that shares what did not change; see `mat_shelf.document.history`. References are
ids, and a project with a dangling one cannot be made.
"""

import secrets
from collections.abc import Iterable
from typing import Annotated, Self

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, ValidationError, model_validator

from mat_shelf.document.recipe import Color, Recipe

SCHEMA = 1

Id = Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9_-]{0,63}$")]
Name = Annotated[str, StringConstraints(min_length=1, max_length=120, strip_whitespace=True)]
Digest = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]
Length = Annotated[float, Field(ge=-1e5, le=1e5, allow_inf_nan=False)]
Point = tuple[Length, Length, Length]


def new_id(kind: str) -> str:
    """A fresh id such as ``material-3f9a1c04``."""
    return f"{kind}-{secrets.token_hex(4)}"


class Frozen(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")

    def with_(self, **changes) -> Self:
        """A validated copy with some fields changed; the others are the same objects. Raises `ValidationError`."""
        fields = {name: getattr(self, name) for name in type(self).model_fields}
        made = type(self)(**(fields | changes))
        # Validation makes new tuples; views learn what changed by identity.
        made.__dict__.update({name: value for name, value in fields.items() if name not in changes})
        return made


class Material(Frozen):
    """A recipe in use in a project: it has a name and the family it is filed under."""

    id: Id
    name: Name
    family: Name = "Plastic"
    recipe: Recipe = Recipe()


class Part(Frozen):
    """One named piece of the product. `mesh` is the SHA-256 of its GLB; `material` an id or None."""

    id: Id
    name: Name
    mesh: Digest
    material: Id | None = None


class Product(Frozen):
    """The imported model, in millimetres, y up."""

    name: Name
    parts: tuple[Part, ...] = ()


class Softbox(Frozen):
    """A rectangular light. Its width runs horizontally; it faces `target`.

    Attributes
    ----------
    position, target : (3,) mm
    width, height : mm
    luminance : cd/m2
    temperature : kelvin, of a black body
    """

    position: Point
    target: Point = (0.0, 0.0, 0.0)
    width: float = Field(400.0, gt=0, le=1e4)
    height: float = Field(400.0, gt=0, le=1e4)
    luminance: float = Field(4000.0, ge=0, le=1e7)
    temperature: float = Field(5600.0, ge=1500, le=20000)


class Camera(Frozen):
    """A full-frame camera (36 mm wide). `f_stop` 0 means everything is sharp.

    Attributes
    ----------
    position, target : (3,) mm
    focal_length : mm
    focus : mm from the camera; None focuses on the target
    """

    position: Point = (0.0, 150.0, 600.0)
    target: Point = (0.0, 30.0, 0.0)
    focal_length: float = Field(105.0, ge=10, le=800)
    f_stop: float = Field(0.0, ge=0, le=64)
    focus: float | None = Field(None, gt=0, le=1e5)

    @model_validator(mode="after")
    def _looks_somewhere(self) -> Self:
        if max(abs(p - t) for p, t in zip(self.position, self.target, strict=True)) < 1e-3:
            raise ValueError("the camera stands on the point it looks at; move one of them")
        return self


class Backdrop(Frozen):
    """A sweep: a floor that curves up into a wall. `depth` is how far behind the origin the wall stands, mm."""

    color: Color = (0.62, 0.61, 0.6)
    width: float = Field(1600.0, gt=0, le=1e5)
    depth: float = Field(420.0, gt=0, le=1e5)
    height: float = Field(900.0, gt=0, le=1e5)
    radius: float = Field(220.0, gt=0, le=1e5)


class Set(Frozen):
    """Lights, backdrop and camera together.

    `surround` and `ground` are the luminance (cd/m2) of the room above and below. `exposure` is in stops: at 0 a
    white of 1000 cd/m2 is the brightest that is shown.
    """

    id: Id
    name: Name
    softboxes: tuple[Softbox, ...] = ()
    surround: float = Field(250.0, ge=0, le=1e6)
    ground: float = Field(80.0, ge=0, le=1e6)
    backdrop: Backdrop | None = Backdrop()
    camera: Camera = Camera()
    exposure: float = Field(0.0, ge=-12, le=12)


class Project(Frozen):
    """Everything one file holds."""

    schema_version: int = SCHEMA
    name: Name
    product: Product
    materials: tuple[Material, ...] = ()
    sets: tuple[Set, ...] = Field(min_length=1)
    current_set: Id

    @model_validator(mode="after")
    def _references_resolve(self) -> Self:
        for kind, ids in (
            ("material", [m.id for m in self.materials]),
            ("part", [p.id for p in self.product.parts]),
            ("set", [s.id for s in self.sets]),
        ):
            repeated = {i for i in ids if ids.count(i) > 1}
            if repeated:
                raise ValueError(f"two {kind}s share the id '{sorted(repeated)[0]}'")
        known = {m.id for m in self.materials}
        for part in self.product.parts:
            if part.material is not None and part.material not in known:
                raise ValueError(f"part '{part.name}' refers to material '{part.material}', which is not there")
        if self.current_set not in {s.id for s in self.sets}:
            raise ValueError(f"the current set '{self.current_set}' is not there")
        return self

    def material(self, material_id: str) -> Material:
        """The material with this id. Raises KeyError."""
        return _by_id(self.materials, material_id)

    def part(self, part_id: str) -> Part:
        """The part with this id. Raises KeyError."""
        return _by_id(self.product.parts, part_id)

    @property
    def set(self) -> Set:
        """The set in use."""
        return _by_id(self.sets, self.current_set)

    def parts_wearing(self, material_id: str) -> list[Part]:
        return [part for part in self.product.parts if part.material == material_id]

    def with_material(self, material: Material) -> "Project":
        """A copy in which `material` replaces the one with its id, or is added."""
        others = [m for m in self.materials if m.id != material.id]
        if len(others) == len(self.materials):
            return self.with_(materials=(*self.materials, material))
        return self.with_(materials=tuple(material if m.id == material.id else m for m in self.materials))

    def with_part(self, part: Part) -> "Project":
        """A copy in which `part` replaces the one with its id."""
        parts = tuple(part if p.id == part.id else p for p in self.product.parts)
        return self.with_(product=self.product.with_(parts=parts))

    def with_set(self, changed: Set) -> "Project":
        """A copy in which `changed` replaces the set with its id."""
        return self.with_(sets=tuple(changed if s.id == changed.id else s for s in self.sets))


def _by_id(things: Iterable, wanted: str):
    for thing in things:
        if thing.id == wanted:
            return thing
    raise KeyError(wanted)


def explain(error: ValidationError) -> str:
    """The first fault of a refused value, in one line a user can act on."""
    first = error.errors(include_url=False)[0]
    where = " > ".join(str(step) for step in first["loc"])
    what = first["msg"].removeprefix("Value error, ")
    return f"{where}: {what}" if where else what
