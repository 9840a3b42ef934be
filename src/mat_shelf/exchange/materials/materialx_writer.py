"""Materials as MaterialX: OpenPBR surfaces with their patterns as standard nodes, or with baked maps beside.

References
----------
MaterialX 1.39 specification; OpenPBR Surface 1.1, whose inputs have the names of ours. Depths, radii and heights are
millimetres, as in the recipes; a surface's film is micrometres.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from pathlib import Path

import numpy as np

from mat_shelf.document.image import ImageRef
from mat_shelf.document.material import Material
from mat_shelf.document.pattern import Relief
from mat_shelf.document.recipe import Overlay, Recipe
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.image_writing import png_bytes
from mat_shelf.exchange.materials.flat_product import FlatMaterial, FlatProduct
from mat_shelf.exchange.materials.materialx_document import Document, Graph, Typed, Wire
from mat_shelf.exchange.materials.materialx_patterns import NoNodeError, PatternNodes, image_node
from mat_shelf.exchange.materials.openpbr import INPUTS
from mat_shelf.exchange.models.texturing import NORMAL_HEIGHT
from mat_shelf.optics.color import encode_srgb
from mat_shelf.patterns.evaluation import evaluate
from mat_shelf.patterns.points import flat_points
from mat_shelf.patterns.step import PatternContext
from mat_shelf.system.file_writer import write_file

SHEET = 100.0
"""mm that the UVs from 0 to 1 stand for, where a pattern without nodes becomes an image."""
_ABOUT = "OpenPBR surfaces. Depths, radii and heights are in millimetres, thin films in micrometres."


class MaterialxWriter:
    """A document with its images.

    Parameters
    ----------
    path : Path
        The ``.mtlx``; images go into a folder beside it that is called after it.
    assets : Assets
        Files of the project.
    size : int
        Texels along a side of images that patterns are baked to.

    Attributes
    ----------
    notes : list of str
        What is not the same there.
    """

    def __init__(self, path: Path, assets: Assets, size: int = 1024):
        self.path, self.assets, self.size = path, assets, size
        self.document = Document(_ABOUT)
        self.notes: list[str] = []
        self._files: dict[str, bytes] = {}
        self._images: dict[str, str] = {}
        self._flat: list[tuple[FlatMaterial, str]] = []

    def note(self, text: str) -> None:
        """Notes something once.

        Parameters
        ----------
        text : str
            One line.
        """
        if text not in self.notes:
            self.notes.append(text)

    def add_material(self, material: Material) -> str:
        """Adds a material with its patterns as nodes.

        Parameters
        ----------
        material : Material
            The material.

        Returns
        -------
        str
            Its name in the document.
        """
        recipe = material.recipe
        graph = self.document.graph(f"{material.name} patterns")
        shader = self._shader(material.name, recipe, graph)
        for overlay in recipe.shown_overlays():
            shader = self._overlaid(shader, recipe, overlay, graph)
        if graph.is_empty:
            graph.drop()
        return self._surface(material.name, shader)

    def add_flat(self, flat: FlatMaterial) -> str:
        """Adds a flat material with its maps as images.

        Parameters
        ----------
        flat : FlatMaterial
            The material.

        Returns
        -------
        str
            Its name in the document.
        """
        known = next((name for other, name in self._flat if other.is_same(flat)), None)
        if known is None:
            graph = self.document.graph(f"{flat.name} maps")
            inputs = self._constants(flat.recipe)
            for name, values in flat.maps.items():
                if name in INPUTS:
                    inputs[name] = self._map(graph, flat.name, name, values)
            if "normal" in flat.maps:
                shown = self._image(graph, flat.name, "normal", (flat.maps["normal"] + 1) / 2, False, "vector3")
                inputs["geometry_normal"] = graph.output("normal", graph.add("normalmap", "vector3", {"in": shown}))
            if graph.is_empty:
                graph.drop()
            shader = self.document.node("open_pbr_surface", "surfaceshader", f"{flat.name} surface", inputs)
            known = self._surface(flat.name, shader)
            self._flat.append((flat, known))
        return known

    def add_look(self, product: FlatProduct) -> None:
        """Adds a look that says which part wears what, by the names of the parts.

        Parameters
        ----------
        product : FlatProduct
            The product; its materials are added as far as they are not.
        """
        look: list[tuple[str, str]] = []
        for part in product.parts:
            for (_, flat), zone in zip(part.worn, part.zones, strict=True):
                if flat is not None:
                    look.append((f"{part.part.name}/{zone}" if zone else part.part.name, self.add_flat(flat)))
        self.document.look("product", look)

    def save(self) -> list[Path]:
        """Writes the document and its images; older ones there stay whole until the new ones are. Raises OSError.

        Returns
        -------
        list of Path
        """
        folder = self.path.with_name(f"{self.path.stem}_maps")
        written = []
        for name, data in self._files.items():
            folder.mkdir(parents=True, exist_ok=True)
            write_file(folder / name, data)
            written.append(folder / name)
        write_file(self.path, self.document.text())
        return [self.path, *written]

    def _surface(self, name: str, shader: str) -> str:
        return self.document.node("surfacematerial", "material", name, {"surfaceshader": Wire(shader, "surfaceshader")})

    def _constants(self, recipe: Recipe) -> dict[str, object]:
        """Inputs that differ from the standard's own values."""
        usual = Recipe()
        return {name: getattr(recipe, name) for name in INPUTS if getattr(recipe, name) != getattr(usual, name)}

    def _shader(self, name: str, recipe: Recipe, graph: Graph) -> str:
        """A surface with its fed inputs and its relief."""
        inputs = self._constants(recipe)
        nodes = PatternNodes(graph, recipe, self._file_of, self.note)
        for feed in recipe.feeds:
            if feed.amount > 0 and feed.input in INPUTS:
                wire = self._fed(nodes, recipe, feed.pattern, lambda feed=feed: nodes.feed(feed), feed)
                inputs[feed.input] = graph.output(self.document.free_name(f"{name} {feed.input}"), wire)
        normal = self._relief(nodes, recipe, graph)
        if normal is not None:
            output = graph.output(self.document.free_name(f"{name} normal"), normal)
            inputs["geometry_normal"] = inputs["geometry_coat_normal"] = output
        return self.document.node("open_pbr_surface", "surfaceshader", f"{name} surface", inputs)

    def _overlaid(self, below: str, recipe: Recipe, overlay: Overlay, graph: Graph) -> str:
        """A surface with an overlay over it: an exact mixture of both by the mask."""
        shader = self._shader(overlay.name, overlay.recipe, graph)
        share: object = float(overlay.amount * recipe.age)
        if overlay.mask is not None:
            owner = overlay.recipe if overlay.mask_of == "overlay" else recipe
            nodes = PatternNodes(graph, owner, self._file_of, self.note)
            mask = nodes.grey(self._fed(nodes, owner, overlay.mask, lambda: nodes.of(overlay.mask)))
            if share != 1:
                mask = graph.add("multiply", "float", {"in1": mask, "in2": share})
            share = graph.output(self.document.free_name(f"{overlay.name} mask"), mask)
        if overlay.relief == "adds" and any(row.is_on and row.height for row in recipe.relief):
            self.note(f"overlay '{overlay.name}' does not show the relief below it")
        inputs = {"fg": Wire(shader, "surfaceshader"), "bg": Wire(below, "surfaceshader"), "mix": share}
        return self.document.node("mix", "surfaceshader", f"{overlay.name} over", inputs)

    def _fed(self, nodes: PatternNodes, recipe: Recipe, pattern_id: str, made: Callable[[], Wire], feed=None) -> Wire:
        """Nodes of a pattern, or an image of it where the standard has none."""
        try:
            return made()
        except NoNodeError as fault:
            pattern = recipe.pattern(pattern_id)
            self.note(f"'{pattern.name}' became an image of {SHEET:g} mm along the UVs from 0 to 1: {fault}")
            nodes.stand_in(pattern_id, self._baked(nodes.graph, recipe, pattern_id))
            return nodes.feed(feed) if feed is not None else nodes.of(pattern_id)

    def _baked(self, graph: Graph, recipe: Recipe, pattern_id: str) -> Wire:
        pattern = recipe.pattern(pattern_id)
        context = PatternContext({p.id: p for p in recipe.patterns}, self.assets.pictures)
        values = evaluate(pattern, flat_points(SHEET, self.size, self.size), context)
        values = values.reshape(self.size, self.size, *values.shape[1:])
        is_color = values.ndim == 3
        return self._image(graph, pattern.name, "", values, is_color, "color3" if is_color else "float")

    def _relief(self, nodes: PatternNodes, recipe: Recipe, graph: Graph) -> Wire | None:
        normal: Wire | None = None
        for row in recipe.relief:
            if row.is_on and row.height:
                below = {} if normal is None else {"normal": normal}
                wire = self._fed(nodes, recipe, row.pattern, lambda row=row: nodes.of(row.pattern))
                normal = self._bent(graph, row, nodes, wire, below)
        return normal

    def _bent(self, graph: Graph, row: Relief, nodes: PatternNodes, wire: Wire, below: dict) -> Wire:
        if row.kind == "height":
            return graph.add("bump", "vector3", {"height": nodes.grey(wire), "scale": row.height, **below})
        wire = graph.add("convert", "vector3", {"in": wire})
        if row.kind == "normal, green down":
            wire = graph.add("multiply", "vector3", {"in1": wire, "in2": Typed((1.0, -1.0, 1.0), "vector3")})
            wire = graph.add("add", "vector3", {"in1": wire, "in2": Typed((0.0, 1.0, 0.0), "vector3")})
        return graph.add("normalmap", "vector3", {"in": wire, "scale": row.height / NORMAL_HEIGHT, **below})

    def _map(self, graph: Graph, name: str, key: str, values: np.ndarray) -> Wire:
        """A baked input; one whose numbers go beyond 1 is an image of shares, scaled."""
        is_color = values.ndim == 3
        most = 1.0 if is_color else float(max(values.max(), 1.0))
        wire = self._image(graph, name, key, values / most, is_color, "color3" if is_color else "float")
        if most > 1:
            wire = graph.add("multiply", "float", {"in1": wire, "in2": most})
        return graph.output(key, wire)

    def _image(self, graph: Graph, name: str, key: str, values: np.ndarray, is_color: bool, kind: str) -> Wire:
        values = np.clip(values, 0, 1)
        if is_color:
            pixels = np.round(encode_srgb(values) * 255).astype(np.uint8)
        else:
            pixels = np.round(values * 65535).astype(np.uint16)
        file = _file_name(f"{name} {key}".strip(), self._files) + ".png"
        self._files[file] = png_bytes(pixels)
        uv = graph.add("texcoord", "vector2", {"index": Typed(0, "integer")})
        return image_node(graph, self._path(file), kind, is_color, {"texcoord": uv}, f"{name} {key}".strip())

    def _file_of(self, image: ImageRef) -> str:
        stem, _, _ = image.name.rpartition(".")
        if image.digest not in self._images:
            file = f"{_file_name(stem or image.name, self._files)}.{image.kind}"
            if self.assets.holds(image.digest):
                self._files[file] = self.assets.data(image.digest)
            else:
                self.note(f"image '{image.name}' is missing")
            self._images[image.digest] = file
        return self._path(self._images[image.digest]).value

    def _path(self, file: str) -> Typed:
        return Typed(f"{self.path.stem}_maps/{file}", "filename")


def write_materials(
    path: Path, materials: Iterable[Material], assets: Assets, size: int = 1024
) -> tuple[list[Path], list[str]]:
    """Writes materials by themselves, their patterns as nodes.

    Parameters
    ----------
    path : Path
        The ``.mtlx``.
    materials : iterable of Material
        The materials.
    assets : Assets
        Files that their patterns show.
    size : int
        Texels along a side of images that patterns without nodes become.

    Returns
    -------
    written : list of Path
    notes : list of str

    Raises
    ------
    OSError
        If a file cannot be written.
    """
    writer = MaterialxWriter(path, assets, size)
    for material in materials:
        writer.add_material(material)
    return writer.save(), writer.notes


def notes_on(materials: Iterable[Material], assets: Assets) -> list[str]:
    """Differences of materials that are written with their patterns as nodes.

    Parameters
    ----------
    materials : iterable of Material
        The materials.
    assets : Assets
        Files that their patterns show.

    Returns
    -------
    list of str
    """
    writer = MaterialxWriter(Path("notes.mtlx"), assets, size=4)
    for material in materials:
        writer.add_material(material)
    return writer.notes


def write_product(path: Path, product: FlatProduct, assets: Assets) -> tuple[list[Path], list[str]]:
    """Writes the materials of a product with baked maps, and which part wears which.

    Parameters
    ----------
    path : Path
        The ``.mtlx``.
    product : FlatProduct
        The product.
    assets : Assets
        Files of the project.

    Returns
    -------
    written : list of Path
    notes : list of str

    Raises
    ------
    OSError
        If a file cannot be written.
    """
    writer = MaterialxWriter(path, assets)
    writer.add_look(product)
    return writer.save(), [*product.notes, *writer.notes]


def _file_name(wanted: str, taken: Mapping[str, bytes] | Sequence[str]) -> str:
    base = "".join(c if c.isalnum() or c in "-_" else "_" for c in wanted)[:80].strip("_") or "image"
    stems, name, count = {file.rpartition(".")[0] for file in taken}, base, 2
    while name in stems:
        name, count = f"{base}_{count}", count + 1
    return name
