"""Exports that a session offers: the product, some parts, materials, swatches of the library."""

from collections.abc import Callable, Sequence
from typing import NamedTuple

from mat_shelf.commands.session import Session
from mat_shelf.document.material import Material
from mat_shelf.document.project import Project
from mat_shelf.document.swatch import Swatch
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.exporting import with_material_alone, with_parts_alone
from mat_shelf.exchange.image_decoding import ImageError


class ExportItem(NamedTuple):
    """One file of an export.

    Attributes
    ----------
    name : str
        For the file.
    project : Project
        What is exported.
    assets : Assets
        Its files.
    """

    name: str
    project: Project
    assets: Assets


class ExportSubject(NamedTuple):
    """A choice of what to export.

    Attributes
    ----------
    label : str
        For the user.
    takes : {"product", "parts", "material"}
    items : callable () -> list of ExportItem
        Its files; several go into one folder.
    count : int
        How many there are.
    """

    label: str
    takes: str
    items: Callable[[], list[ExportItem]]
    count: int = 1


def export_subjects(session: Session, materials: Sequence[Material] = ()) -> list[ExportSubject]:
    """Subjects of an export, the likeliest first.

    Parameters
    ----------
    session : Session
        The session.
    materials : sequence of Material
        Materials that were pointed at; otherwise that of the selected part is offered last.

    Returns
    -------
    list of ExportSubject
    """
    project, assets = session.project, session.assets
    subjects = [ExportSubject("Whole product", "product", lambda: [ExportItem(project.name, project, assets)])]
    ids = [i for i in (session.selected, *session.also_selected) if i is not None]
    if ids:
        names = [project.part(i).name for i in ids]
        label = f"Part: {names[0]}" if len(ids) == 1 else f"{len(ids)} selected parts"
        name = names[0] if len(ids) == 1 else f"{project.name} parts"
        subjects.append(
            ExportSubject(label, "parts", lambda: [ExportItem(name, with_parts_alone(project, ids), assets)])
        )
    worn = session.selected_material
    shown = list(materials) or ([worn] if worn is not None else [])
    if shown:
        label = f"Material: {shown[0].name}" if len(shown) == 1 else f"{len(shown)} materials"
        made = ExportSubject(label, "material", lambda: _items(session, shown, assets), len(shown))
        subjects = [made, *subjects] if materials else [*subjects, made]
    return subjects


def swatch_subjects(session: Session, swatches: Sequence[Swatch]) -> list[ExportSubject]:
    """Swatches of the library as a choice of what to export.

    Parameters
    ----------
    session : Session
        The session.
    swatches : sequence of Swatch
        Swatches that are materials.

    Returns
    -------
    list of ExportSubject
    """
    label = f"Swatch: {swatches[0].name}" if len(swatches) == 1 else f"{len(swatches)} swatches"

    def _found() -> list[ExportItem]:
        materials = [Material(id=s.id, name=s.name, family=s.family, recipe=s.recipe) for s in swatches]
        held = Assets()
        for swatch in swatches:
            for data in session.pictures_of(swatch).values():
                try:
                    held.add_map(data)
                except ImageError as fault:
                    session.said.emit(f"An image of {swatch.name} was left out: {fault}.")
        return _items(session, materials, held)

    return [ExportSubject(label, "material", _found, len(swatches))]


def _items(session: Session, materials: Sequence[Material], assets: Assets) -> list[ExportItem]:
    return [ExportItem(m.name, *with_material_alone(session.project, m, assets)) for m in materials]
