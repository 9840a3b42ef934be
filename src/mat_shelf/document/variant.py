"""Variants: what keeps only its differences from a parent, and follows it in all else."""

from collections.abc import Mapping
from functools import partial
from typing import Annotated, Any, Self

from pydantic import Field, field_validator

from mat_shelf.document.ids import Id
from mat_shelf.document.parameter import Frozen
from mat_shelf.document.pattern import needed
from mat_shelf.document.recipe import Recipe
from mat_shelf.system.newest import Newest

_follow = Newest(64)
_ROWS = {"patterns": "id", "feeds": "input", "relief": "id", "overlays": "id"}
"""Fields of a recipe that hold several things, and what each of those is known by."""


class Variable(Frozen):
    """A recipe that may be a variant of another one.

    Attributes
    ----------
    recipe : Recipe
        Whole, whether it follows a parent or not.
    parent : id or None
        What it is a variant of.
    own : tuple of str
        The pieces that a variant keeps for itself; in all others it has its parent's. A piece is a parameter, one
        pattern, feed, row of relief or overlay (``feeds/specular_roughness``), or the order of those (``relief``).
    source : str or None
        Path of the file or folder that it came from, whose newer states are offered.
    source_modified : int
        When that was last written, as it was read, ns.
    """

    recipe: Recipe = Recipe()
    parent: Id | None = None
    own: Annotated[tuple[str, ...], Field(max_length=4000)] = ()
    source: Annotated[str, Field(max_length=4096)] | None = None
    source_modified: int = Field(0, ge=0, lt=1 << 63)

    @field_validator("own")
    @classmethod
    def _are_pieces(cls, own: tuple[str, ...]) -> tuple[str, ...]:
        for name in own:
            field, _, row = name.partition("/")
            if field not in Recipe.model_fields or (row and field not in _ROWS):
                raise ValueError(f"a recipe has no parameter '{name}'")
        return tuple(sorted(set(own)))

    def tuned(self, recipe: Recipe) -> Self:
        """A copy with another recipe; a variant owns from now on what that changes."""
        if self.parent is None:
            return self.with_(recipe=recipe)
        before, after = _pieces(self.recipe), _pieces(recipe)
        changed = {name for name in before | after if before.get(name) != after.get(name)}
        return self.with_(recipe=recipe, own=(*self.own, *changed))

    def following(self, parent: Recipe) -> Self:
        """A copy that has the parent's recipe in all but its own pieces; itself where it already has.

        Patterns that its own pieces need stay with it when the parent throws them out; those that it threw out itself
        come back when it follows the parent in what needs them.
        """
        # It is asked for at every edit of a project, which changes one material at most.
        return _follow((self, parent), (), partial(self._made_to_follow, parent))

    def _made_to_follow(self, parent: Recipe) -> Self:
        mine, pieces = _pieces(self.recipe), _pieces(parent)
        for name in self.own:
            if name in mine:
                pieces[name] = mine[name]
            else:
                pieces.pop(name, None)
        recipe = _assembled(pieces, _pieces(parent) | mine)
        return self if recipe == self.recipe else self.with_(recipe=recipe)

    def given_back(self, name: str, parent: Recipe) -> Self:
        """A copy that follows the parent in one more parameter, and in what feeds it."""
        return self.with_(own=tuple(own for own in self.own if own not in (name, f"feeds/{name}"))).following(parent)

    def owns(self, name: str) -> bool:
        """True if a variant overrides a parameter, or its feed."""
        return self.parent is not None and (name in self.own or f"feeds/{name}" in self.own)


def _pieces(recipe: Recipe) -> dict[str, Any]:
    """The pieces that variants own or follow in, by name."""
    pieces = {name: getattr(recipe, name) for name in Recipe.model_fields if name not in _ROWS}
    for field, key in _ROWS.items():
        rows = {getattr(row, key): row for row in getattr(recipe, field)}
        pieces |= {f"{field}/{name}": row for name, row in rows.items()}
        if field != "feeds":  # these have an order of their own
            pieces[field] = tuple(rows)
    return pieces


def _assembled(pieces: Mapping[str, Any], spare: Mapping[str, Any]) -> Recipe:
    """The recipe made of some pieces, and of the patterns that they need out of `spare`."""
    fields = {name: value for name, value in pieces.items() if name not in _ROWS and "/" not in name}
    rows = {field: [row for name, row in pieces.items() if name.startswith(f"{field}/")] for field in _ROWS}
    known = {p.id: p for p in rows["patterns"]}
    old = {row.id: row for name, row in spare.items() if name.startswith("patterns/")}
    wanted = [row.pattern for row in rows["feeds"] + rows["relief"]] + [i for p in known.values() for i in p.used()]
    wanted += [row.mask for row in rows["overlays"] if row.mask_of == "material" and row.mask is not None]
    for pattern in needed([i for i in wanted if i not in known], old | known):
        known.setdefault(pattern.id, pattern)
    rows["patterns"] = list(known.values())
    for field in ("patterns", "relief", "overlays"):
        order = {name: place for place, name in enumerate(pieces.get(field, ()))}
        rows[field].sort(key=lambda row, order=order: order.get(row.id, len(order)))
    return Recipe(**fields, **{field: tuple(found) for field, found in rows.items()})
