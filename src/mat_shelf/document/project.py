"""The project: one product, its materials and its sets, as frozen values.

An edit makes a new project that shares what did not change; see `mat_shelf.document.history`. References are
ids, and a project with a dangling one cannot be made.
"""

from collections import Counter
from collections.abc import Iterable
from typing import Annotated, Self

from pydantic import Field, model_validator

from mat_shelf.document.camera import View
from mat_shelf.document.color import MOST_COLORS, ProjectColor
from mat_shelf.document.finish import Finish
from mat_shelf.document.ids import Id, Name, by_id, with_one
from mat_shelf.document.image import ImageRef
from mat_shelf.document.light import Distribution
from mat_shelf.document.mark import Mark
from mat_shelf.document.material import Material
from mat_shelf.document.parameter import Frozen
from mat_shelf.document.product import Part, Product
from mat_shelf.document.reference import MOST_REFERENCES, Reference
from mat_shelf.document.set import Set
from mat_shelf.document.shot import HandOver, Shot

SCHEMA = 23

MOST_MATERIALS, MOST_SETS, MOST_VIEWS = 20_000, 256, 1000
MOST_GENERATIONS = 32
"""Variants of variants, one above the other."""


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
    references: Annotated[tuple[Reference, ...], Field(max_length=MOST_REFERENCES)] = ()
    current_reference: Id | None = None
    colors: Annotated[tuple[ProjectColor, ...], Field(max_length=MOST_COLORS)] = ()
    hand_over: HandOver = HandOver()

    @model_validator(mode="after")
    def _references_resolve(self) -> Self:
        for kind, ids in (
            ("material", [m.id for m in self.materials]),
            ("part", [p.id for p in self.product.parts]),
            ("set", [s.id for s in self.sets]),
            ("view", [v.id for v in self.views]),
            ("mark", [m.id for m in self.marks]),
            ("reference", [r.id for r in self.references]),
            ("colour", [c.id for c in self.colors]),
            ("shot", [s.id for s in self.hand_over.shots]),
            ("masked adjustment", [m.id for m in self.hand_over.finish.masked]),
        ):
            repeated = {i for i, times in Counter(ids).items() if times > 1}
            if repeated:
                raise ValueError(f"two {kind}s share the id '{sorted(repeated)[0]}'")
        known = {m.id: m for m in self.materials}
        generations: dict[str, int] = {}
        colors = {color.id for color in self.colors}
        for material in self.materials:
            _check_parents(material, known, generations)
            for link in material.color_links:
                if link.color not in colors:
                    raise ValueError(f"material '{material.name}' has the colour '{link.color}', which is not there")
                if link.value_in(material.recipe) is None:
                    raise ValueError(f"material '{material.name}' has no colour input '{link.input}'")
        for part in self.product.parts:
            if part.material is not None and part.material not in known:
                raise ValueError(f"part '{part.name}' refers to material '{part.material}', which is not there")
            zones = [zone.id for zone in part.zones]
            if len(set(zones)) < len(zones):
                raise ValueError(f"two zones of part '{part.name}' share an id")
            for zone in part.zones:
                if zone.material is not None and zone.material not in known:
                    raise ValueError(f"zone '{zone.name}' refers to material '{zone.material}', which is not there")
        for studio in self.sets:
            worn = studio.backdrop.material if studio.backdrop is not None else None
            if worn is not None and worn not in known:
                raise ValueError(f"the backdrop of set '{studio.name}' refers to material '{worn}', which is not there")
            for prop in studio.props:
                if prop.material is not None and prop.material not in known:
                    raise ValueError(f"prop '{prop.name}' refers to material '{prop.material}', which is not there")
        if self.current_set not in {s.id for s in self.sets}:
            raise ValueError(f"the current set '{self.current_set}' is not there")
        if self.current_reference not in {None, *(r.id for r in self.references)}:
            raise ValueError(f"the current reference '{self.current_reference}' is not there")
        if self.current_view not in {v.id for v in self.views}:
            raise ValueError(f"the current view '{self.current_view}' is not there")
        views, sets = {v.id for v in self.views}, {s.id for s in self.sets}
        for shot in self.hand_over.shots:
            if shot.view not in views or shot.set not in sets:
                kind, missing = ("view", shot.view) if shot.view not in views else ("set", shot.set)
                raise ValueError(f"shot '{shot.name}' refers to {kind} '{missing}', which is not there")
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

    @property
    def reference(self) -> Reference | None:
        """The reference that is shown."""
        shown = self.current_reference
        return by_id(self.references, shown) if shown is not None else None

    def with_reference(self, reference: Reference) -> "Project":
        """A copy in which `reference` replaces the one with its id, or is added."""
        return self.with_(references=with_one(self.references, reference))

    def color(self, color_id: str) -> ProjectColor:
        """The colour with this id. Raises KeyError."""
        return by_id(self.colors, color_id)

    def with_color(self, color: ProjectColor) -> "Project":
        """A copy in which `color` replaces the one with its id, or is added."""
        return self.with_(colors=with_one(self.colors, color))

    def wearers(self) -> dict[str, list[str]]:
        """By material id, the names of the parts, zones and backdrops that wear it."""
        found: dict[str, list[str]] = {}
        for part in self.product.parts:
            for thing in (part, *part.zones):
                if thing.material is not None:
                    found.setdefault(thing.material, []).append(thing.name)
        for studio in self.sets:
            if studio.backdrop is not None and studio.backdrop.material is not None:
                found.setdefault(studio.backdrop.material, []).append(f"Backdrop of {studio.name}")
            for prop in studio.props:
                if prop.material is not None:
                    found.setdefault(prop.material, []).append(f"{prop.name} in {studio.name}")
        return found

    def dressed(self, wearers: Iterable[tuple[str, str | None]], material_id: str) -> "Project":
        """A copy in which parts, or zones of them, wear a material; ids of both, None for the part itself."""
        project = self
        for part_id, zone_id in wearers:
            part = project.part(part_id)
            worn = (part.zone(zone_id) if zone_id else part).with_(material=material_id)
            project = project.with_part(part.with_zone(worn) if zone_id else worn)
        return project

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
        return [*rooms, *(reference.image for reference in self.references), *self.map_pictures()]

    def prop_meshes(self) -> dict[str, str]:
        """Names of the props from models, by the SHA-256 of their meshes."""
        return {prop.mesh: prop.name for studio in self.sets for prop in studio.props if prop.mesh is not None}

    def distributions(self) -> list[Distribution]:
        """Every light distribution that a set refers to."""
        return [light.distribution for studio in self.sets for light in studio.lights if light.distribution is not None]

    def map_pictures(self) -> list[ImageRef]:
        """Every picture that a mark, a light, a backplate, or a pattern of a material shows."""
        of_marks = [picture for mark in self.marks for picture in mark.pictures()]
        of_lights = [picture for studio in self.sets for light in studio.lights for picture in light.pictures()]
        plates = [studio.plate.image for studio in self.sets if studio.plate is not None and studio.plate.image]
        return (
            of_marks
            + of_lights
            + plates
            + [picture for material in self.materials for picture in material.recipe.pictures()]
        )

    def as_seen(self) -> "Project":
        """The project in its view in use: what that does not show is hidden. Itself where that is nothing."""
        seen = _seen(self.product, self.view.hides)
        if seen is self.product:
            return self
        # Nothing that is checked has changed, and a drag asks for this at each of its steps.
        return self.model_copy(update={"product": seen})

    def with_part(self, part: Part) -> "Project":
        """A copy in which `part` replaces the one with its id."""
        return self.with_parts(part if p.id == part.id else p for p in self.product.parts)

    def with_set(self, changed: Set) -> "Project":
        """A copy in which `changed` replaces the set with its id."""
        return self.with_(sets=with_one(self.sets, changed))

    @property
    def finish(self) -> Finish:
        """Changes to the light of its renders."""
        return self.hand_over.finish

    def with_finish(self, finish: Finish) -> "Project":
        """A copy with another finish."""
        return self.with_(hand_over=self.hand_over.with_(finish=finish))

    def with_shots(self, shots: Iterable[Shot]) -> "Project":
        """A copy with other shots in place of all."""
        return self.with_(hand_over=self.hand_over.with_(shots=tuple(shots)))

    def with_view(self, view: View) -> "Project":
        """A copy in which `view` replaces the one with its id, or is added."""
        return self.with_(views=with_one(self.views, view))


_SEEN: list[tuple[Product, tuple[str, ...], Product]] = []
"""The last products as views show them, so that each is made once."""
_MOST_SEEN = 4


def _seen(product: Product, hides: tuple[str, ...]) -> Product:
    """A product in which some parts are hidden; itself where they are already."""
    if not hides:
        return product
    for own, hidden, seen in tuple(_SEEN):
        if own is product and hidden == hides:
            return seen
    gone = {part.id for part in product.parts if not part.is_hidden} & set(hides)
    parts = (part.model_copy(update={"is_hidden": True}) if part.id in gone else part for part in product.parts)
    seen = product.model_copy(update={"parts": tuple(parts)}) if gone else product
    _SEEN[:] = [(product, hides, seen), *_SEEN[: _MOST_SEEN - 1]]
    return seen


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
