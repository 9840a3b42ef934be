"""Exchanging a product for its next version: materials, zones and places go back to where they belong."""

from dataclasses import dataclass

import numpy as np

from mat_shelf.document.ids import free_name
from mat_shelf.document.material import Material
from mat_shelf.document.product import Part, Product, Zone
from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.geometry.cad_faces import face_features, face_numbers
from mat_shelf.geometry.part_matching import match_parts, shape_of, transfer_labels
from mat_shelf.geometry.pose import posed

_SAME_FACE = 0.02
"""Part of the largest by which middles and sizes of CAD faces that are laid out anew may differ."""


@dataclass(frozen=True)
class ModelUpdate:
    """Outcome of an update for the parts, by name."""

    by_name: list[str]
    by_shape: list[tuple[str, str]]
    new: list[str]
    gone: list[str]

    def words(self) -> str:
        """Message for the user.

        Returns
        -------
        str
        """
        said = [f"{len(self.by_name)} found by name"]
        if self.by_shape:
            said.append("by shape: " + ", ".join(f"{new} as {old}" for old, new in self.by_shape))
        said.append("new: " + ", ".join(self.new) if self.new else "nothing new")
        said.append("removed: " + ", ".join(self.gone) if self.gone else "nothing removed")
        return "; ".join(said) + "."


def update_model(
    project: Project, assets: Assets, product: Product, materials: tuple[Material, ...]
) -> tuple[Project, ModelUpdate]:
    """The project with another product.

    Parts that are found again keep their id, place, name of their own, material and zones; the others come as they are.

    Parameters
    ----------
    project : Project
        The project.
    assets : Assets
        Those of both products.
    product : Product
        As `product_import.product_of` made it.
    materials : tuple of Material
        Materials.

    Returns
    -------
    tuple[Project, ModelUpdate]
    """
    old, new = project.product.parts, product.parts
    old_shapes = [shape_of(assets.meshes[part.mesh]) for part in old]
    new_shapes = [shape_of(assets.meshes[part.mesh]) for part in new]
    by_name, by_shape = match_parts([p.name for p in old], old_shapes, [p.name for p in new], new_shapes)
    by_shape = {a: b for a, b in by_shape.items() if not old[b].is_derived}
    pairs = by_name | by_shape
    # What is new stands as its file says beside parts that were found again, so it takes the place of one of those.
    stand = old[next(iter(pairs.values()))].pose if pairs else None
    taken = {old[k].name for k in pairs.values()}
    parts = []
    for place, part in enumerate(new):
        if place in pairs:
            parts.append(_carried(old[pairs[place]], part, assets))
        else:
            name = free_name(part.name, taken)
            taken.add(name)
            parts.append(part.with_(name=name, pose=stand or part.pose))
    # Liquids and drops stay in and on what takes the place of their vessels.
    parts += [part for place, part in enumerate(old) if part.is_derived and place not in pairs.values()]
    used = {i for part in parts for i in part.worn()}
    known = {m.id for m in project.materials}
    names = {m.name for m in project.materials}
    for material in materials:
        if material.id in used and material.id not in known:
            name = free_name(material.name, names)
            names.add(name)
            project = project.with_material(material.with_(name=name))
    told = ModelUpdate(
        [old[k].name for k in by_name.values()],
        [(old[b].name, new[a].name) for a, b in by_shape.items()],
        [new[k].name for k in range(len(new)) if k not in pairs],
        [old[k].name for k in range(len(old)) if k not in pairs.values() and not old[k].is_derived],
    )
    unit = project.product.unit if pairs else product.unit
    origin = {name: getattr(product, name) for name in ("source", "source_modified", "fineness")}
    return project.with_(product=project.product.with_(parts=tuple(parts), unit=unit, **origin)), told


def _carried(old: Part, new: Part, assets: Assets) -> Part:
    """The old part with the new mesh, its zones laid on that."""
    if new.mesh == old.mesh:
        return old
    if old.is_derived:
        return old.with_(mesh=new.mesh)
    zones: tuple[Zone, ...] = ()
    if old.zones:
        labels = _carried_labels(old, new, [zone.faces for zone in old.zones], assets)
        zones = tuple(
            zone.with_(faces=assets.add_faces(np.flatnonzero(labels == number)))
            for number, zone in enumerate(old.zones)
            if (labels == number).any()
        )
    regions = [np.flatnonzero(_carried_labels(old, new, [region], assets) == 0) for region in old.hard_regions]
    hard = tuple(assets.add_faces(faces) for faces in regions if len(faces))
    return old.with_(mesh=new.mesh, zones=zones, cad_faces=new.cad_faces, hard_regions=hard)


def _carried_labels(old: Part, new: Part, lists: list[str], assets: Assets) -> np.ndarray:
    """Place in a list of lists of faces that each face of a new mesh lies in, (T,) int; -1 for none."""
    before, after = assets.meshes[old.mesh], assets.meshes[new.mesh]
    known = np.full(len(before.triangles), -1)
    for number, faces in enumerate(lists):
        known[assets.faces[faces]] = number
    labels = _labels_by_face(old, new, known, assets, len(after.triangles))
    if labels is None:
        labels = transfer_labels(posed(before, old.pose), known, posed(after, old.pose))
    return labels


def _labels_by_face(old: Part, new: Part, labels: np.ndarray, assets: Assets, count: int) -> np.ndarray | None:
    """Labels of whole CAD faces, on the same faces in other triangles; None where the faces are others, or were cut."""
    if old.cad_faces is None or new.cad_faces is None:
        return None
    first, there = assets.faces[old.cad_faces], assets.faces[new.cad_faces]
    if len(first) != len(there) or (labels != labels[first][face_numbers(first, len(labels))]).any():
        return None
    numbers = face_numbers(there, count)
    before = face_features(assets.meshes[old.mesh], face_numbers(first, len(labels)))
    after = face_features(assets.meshes[new.mesh], numbers)
    if np.abs(after - before).max() > _SAME_FACE * np.abs(before).max():
        return None  # as many faces as before, of another body
    return labels[first][numbers]
