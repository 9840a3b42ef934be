"""Set packages, ``.set``: `set.json` and the images and light distributions of a set in a zip."""

from pathlib import Path

from mat_shelf.document.material import Material
from mat_shelf.document.migration import with_tone_curve
from mat_shelf.document.parameter import Frozen, number
from mat_shelf.document.set import Set
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.image_reading import ImageError
from mat_shelf.exchange.light_distribution import DistributionError
from mat_shelf.exchange.models.mesh_glb import digest
from mat_shelf.exchange.package import PackageError, opened_package, parse, write_package
from mat_shelf.geometry.mesh import MeshError

SET_ENDING, SET_TEXT, SET_SCHEMA = ".set", "set.json", 3


class KeptSet(Frozen):
    """A set outside of projects.

    Attributes
    ----------
    built_for : mm, longest side of the product that it was made for
    material : Material or None
        What its backdrop wears.
    """

    schema_version: int = SET_SCHEMA
    set: Set
    built_for: float = number(290.0, 0.01, 1e7, label="Built for", unit="mm", tip="Longest side of its product.")
    material: Material | None = None


def _migrated(fields: dict) -> dict:
    """The fields of a kept set in the present schema; 1 had exact colours or not, where 2 has tone curves."""
    if fields.get("schema_version") == 1:
        fields = fields | {"schema_version": 2, "set": with_tone_curve(fields.get("set"))}
    return fields | {"schema_version": SET_SCHEMA} if fields.get("schema_version") == 2 else fields


def save_set(path: Path, kept: KeptSet, assets: Assets) -> None:
    """Writes a set package.

    Parameters
    ----------
    path : Path
        File.
    kept : KeptSet
        The set.
    assets : Assets
        Files of the project; missing ones are left out.

    Raises
    ------
    WriteError
        If it cannot be written.
    """
    entries = {SET_TEXT: kept.model_dump_json(indent=1).encode()}
    entries |= {name: assets.data(key) for key, name in _names(kept).items() if assets.holds(key)}
    write_package(Path(path), entries)


def open_set(path: Path) -> tuple[KeptSet, Assets]:
    """Reads a set package.

    Parameters
    ----------
    path : Path
        File.

    Returns
    -------
    tuple[KeptSet, Assets]

    Raises
    ------
    PackageError
        If anything about the file is not right; the message says what.
    """
    path, assets = Path(path), Assets()
    with opened_package(path, "set", SET_TEXT) as read:
        kept = parse(KeptSet, read(SET_TEXT), path, SET_SCHEMA, _migrated)
        room = kept.set.room.digest if kept.set.room is not None else None
        for key, name in _names(kept).items():
            data = read(name)
            if data is None:
                continue  # a light without its image is white; a room that is gone is dropped below
            if digest(data) != key:
                raise PackageError(f"{path.name} is damaged: {name} is not what it was")
            try:
                if name.endswith(".glb"):
                    assets.add_mesh(data)
                elif name.endswith(".ies"):
                    assets.add_distribution(data)
                elif key == room:
                    assets.add_room(data)
                else:
                    assets.add_map(data)
            except (ImageError, DistributionError, MeshError) as fault:
                raise PackageError(f"{path.name} cannot be used: {fault}") from None
    if room is not None and room not in assets.rooms:
        kept = kept.with_(set=kept.set.with_(room=None))
    lights = tuple(
        light.with_(distribution=None) if light.distribution and not assets.holds(light.distribution.digest) else light
        for light in kept.set.lights
    )
    # A prop wears what the project has; without its mesh it is not there.
    props = tuple(p.with_(material=None) for p in kept.set.props if p.mesh is None or p.mesh in assets.meshes)
    return kept.with_(set=kept.set.with_(lights=lights, props=props)), assets


def _names(kept: KeptSet) -> dict[str, str]:
    """Names of the files of a set in its package, by SHA-256."""
    pictures = [kept.set.room] if kept.set.room is not None else []
    pictures += [picture for light in kept.set.lights for picture in light.pictures()]
    pictures += [kept.set.plate.image] if kept.set.plate is not None and kept.set.plate.image else []
    pictures += kept.material.recipe.pictures() if kept.material is not None else []
    files = [light.distribution for light in kept.set.lights if light.distribution is not None]
    named = {picture.digest: f"pictures/{picture.digest}.{picture.kind}" for picture in pictures}
    named |= {prop.mesh: f"meshes/{prop.mesh}.glb" for prop in kept.set.props if prop.mesh is not None}
    return named | {one.digest: f"lights/{one.digest}.ies" for one in files}
