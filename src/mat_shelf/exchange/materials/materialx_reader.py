"""Materials out of MaterialX: OpenPBR, standard surface, glTF PBR and preview surfaces, with what feeds them.

References
----------
MaterialX 1.39 specification; the definitions of the surfaces as its package carries them; OpenPBR Surface 1.1, whose
parameters the others are brought to as its white paper says, where it does.
"""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from mat_shelf.document.ids import name_from, new_id
from mat_shelf.document.image import ImageRef
from mat_shelf.document.pattern import Feed, Relief, needed
from mat_shelf.document.recipe import FEEDABLE, Overlay, Recipe
from mat_shelf.exchange.materials.materialx_nodes import Fed, NodePatterns, NotUnderstoodError
from mat_shelf.exchange.materials.materialx_tree import Connection, MaterialxError, Node, Tree, floats
from mat_shelf.exchange.materials.openpbr import INPUTS
from mat_shelf.exchange.models.gltf_materials import DISPERSION, GLOW
from mat_shelf.exchange.models.texturing import NORMAL_HEIGHT, within
from mat_shelf.optics.color import luminance

SURFACES = ("open_pbr_surface", "standard_surface", "gltf_pbr", "UsdPreviewSurface")
_MOST_MATERIALS = 500
_MM_PER_M = 1000.0
_STANDARD = {
    "base": "base_weight",
    "base_color": "base_color",
    "diffuse_roughness": "base_diffuse_roughness",
    "metalness": "base_metalness",
    "specular": "specular_weight",
    "specular_color": "specular_color",
    "specular_roughness": "specular_roughness",
    "specular_IOR": "specular_ior",
    "specular_anisotropy": "specular_roughness_anisotropy",
    "transmission": "transmission_weight",
    "transmission_color": "transmission_color",
    "transmission_depth": "transmission_depth",
    "transmission_scatter": "transmission_scatter",
    "transmission_scatter_anisotropy": "transmission_scatter_anisotropy",
    "subsurface": "subsurface_weight",
    "subsurface_color": "subsurface_color",
    "subsurface_anisotropy": "subsurface_scatter_anisotropy",
    "sheen": "fuzz_weight",
    "sheen_color": "fuzz_color",
    "sheen_roughness": "fuzz_roughness",
    "coat": "coat_weight",
    "coat_color": "coat_color",
    "coat_roughness": "coat_roughness",
    "coat_anisotropy": "coat_roughness_anisotropy",
    "coat_IOR": "coat_ior",
    "thin_film_IOR": "thin_film_ior",
    "emission_color": "emission_color",
    "opacity": "geometry_opacity",
}
_STANDARD_VALUES = {"base": 0.8, "specular_roughness": 0.2, "coat_roughness": 0.1, "sheen_roughness": 0.3}
_STANDARD_VALUES |= {"coat_IOR": 1.5, "base_color": 1.0, "subsurface_color": 1.0}
_GLTF = {
    "base_color": "base_color",
    "metallic": "base_metalness",
    "roughness": "specular_roughness",
    "transmission": "transmission_weight",
    "specular": "specular_weight",
    "specular_color": "specular_color",
    "ior": "specular_ior",
    "alpha": "geometry_opacity",
    "iridescence": "thin_film_weight",
    "iridescence_ior": "thin_film_ior",
    "sheen_color": "fuzz_color",
    "sheen_roughness": "fuzz_roughness",
    "clearcoat": "coat_weight",
    "clearcoat_roughness": "coat_roughness",
    "emissive": "emission_color",
    "anisotropy_strength": "specular_roughness_anisotropy",
    "attenuation_color": "transmission_color",
}
_GLTF_VALUES = {"base_color": 1.0, "metallic": 1.0, "roughness": 1.0, "iridescence_ior": 1.3, "emissive": 0.0}
_GLTF_VALUES |= {"sheen_color": 0.0, "sheen_roughness": 0.0}
_PREVIEW = {
    "diffuseColor": "base_color",
    "metallic": "base_metalness",
    "roughness": "specular_roughness",
    "clearcoat": "coat_weight",
    "clearcoatRoughness": "coat_roughness",
    "opacity": "geometry_opacity",
    "ior": "specular_ior",
    "emissiveColor": "emission_color",
}
_PREVIEW_VALUES = {"diffuseColor": 0.18, "roughness": 0.5, "clearcoatRoughness": 0.01, "emissiveColor": 0.0}


@dataclass
class ReadMaterials:
    """Materials of one file.

    Attributes
    ----------
    materials : list of (name, Recipe)
    images : dict of bytes by SHA-256
    notes : list of str
        What is not as it was.
    """

    materials: list[tuple[str, Recipe]] = field(default_factory=list)
    images: dict[str, bytes] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)

    def note(self, text: str) -> None:
        """Notes something once.

        Parameters
        ----------
        text : str
            One line.
        """
        if text not in self.notes and len(self.notes) < 100:
            self.notes.append(text)


def read_materialx(data: bytes, image: Callable[[str], ImageRef | None], found: ReadMaterials) -> None:
    """Reads the materials of a document.

    Parameters
    ----------
    data : bytes
        Content of the file.
    image : callable (str) -> ImageRef or None
        Keeps the image of a file that the document names.
    found : ReadMaterials
        Takes materials and notes.

    Raises
    ------
    MaterialxError
        If there is none that can be used; the message says why.
    """
    tree = Tree(data)
    shaders: list[tuple[str, Node]] = []
    for material in [*tree.nodes("surfacematerial"), *tree.nodes("material", "material")]:
        connected = tree.input(material, "surfaceshader")
        if isinstance(connected, Connection):
            shaders.append((material.name, connected.node))
    if not shaders:  # a surface without a material is one all the same
        shaders = [(node.name, node) for kind in SURFACES for node in tree.nodes(kind)]
    if len(shaders) > _MOST_MATERIALS:
        raise MaterialxError(f"it has more than {_MOST_MATERIALS} materials")
    for name, shader in shaders:
        shown = name_from(name.replace("_", " "), "Material")
        try:
            found.materials.append((shown, _Surface(tree, shown, image, found.note).recipe(shader)))
        except NotUnderstoodError as fault:
            found.note(f"'{shown}' left out: {fault}")
    if not found.materials:
        why = f": {found.notes[0]}" if found.notes else ""
        raise MaterialxError(f"it has no material that is understood{why}")


class _Surface:
    """One material on its way to a recipe."""

    def __init__(self, tree: Tree, name: str, image, note):
        self.tree, self.name = tree, name
        self._image, self._note = image, note

    def recipe(self, shader: Node, depth: int = 0) -> Recipe:
        """The recipe of a surface, with those that are mixed over it as overlays."""
        if depth > 32:
            raise NotUnderstoodError("more than 32 surfaces over each other")
        if shader.category == "mix" and shader.kind == "surfaceshader":
            return self._mixture(shader, depth)
        readers = {
            "open_pbr_surface": self._open_pbr,
            "standard_surface": self._standard,
            "gltf_pbr": self._gltf,
            "UsdPreviewSurface": self._preview,
        }
        if shader.category not in readers:
            raise NotUnderstoodError(f"its surface is {shader.category[:60]}, which is not read")
        self.nodes = NodePatterns(self.tree, self._image, self.note)
        self.feeds: dict[str, Fed] = {}
        self.values: dict[str, object] = {}
        self.relief: list[Relief] = []
        readers[shader.category](shader)
        return self._assembled()

    def note(self, text: str) -> None:
        """Notes something about this material."""
        self._note(f"'{self.name}': {text}")

    def _mixture(self, shader: Node, depth: int) -> Recipe:
        below, over = self.tree.input(shader, "bg"), self.tree.input(shader, "fg")
        if not isinstance(below, Connection) or not isinstance(over, Connection):
            raise NotUnderstoodError("a mixture of fewer than two surfaces")
        base, recipe = self.recipe(below.node, depth + 1), self.recipe(over.node, depth + 1)
        if recipe.overlays:
            self.note("overlays of an overlay are left out")
            recipe = recipe.with_(overlays=())
        nodes, mask, amount = NodePatterns(self.tree, self._image, self.note), None, 1.0
        share = self.tree.input(shader, "mix")
        if isinstance(share, Connection):
            try:
                fed = nodes.fed(share)
                amount = float(np.clip(fed.high.max(), 0, 1))
                mask = fed.pattern
            except NotUnderstoodError as fault:
                self.note(f"{fault} is not understood as a mask; it lies all over by half")
                amount = 0.5
        else:
            amount = float(np.clip((floats(share, 1) or (0.0,))[0], 0, 1))
        for pattern in nodes.patterns:
            recipe = recipe.with_pattern(pattern)
        overlay = Overlay(
            id=new_id("overlay"),
            name=name_from(over.node.name.replace("_", " "), "Overlay"),
            recipe=recipe,
            mask=mask,
            amount=amount,
            relief="replaces",
        )
        return base.with_overlay(overlay)

    def take(self, shader: Node, name: str, ours: str, default=None) -> None:
        """Takes an input of the surface for one of ours, constant or connected."""
        found = self.tree.input(shader, name)
        if isinstance(found, Connection):
            try:
                fed = self.nodes.fed(found)
            except NotUnderstoodError as fault:
                self.note(f"{name}: {fault} is not understood; it is constant here")
                found = None
            else:
                self._take_fed(ours, fed)
                return
        usual = getattr(Recipe(), ours)
        if isinstance(usual, bool):
            if found is not None:
                self.values[ours] = found == "true"
            return
        values = floats(found, 3) if found is not None else None
        if values is None and default is not None:
            values = (default,) * 3
        if values is not None:
            self.values[ours] = values if isinstance(usual, tuple) else values[0]

    def _take_fed(self, ours: str, fed: Fed) -> None:
        wide = isinstance(getattr(Recipe(), ours), tuple)
        if fed.pattern is None:
            self.values[ours] = tuple(fed.low) if wide else float(fed.low[0])
        elif ours in FEEDABLE:
            self.feeds[ours] = fed
        else:
            self.note(f"{ours.replace('_', ' ')} takes no map; the middle of its range was taken")
            middle = (fed.low + fed.high) / 2
            self.values[ours] = tuple(middle) if wide else float(middle[0])

    def number(self, shader: Node, name: str, default: float) -> float:
        """A constant number of the surface."""
        found = self.tree.input(shader, name)
        values = floats(found, 1) if isinstance(found, str) else None
        return values[0] if values else default

    def _assembled(self) -> Recipe:
        recipe = Recipe().with_(**within(**{k: v for k, v in self.values.items() if not isinstance(v, bool)}))
        recipe = recipe.with_(**{k: v for k, v in self.values.items() if isinstance(v, bool)})
        used = [fed.pattern for fed in self.feeds.values()] + [row.pattern for row in self.relief]
        patterns = needed(used, {pattern.id: pattern for pattern in self.nodes.patterns})
        recipe = recipe.with_(patterns=tuple(patterns))
        for name, fed in self.feeds.items():
            wide = isinstance(getattr(recipe, name), tuple)
            ends = (np.clip(end, -1e6, 1e6) for end in (fed.low, fed.high))
            low, high = (tuple(map(float, end)) if wide else float(end.mean()) for end in ends)
            recipe = recipe.with_feed(Feed(input=name, pattern=fed.pattern, low=low, high=high))
        for row in self.relief:
            recipe = recipe.with_relief(row)
        return recipe

    def _bend(self, shader: Node, name: str) -> None:
        """Relief out of what bends the surface's normal."""
        here = self.tree.input(shader, name)
        rows: list[Relief] = []
        for _ in range(32):
            if not isinstance(here, Connection):
                break
            node = here.node
            try:
                row = self._row(node)
            except NotUnderstoodError as fault:
                self.note(f"{name}: {fault} is not understood; that relief is left out")
                break
            if row is not None:
                rows.append(row)
            here = self.tree.input(node, "normal")
        self.relief = rows[::-1]

    def _row(self, node: Node) -> Relief | None:
        scale = self.number(node, "scale", 1.0)
        if node.category in ("normalmap", "gltf_normalmap"):
            inner = self.tree.input(node, "in") if node.category == "normalmap" else Connection(node)
            if not isinstance(inner, Connection):
                return None
            fed = self.nodes.fed(inner)
            kind = "normal, green down" if fed.low[1] > fed.high[1] else "normal"
            pattern, height = fed.pattern, NORMAL_HEIGHT * scale
        elif node.category in ("bump", "heighttonormal"):
            inner = self.tree.input(node, "height" if node.category == "bump" else "in")
            if not isinstance(inner, Connection):
                return None
            fed = self.nodes.fed(inner)
            kind, pattern, height = "height", fed.pattern, scale * float((fed.high - fed.low).mean())
            self.note("heights were taken for millimetres")
        elif node.category in ("normal", "tangent"):
            return None
        else:
            raise NotUnderstoodError(f"the node {node.category}")
        if pattern is None or height == 0:
            return None
        return Relief(id=new_id("relief"), pattern=pattern, kind=kind, height=float(np.clip(height, -1000, 1000)))

    def _open_pbr(self, shader: Node) -> None:
        for name in INPUTS:
            self.take(shader, name, name)
        self._bend(shader, "geometry_normal")

    def _standard(self, shader: Node) -> None:
        for theirs, ours in _STANDARD.items():
            self.take(shader, theirs, ours, _STANDARD_VALUES.get(theirs))
        self.values["coat_darkening"] = 0.0
        self.take(shader, "thin_walled", "geometry_thin_walled")
        radius = self.tree.input(shader, "subsurface_radius")
        radius = np.array((floats(radius, 3) if isinstance(radius, str) else None) or (1.0, 1.0, 1.0))
        most = max(float(radius.max()), 1e-6)
        self.values["subsurface_radius"] = most * self.number(shader, "subsurface_scale", 1.0)
        self.values["subsurface_radius_scale"] = tuple(radius / most)
        abbe = self.number(shader, "transmission_dispersion", 0.0)
        if abbe > 0:
            self.values |= {"transmission_dispersion_scale": 1.0, "transmission_dispersion_abbe_number": abbe}
        thickness = self.number(shader, "thin_film_thickness", 0.0)
        if thickness > 0:
            self.values |= {"thin_film_weight": 1.0, "thin_film_thickness": thickness / 1000}
        self._glow(self.number(shader, "emission", 0.0))
        self._bend(shader, "normal")

    def _gltf(self, shader: Node) -> None:
        for theirs, ours in _GLTF.items():
            self.take(shader, theirs, ours, _GLTF_VALUES.get(theirs))
        self.values |= {"coat_ior": 1.5, "coat_darkening": 0.0}
        mode = int(self.number(shader, "alpha_mode", 0))
        if mode == 0:
            self.values.pop("geometry_opacity", None)
            self.feeds.pop("geometry_opacity", None)
        elif mode == 1:
            self.note("alpha is cut at a value there, and mixes here")
        clear = self.values.get("transmission_weight", 0.0) or "transmission_weight" in self.feeds
        depth = self.number(shader, "attenuation_distance", 0.0)
        if clear and self.number(shader, "thickness", 0.0) <= 0:
            self.values |= {
                "geometry_thin_walled": True,
                "transmission_color": self.values.get("base_color", (1.0,) * 3),
            }
        elif clear and depth > 0:
            self.values["transmission_depth"] = depth * _MM_PER_M
            self.note("the depth of its colour was taken for metres, as in glTF")
        elif clear:
            self.values["transmission_color"] = self.values.get("base_color", (1.0,) * 3)
        scale = self.number(shader, "dispersion", 0.0)
        if scale > 0:
            self.values["transmission_dispersion_scale"] = min(scale, 1.0)
            self.values["transmission_dispersion_abbe_number"] = DISPERSION / max(scale, 1.0)
        if self.values.get("thin_film_weight") or "thin_film_weight" in self.feeds:
            self.values["thin_film_thickness"] = self.number(shader, "iridescence_thickness", 100.0) / 1000
        sheen = np.array(self.values.get("fuzz_color", (0.0,) * 3))
        if "fuzz_color" in self.feeds or sheen.max() > 0:
            most = 1.0 if "fuzz_color" in self.feeds else float(sheen.max())
            self.values |= {"fuzz_weight": most, "fuzz_color": tuple(sheen / max(most, 1e-6))}
        self._glow(self.number(shader, "emissive_strength", 1.0))
        self._bend(shader, "normal")

    def _preview(self, shader: Node) -> None:
        for theirs, ours in _PREVIEW.items():
            self.take(shader, theirs, ours, _PREVIEW_VALUES.get(theirs))
        self.values |= {"coat_ior": 1.5, "coat_darkening": 0.0}
        self._glow(1.0)
        self._bend(shader, "normal")

    def _glow(self, strength: float) -> None:
        """Emission of surfaces whose light is a multiple of white, brought to cd/m2."""
        color = np.maximum(np.array(self.values.get("emission_color", (1.0, 1.0, 1.0)), np.float64), 0)
        if "emission_color" in self.feeds:
            self.values["emission_luminance"] = GLOW * strength
        elif strength > 0 and color.max() > 0:
            self.values["emission_luminance"] = GLOW * strength * float(luminance(color))
            self.values["emission_color"] = tuple(color / color.max())
        else:
            self.values["emission_luminance"], self.values["emission_color"] = 0.0, (1.0, 1.0, 1.0)
