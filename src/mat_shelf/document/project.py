"""The project: one product, its materials and its sets, as frozen values.

An edit makes a new project that shares what did not change; see `mat_shelf.document.history`. References are
ids, and a project with a dangling one cannot be made.
"""

from collections import Counter
from collections.abc import Iterable
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from mat_shelf.document.ids import Digest, Id, Name, by_id, with_one
from mat_shelf.document.image import ImageRef
from mat_shelf.document.mark import Mark
from mat_shelf.document.parameter import Color, Frozen, Point, color, number
from mat_shelf.document.variant import Variable

SCHEMA = 9

MOST_PARTS, MOST_ZONES, MOST_MATERIALS, MOST_VIEWS = 20_000, 1000, 20_000, 1000
MOST_SETS, MOST_LIGHTS = 256, 64
MOST_GENERATIONS = 32
"""Variants of variants, one above the other."""


class Material(Variable):
    """A recipe in use in a project.

    Attributes
    ----------
    family : str
        The kind it is filed under.
    swatch : id or None
        The swatch on the library that it came from or was kept as.
    """

    id: Id
    name: Name
    family: Name = "Plastic"
    swatch: Id | None = None


Angle = Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)]


class Pose(Frozen):
    """Pose of a part: its mesh is scaled, then rotated, then shifted.

    Attributes
    ----------
    shift : (3,) mm
    turn : (3,) degrees
        About x, then y, then z, each of the world.
    scale : of its mesh's own size
    """

    shift: Point = (0.0, 0.0, 0.0)
    turn: tuple[Angle, Angle, Angle] = (0.0, 0.0, 0.0)
    scale: float = Field(1.0, ge=1e-9, le=1e9, allow_inf_nan=False)


class Zone(Frozen):
    """Some of a part's faces, with a material of their own. `faces` is the SHA-256 of their list."""

    id: Id
    name: Name
    faces: Digest
    material: Id | None = None


class Part(Frozen):
    """One named piece of the product.

    Attributes
    ----------
    mesh : SHA-256 of its GLB
    material : id or None
        What all its faces wear that are in no zone.
    zones : tuple of Zone
        They share no face.
    is_hidden : bool
        Hidden parts are neither seen nor rendered.
    group : str or None
        Parts of one group are picked and moved together.
    priority : int or None
        For nested bodies, instead of the one of its material.
    """

    id: Id
    name: Name
    mesh: Digest
    material: Id | None = None
    pose: Pose = Pose()
    zones: Annotated[tuple[Zone, ...], Field(max_length=MOST_ZONES)] = ()
    is_hidden: bool = False
    group: Name | None = None
    priority: Annotated[int, Field(ge=0, le=9)] | None = None

    def zone(self, zone_id: str) -> Zone:
        """The zone with this id. Raises KeyError."""
        return by_id(self.zones, zone_id)

    def with_zone(self, zone: Zone) -> "Part":
        """A copy in which `zone` replaces the one with its id, or is added."""
        return self.with_(zones=with_one(self.zones, zone))

    def worn(self) -> list[str]:
        """Ids of the materials on it, its own first, each once."""
        return list(dict.fromkeys(i for i in (self.material, *(z.material for z in self.zones)) if i is not None))


class Product(Frozen):
    """The imported model, in millimetres, y up. `unit` is what the numbers of its file were taken for."""

    name: Name
    unit: Literal["mm", "cm", "m", "in", "ft"] = "mm"
    parts: Annotated[tuple[Part, ...], Field(max_length=MOST_PARTS)] = ()
    contact: float = number(
        0.05,
        0,
        5,
        label="Gap tolerance",
        unit="mm",
        tip="Bodies with a gap narrower than this touch: a liquid and its glass then show no dark line between.",
        usual=(0, 0.5),
    )


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
    width: float = Field(400.0, gt=0, le=1e6)
    height: float = Field(400.0, gt=0, le=1e6)
    luminance: float = Field(4000.0, ge=0, le=1e7)
    temperature: float = Field(5600.0, ge=1500, le=20000)

    @model_validator(mode="after")
    def _faces_somewhere(self) -> Self:
        if max(abs(p - t) for p, t in zip(self.position, self.target, strict=True)) < 1e-3:
            raise ValueError("a light stands on the point that it faces and would give no light; move one of them")
        return self


class Camera(Frozen):
    """A full-frame camera (36 x 24 mm). `f_stop` 0 means everything is sharp.

    Attributes
    ----------
    position, target : (3,) mm
    focus : mm along the view from the camera to what is sharp; 0 focuses on the target
    """

    position: Point = (0.0, 150.0, 600.0)
    target: Point = (0.0, 30.0, 0.0)
    focal_length: float = number(
        105.0,
        10,
        800,
        label="Focal length",
        unit="mm",
        tip="Full frame. Products look calm at 85 to 135 mm; short lenses stretch what is near.",
        usual=(24, 300),
        log=True,
    )
    f_stop: float = number(
        0.0,
        0,
        64,
        label="f-stop",
        zero="off",
        tip="Low values blur what is out of focus; off keeps all sharp. Usually 8 to 22.",
        usual=(0, 32),
    )
    focus: float = number(
        0.0,
        0,
        10_000_000,
        label="Focus",
        unit="mm",
        zero="target",
        tip="Distance from the camera to what is sharp; 0 focuses on the point it looks at.",
        usual=(0, 2000),
    )

    @model_validator(mode="after")
    def _looks_somewhere(self) -> Self:
        if max(abs(p - t) for p, t in zip(self.position, self.target, strict=True)) < 1e-3:
            raise ValueError("the camera stands on the point it looks at; move one of them")
        return self


class View(Frozen):
    """A camera with a name. The first view of a project is its final one."""

    id: Id
    name: Name
    camera: Camera = Camera()


class Backdrop(Frozen):
    """A sweep: a floor that curves up into a wall. `depth` is how far behind the origin the wall stands, mm."""

    color: Color = color((0.62, 0.61, 0.6), label="Backdrop", tip="Colour of the sweep that the product stands on.")
    gloss: float = number(
        0.0, 0, 1, label="Floor gloss", tip="How much the floor mirrors the product. 0 is matt paper, 1 wet acrylic."
    )
    width: float = Field(2400.0, gt=0, le=1e5)
    depth: float = Field(420.0, gt=0, le=1e5)
    height: float = Field(900.0, gt=0, le=1e5)
    radius: float = Field(220.0, gt=0, le=1e5)


class Set(Frozen):
    """Lights and backdrop together.

    Attributes
    ----------
    room : ImageRef or None
        A latitude-longitude picture of the room, in place of its plain luminance above and below.
    straight_light : bool
        Whether light goes straight through clear glass in the wall's pictures.
    """

    id: Id
    name: Name
    softboxes: Annotated[tuple[Softbox, ...], Field(max_length=MOST_LIGHTS)] = ()
    surround: float = number(
        250.0,
        0,
        1_000_000,
        label="Ambient above",
        unit="cd/m²",
        tip="Luminance above the horizon. It fills shadows and shows in reflections.",
        usual=(0, 2000),
    )
    ground: float = number(
        80.0,
        0,
        1_000_000,
        label="Ambient below",
        unit="cd/m²",
        tip="Luminance below the horizon.",
        usual=(0, 2000),
    )
    room: ImageRef | None = None
    room_luminance: float = number(
        1000.0,
        0,
        1_000_000,
        label="Environment",
        unit="cd/m²",
        tip="Luminance of a value of 1 in the environment image. It brightens or darkens all of it.",
        usual=(10, 10_000),
        log=True,
    )
    turn: float = number(
        0.0, -180, 180, label="Rotation", unit="°", tip="Rotates all lights about the product; the camera stays."
    )
    exposure: float = number(
        0.0,
        -12,
        12,
        label="Exposure",
        unit="stops",
        tip="One stop doubles the light. At 0, 1000 cd/m² is the brightest that is shown.",
        usual=(-4, 4),
    )
    straight_light: bool = Field(
        False,
        title="Straight light through glass (no caustics)",
        description="Glass clears up sooner while you work, but is less true: caustics are missing, shadows of glass "
        "too even. Renders leave it off unless you ask.",
    )
    exact_colors: bool = Field(
        False,
        title="Exact colours",
        description="Shows every colour up to four fifths of white as it is, to match a brand colour. The usual curve "
        "takes up to 0.04 off each channel: renders gain depth, and matt colours come out a little deeper.",
    )
    backdrop: Backdrop | None = Backdrop()


class Project(Frozen):
    """Everything one file holds. Marks lie in their order, the lowest first."""

    schema_version: int = SCHEMA
    name: Name
    product: Product
    materials: Annotated[tuple[Material, ...], Field(max_length=MOST_MATERIALS)] = ()
    marks: Annotated[tuple[Mark, ...], Field(max_length=256)] = ()
    sets: tuple[Set, ...] = Field(min_length=1, max_length=MOST_SETS)
    current_set: Id
    views: tuple[View, ...] = Field((View(id="final", name="Final"),), min_length=1, max_length=MOST_VIEWS)
    current_view: Id = "final"
    reference: ImageRef | None = None

    @model_validator(mode="after")
    def _references_resolve(self) -> Self:
        for kind, ids in (
            ("material", [m.id for m in self.materials]),
            ("part", [p.id for p in self.product.parts]),
            ("set", [s.id for s in self.sets]),
            ("view", [v.id for v in self.views]),
            ("mark", [m.id for m in self.marks]),
        ):
            repeated = {i for i, times in Counter(ids).items() if times > 1}
            if repeated:
                raise ValueError(f"two {kind}s share the id '{sorted(repeated)[0]}'")
        known = {m.id: m for m in self.materials}
        generations: dict[str, int] = {}
        for material in self.materials:
            _check_parents(material, known, generations)
        for part in self.product.parts:
            if part.material is not None and part.material not in known:
                raise ValueError(f"part '{part.name}' refers to material '{part.material}', which is not there")
            zones = [zone.id for zone in part.zones]
            if len(set(zones)) < len(zones):
                raise ValueError(f"two zones of part '{part.name}' share an id")
            for zone in part.zones:
                if zone.material is not None and zone.material not in known:
                    raise ValueError(f"zone '{zone.name}' refers to material '{zone.material}', which is not there")
        if self.current_set not in {s.id for s in self.sets}:
            raise ValueError(f"the current set '{self.current_set}' is not there")
        if self.current_view not in {v.id for v in self.views}:
            raise ValueError(f"the current view '{self.current_view}' is not there")
        return self

    def material(self, material_id: str) -> Material:
        """The material with this id. Raises KeyError."""
        return by_id(self.materials, material_id)

    def part(self, part_id: str) -> Part:
        """The part with this id. Raises KeyError."""
        return by_id(self.product.parts, part_id)

    def mark(self, mark_id: str) -> Mark:
        """The mark with this id. Raises KeyError."""
        return by_id(self.marks, mark_id)

    def with_mark(self, mark: Mark) -> "Project":
        """A copy in which `mark` replaces the one with its id, or lies on top."""
        return self.with_(marks=with_one(self.marks, mark))

    def without_mark(self, mark_id: str) -> "Project":
        """A copy without a mark."""
        return self.with_(marks=tuple(m for m in self.marks if m.id != mark_id))

    @property
    def set(self) -> Set:
        """The set in use."""
        return by_id(self.sets, self.current_set)

    @property
    def view(self) -> View:
        """The view in use."""
        return by_id(self.views, self.current_view)

    def wearers(self) -> dict[str, list[str]]:
        """By material id, the names of the parts and zones that wear it."""
        found: dict[str, list[str]] = {}
        for part in self.product.parts:
            for thing in (part, *part.zones):
                if thing.material is not None:
                    found.setdefault(thing.material, []).append(thing.name)
        return found

    def with_parts(self, parts: Iterable[Part]) -> "Project":
        """A copy with other parts in place of all."""
        return self.with_(product=self.product.with_(parts=tuple(parts)))

    def with_material(self, material: Material) -> "Project":
        """A copy in which `material` replaces the one with its id, or is added; its variants follow."""
        known = {m.id: m for m in self.materials}
        if material.parent in known:
            material = material.following(known[material.parent].recipe)
        known[material.id] = material
        changed = {material.id}
        while changed:
            followers = [m for m in known.values() if m.parent in changed]
            changed = set()
            for variant in followers:
                following = variant.following(known[variant.parent].recipe)
                if following is not variant:
                    known[variant.id] = following
                    changed.add(variant.id)
        return self.with_(materials=tuple(known.values()))

    def variants_of(self, material_id: str) -> list[Material]:
        return [m for m in self.materials if m.parent == material_id]

    def with_variant(self, parent_id: str, variant_id: str, name: str) -> "Project":
        """A copy with a new variant of a material, which differs in nothing yet."""
        parent = self.material(parent_id)
        return self.with_material(
            Material(id=variant_id, name=name, family=parent.family, recipe=parent.recipe, parent=parent_id)
        )

    def unused_materials(self) -> list[Material]:
        """Materials that no part wears and that no worn one is a variant of."""
        needed = set(self.wearers())
        known = {m.id: m for m in self.materials}
        waiting = [known[i] for i in needed]
        while waiting:
            parent = waiting.pop().parent
            if parent is not None and parent not in needed:
                needed.add(parent)
                waiting.append(known[parent])
        return [m for m in self.materials if m.id not in needed]

    def without(self, materials: Iterable[Material]) -> "Project":
        """A copy without some materials, which nothing may refer to."""
        gone = {m.id for m in materials}
        return self.with_(materials=tuple(m for m in self.materials if m.id not in gone))

    def pictures(self) -> list[ImageRef]:
        """Every picture that the project refers to."""
        rooms = [studio.room for studio in self.sets if studio.room is not None]
        reference = [self.reference] if self.reference is not None else []
        return [*rooms, *reference, *self.map_pictures()]

    def map_pictures(self) -> list[ImageRef]:
        """Every picture that a mark, or a pattern of a material, shows."""
        of_marks = [picture for mark in self.marks for picture in mark.pictures()]
        return of_marks + [picture for material in self.materials for picture in material.recipe.pictures()]

    def with_part(self, part: Part) -> "Project":
        """A copy in which `part` replaces the one with its id."""
        return self.with_parts(part if p.id == part.id else p for p in self.product.parts)

    def with_set(self, changed: Set) -> "Project":
        """A copy in which `changed` replaces the set with its id."""
        return self.with_(sets=with_one(self.sets, changed))

    def with_view(self, view: View) -> "Project":
        """A copy in which `view` replaces the one with its id, or is added."""
        return self.with_(views=with_one(self.views, view))


def _check_parents(material: Material, known: dict[str, Material], generations: dict[str, int]) -> None:
    """Raises ValueError where a variant's parent is not there, is itself, or is not followed.

    Parameters
    ----------
    generations : dict
        By id, how many parents stand above those that were checked before.
    """
    line = [material]
    while line[-1].parent is not None and line[-1].id not in generations:
        parent = known.get(line[-1].parent)
        if parent is None:
            raise ValueError(f"material '{line[-1].name}' is a variant of '{line[-1].parent}', which is not there")
        if parent in line:
            names = ", ".join(m.name for m in line)
            raise ValueError(f"these materials are variants of each other: {names}")
        line.append(parent)
        if len(line) > MOST_GENERATIONS:
            raise ValueError(f"material '{material.name}' has more than {MOST_GENERATIONS} parents above each other")
    for above in reversed(line):
        generations[above.id] = generations[above.parent] + 1 if above.parent is not None else 0
    if generations[material.id] > MOST_GENERATIONS:
        raise ValueError(f"material '{material.name}' has more than {MOST_GENERATIONS} parents above each other")
    if material.parent is not None and material.following(known[material.parent].recipe) is not material:
        raise ValueError(f"material '{material.name}' differs from its parent in more than it owns")
