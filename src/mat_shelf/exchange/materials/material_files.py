"""Materials made elsewhere: MaterialX, the materials of a GLB, texture sets in folders and zips, swatches.

What comes from elsewhere is read in a process of its own.
"""

import tempfile
import zipfile
from collections.abc import Callable
from pathlib import Path, PurePosixPath

import mat_shelf.patterns  # noqa: F401  its steps are kinds that recipes may hold
from mat_shelf.document.ids import name_from, new_id
from mat_shelf.document.image import ImageRef
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.swatch import Swatch
from mat_shelf.exchange.image_decoding import ImageError, map_kind
from mat_shelf.exchange.image_reading import read_map
from mat_shelf.exchange.materials.materialx_reader import ReadMaterials, read_materialx
from mat_shelf.exchange.materials.materialx_tree import MaterialxError
from mat_shelf.exchange.models.beside import PartFaultError, read_beside
from mat_shelf.exchange.models.import_process import import_model
from mat_shelf.exchange.models.mesh_glb import digest
from mat_shelf.exchange.models.read_model import LARGEST_IMAGE, MOST_IMAGE_BYTES
from mat_shelf.exchange.models.texturing import UPRIGHT, without_images
from mat_shelf.exchange.picture_memory import most_picture_bytes
from mat_shelf.exchange.swatch_file import SWATCH_ENDING, open_swatch, swatch_pictures
from mat_shelf.exchange.texture_set import recognised, with_set
from mat_shelf.geometry.mesh import MeshError
from mat_shelf.patterns.mipmap import Mipmap
from mat_shelf.system.bounded import FaultError, LimitError, Limits, run_bounded

MATERIAL_ENDINGS = (".mtlx", ".glb", ".gltf", ".usdz", ".usda", ".usdc", ".usd", ".zip", SWATCH_ENDING)
IMAGE_ENDINGS = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".exr", ".webp", ".psd")
_MOST_FILES = 2000
_LIMITS = Limits(2 << 30, 4 << 30, 60.0)


class MaterialFileError(ValueError):
    """A file that no material comes out of; the message says why."""


def read_material_file(path: Path, progress: Callable[[str], bool] = lambda text: True) -> ReadMaterials:
    """Materials of a file or a folder.

    Parameters
    ----------
    path : Path
        A ``.mtlx``, a GLB, glTF or USD whose materials are meant, a ``.swatch``, a zip or a folder of any of those or
        of the images of one surface.
    progress : callable (str) -> bool
        Told what is done now; False cancels.

    Returns
    -------
    ReadMaterials
        Its images can be decoded, all of them.

    Raises
    ------
    MaterialFileError
        If there is none; the message says why.
    InterruptedError
        If `progress` said so.
    """
    try:
        if path.is_dir():
            return _in_folder(path, path.name, progress)
        if path.suffix.lower() == ".zip":
            with tempfile.TemporaryDirectory() as folder:
                unpack(path, Path(folder))
                return _in_folder(Path(folder), path.stem, progress)
        return _checked(_of_file(path, progress), path.name)
    except OSError as fault:
        raise MaterialFileError(f"{path.name} cannot be read: {fault.strerror or fault}") from None


def swatches_of(found: ReadMaterials) -> list[Swatch]:
    """Materials as swatches, each filed under its likeliest family.

    Parameters
    ----------
    found : ReadMaterials
        Materials of a file.

    Returns
    -------
    list of Swatch
    """
    return [
        Swatch(id=new_id("swatch"), name=name, family=likely_family(recipe), recipe=recipe)
        for name, recipe in found.materials
    ]


def likely_family(recipe: Recipe) -> str:
    """The family that a recipe is likeliest of.

    Parameters
    ----------
    recipe : Recipe
        The recipe.

    Returns
    -------
    str
    """
    if recipe.base_metalness > 0.5:
        return "Metal"
    if recipe.transmission_weight > 0.5:
        return "Liquid" if recipe.contact == "wet" else "Glass"
    if recipe.emission_luminance > 0:
        return "Light"
    if recipe.subsurface_weight > 0.5:
        return "Wax and soft"
    return "Leather and cloth" if recipe.fuzz_weight > 0.3 else "Plastic"


def _of_file(path: Path, progress) -> ReadMaterials:
    ending = path.suffix.lower()
    if ending == SWATCH_ENDING:
        swatch = open_swatch(path)
        return ReadMaterials([(swatch.name, swatch.recipe)], swatch_pictures(path))
    if ending == ".mtlx":
        try:
            read = run_bounded(_read, str(path), limits=_LIMITS, progress=progress)
        except FaultError as fault:
            words = str(fault) if fault.kind == MaterialxError.__name__ else "it seems damaged"
            raise MaterialFileError(f"{path.name} cannot be read: {words}") from None
        except LimitError as fault:
            raise MaterialFileError(f"{path.name} could not be read: {fault}; simplify it") from None
        materials = [(name, Recipe.model_validate(value)) for name, value in read["materials"]]
        return ReadMaterials(materials, read["images"], read["notes"])
    if ending in MATERIAL_ENDINGS:
        try:
            model = import_model(path, progress)
        except MeshError as fault:
            raise MaterialFileError(str(fault)) from None
        return ReadMaterials(list(model.materials.items()), model.images, model.notes)
    raise MaterialFileError(f"{path.name} is none of {', '.join(e[1:].upper() for e in MATERIAL_ENDINGS)}")


def _read(name: str) -> dict:
    """In the other process: the materials of a ``.mtlx`` as what can be sent."""
    path, found = Path(name), ReadMaterials()
    kept: dict[str, ImageRef | None] = {}

    def image(file: str) -> ImageRef | None:
        if file not in kept:
            kept[file] = _kept_image(path, file, found)
        return kept[file]

    read_materialx(path.read_bytes(), image, found)
    materials = [(name, recipe.model_dump()) for name, recipe in found.materials]
    return {"materials": materials, "images": found.images, "notes": found.notes}


def _kept_image(path: Path, file: str, found: ReadMaterials) -> ImageRef | None:
    try:
        data = read_beside(path, file, LARGEST_IMAGE)
        kind = map_kind(data)
    except (PartFaultError, ImageError) as fault:
        found.note(f"image left out: {fault}")
        return None
    if sum(map(len, found.images.values())) + len(data) > MOST_IMAGE_BYTES:
        found.note("images left out: they are too large together")
        return None
    found.images[digest(data)] = data
    name = name_from(file.replace("\\", "/").rpartition("/")[2], "Image")
    return ImageRef(name=name, digest=digest(data), kind=kind)


def _checked(found: ReadMaterials, name: str) -> ReadMaterials:
    """Without the images that cannot be decoded."""
    if not found.materials:
        raise MaterialFileError(f"{name} has no materials")
    bad = set()
    for key, data in found.images.items():
        try:
            read_map(data)
        except ImageError as fault:
            bad.add(key)
            found.note(f"an image left out: {fault}")
    found.materials = [(title, without_images(recipe, bad)) for title, recipe in found.materials]
    found.images = {key: data for key, data in found.images.items() if key not in bad}
    return found


def _in_folder(folder: Path, name: str, progress) -> ReadMaterials:
    """Materials of all files in a folder that have any; else its images as one texture set."""
    files = sorted(path for path in folder.rglob("*") if path.is_file() and not path.is_symlink())[:_MOST_FILES]
    found, faults = ReadMaterials(), []
    pictures = [path for path in files if path.suffix.lower() in IMAGE_ENDINGS]
    for path in files:
        if path.suffix.lower() in (".mtlx", SWATCH_ENDING) or path.suffix.lower() in (".glb", ".gltf", ".usdz"):
            if not progress(path.name):
                raise InterruptedError("cancelled")
            try:
                one = _checked(_of_file(path, progress), path.name)
            except MaterialFileError as fault:
                faults.append(fault)
                found.note(f"left out: {fault}")
                continue
            if path.suffix.lower() not in (".mtlx", SWATCH_ENDING) and pictures and not one.images:
                continue  # meshes that the images beside it are for
            found.materials += one.materials
            found.images |= one.images
            for line in one.notes:
                found.note(line)
    if found.materials:
        return found
    if not pictures:
        raise MaterialFileError(str(faults[0]) if faults else f"{name} holds no materials and no images")
    return _texture_set(pictures, name, found, progress)


def _texture_set(files: list[Path], name: str, found: ReadMaterials, progress) -> ReadMaterials:
    taken = []
    for path in files:
        if not progress(path.name):
            raise InterruptedError("cancelled")
        data = path.read_bytes() if path.stat().st_size <= LARGEST_IMAGE else b""
        try:
            kind, pyramid = map_kind(data), Mipmap(read_map(data), most_picture_bytes())
        except ImageError as fault:
            found.note(f"image '{path.name}' left out: {fault}")
            continue
        one = recognised(ImageRef(name=name_from(path.name, "Image"), digest=digest(data), kind=kind), pyramid)
        if one.role == "none" or any(other.role == one.role for other in taken):
            found.note(f"image '{path.name}' left out: {one.reason or 'there is another one of its kind'}")
            continue
        taken.append(one)
        found.images[digest(data)] = data
    recipe = with_set(Recipe(), taken, UPRIGHT)
    if not recipe.patterns:
        raise MaterialFileError(f"none of the images in {name} is one of a texture set")
    found.materials.append((name_from(name.replace("_", " "), "Material"), recipe))
    return found


def unpack(path: Path, folder: Path) -> None:
    """Unpacks a zip as far as it is of use, by plain names within a folder. Raises MaterialFileError.

    Parameters
    ----------
    path : Path
        The zip.
    folder : Path
        Folder that it is unpacked into.
    """
    wanted, total = (*IMAGE_ENDINGS, *MATERIAL_ENDINGS, ".bin"), 0
    try:
        with zipfile.ZipFile(path) as package:
            infos = [info for info in package.infolist() if not info.is_dir()]
            if len(infos) > _MOST_FILES:
                raise MaterialFileError(f"{path.name} has more than {_MOST_FILES:,} files")
            for info in infos:
                inner = PurePosixPath(info.filename.replace("\\", "/"))
                if inner.suffix.lower() not in wanted or inner.is_absolute() or ".." in inner.parts:
                    continue
                total += info.file_size
                if info.file_size > LARGEST_IMAGE or total > MOST_IMAGE_BYTES:
                    raise MaterialFileError(
                        f"{path.name} unpacks to more than it may; unpack it and take what you need"
                    )
                target = folder.joinpath(*inner.parts)
                target.parent.mkdir(parents=True, exist_ok=True)
                with package.open(info) as source:
                    data = source.read(info.file_size + 1)
                if len(data) != info.file_size:
                    raise MaterialFileError(f"{path.name} is damaged: a file in it is not as long as it says")
                target.write_bytes(data)
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError, ValueError) as fault:
        if isinstance(fault, MaterialFileError):
            raise
        raise MaterialFileError(f"{path.name} is no zip, or it is damaged") from None
