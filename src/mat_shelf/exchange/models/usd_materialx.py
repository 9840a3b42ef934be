"""Networks of MaterialX nodes within USD, as the documents that they would be, which one reader reads.

References
----------
OpenUSD, its plug-in for MaterialX: the id of a node is the name of its definition, ``ND_category_type``.
"""

import xml.etree.ElementTree as ElementTree
from collections.abc import Callable

from pxr import Sdf, UsdShade

from mat_shelf.document.image import ImageRef
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.materials.materialx_reader import ReadMaterials, read_materialx
from mat_shelf.exchange.materials.materialx_tree import MaterialxError

_MOST_NODES = 5000
_LENGTHS = ("transmission_depth", "subsurface_radius")


def network_recipe(
    surface: UsdShade.Shader,
    name: str,
    unit_mm: float,
    image: Callable[[Sdf.AssetPath], ImageRef | None],
    note: Callable[[str], None],
) -> tuple[Recipe, str] | None:
    """The recipe of a surface that is a node of MaterialX.

    Parameters
    ----------
    surface : UsdShade.Shader
        The surface.
    name : str
        Name of its material.
    unit_mm : float
        mm that a unit of the stage is long.
    image : callable (Sdf.AssetPath) -> ImageRef or None
        Keeps an image.
    note : callable (str) -> None
        Told what is not as it was.

    Returns
    -------
    recipe : Recipe
    uv_name : str
        Name of the coordinates that its images go by; empty where none is named.
    or None where it is not understood
    """
    network = _Network(surface, name)
    found = ReadMaterials()
    try:
        read_materialx(network.text(), lambda file: image(network.assets[file]), found)
    except MaterialxError as fault:
        note(f"'{name}': {fault}")
        return None
    for line in found.notes:
        note(line)
    recipe = found.materials[0][1]
    scaled = {key: min(getattr(recipe, key) * unit_mm, 10_000.0) for key in _LENGTHS}
    scaled["subsurface_radius"] = max(scaled["subsurface_radius"], 0.001)
    return recipe.with_(**scaled), network.uv_name


class _Network:
    """Nodes of one material as they become a document."""

    def __init__(self, surface: UsdShade.Shader, name: str):
        self.root = ElementTree.Element("materialx", {"version": "1.39", "colorspace": "lin_rec709"})
        self.assets: dict[str, Sdf.AssetPath] = {}
        self.uv_name = ""
        self._names: dict[str, str] = {}
        self._waiting = [surface]
        first = self._name_of(surface)
        while self._waiting and len(self._names) < _MOST_NODES:
            self._add(self._waiting.pop())
        material = ElementTree.SubElement(self.root, "surfacematerial", {"name": name, "type": "material"})
        ElementTree.SubElement(material, "input", {"name": "surfaceshader", "type": "surfaceshader", "nodename": first})

    def text(self) -> bytes:
        """The document."""
        return ElementTree.tostring(self.root, "utf-8")

    def _name_of(self, shader: UsdShade.Shader) -> str:
        return self._names.setdefault(str(shader.GetPath()), f"n{len(self._names)}")

    def _add(self, shader: UsdShade.Shader) -> None:
        category, _, kind = str(shader.GetIdAttr().Get()).removeprefix("ND_").rpartition("_")
        element = ElementTree.SubElement(
            self.root, category or "unknown", {"name": self._name_of(shader), "type": kind}
        )
        for given in shader.GetInputs():
            producers = UsdShade.Utils.GetValueProducingAttributes(given)
            if not producers:
                continue
            key = given.GetBaseName()
            if UsdShade.Output.IsOutput(producers[0]):
                other = UsdShade.Shader(producers[0].GetPrim())
                is_new = str(other.GetPath()) not in self._names
                wire = {"name": key, "type": kind, "nodename": self._name_of(other)}
                output = UsdShade.Output(producers[0]).GetBaseName()
                ElementTree.SubElement(element, "input", wire | ({"output": output} if output != "out" else {}))
                if is_new:
                    self._waiting.append(other)
                continue
            value = producers[0].Get()
            if key == "geomprop" and not self.uv_name:
                self.uv_name = str(value)
            attributes = {"name": key, "type": "string", "value": self._shown(value)}
            space = producers[0].GetColorSpace()
            ElementTree.SubElement(element, "input", attributes | ({"colorspace": space} if space else {}))

    def _shown(self, value) -> str:
        if isinstance(value, Sdf.AssetPath):
            shown = f"{len(self.assets)}/{value.path.rpartition('/')[2]}"
            self.assets[shown] = value
            return shown
        if isinstance(value, bool):
            return "true" if value else "false"
        if isinstance(value, str | int | float) or value is None:
            return str(value)
        try:
            return ", ".join(str(float(x)) for x in value)
        except (TypeError, ValueError):
            return str(value)
