"""Materials of USD as recipes: preview surfaces with their textures.

References
----------
OpenUSD, specification of preview surfaces, 2.6: inputs, defaults, textures, the workflow of specular colours.
"""

from collections.abc import Callable

import numpy as np
from pxr import Sdf, UsdShade

from mat_shelf.document.image import ImageRef
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.models.gltf_materials import GLOW, metal_of
from mat_shelf.exchange.models.texturing import UPRIGHT, Texture, Textured, within
from mat_shelf.exchange.models.usd_materialx import network_recipe
from mat_shelf.optics.color import luminance
from mat_shelf.patterns.steps import Threshold

_ENDS = {"clamp": "hold", "black": "hold", "mirror": "mirror"}
_CHANNELS = {"r": "red", "g": "green", "b": "blue", "a": "alpha"}


def recipe_of(
    material: UsdShade.Material,
    name: str,
    unit_mm: float,
    image: Callable[[Sdf.AssetPath], ImageRef | None],
    note: Callable[[str], None],
) -> tuple[Recipe, str]:
    """The recipe of a material.

    Parameters
    ----------
    material : UsdShade.Material
        The material.
    name : str
        For notes.
    unit_mm : float
        mm that a unit of the stage is long.
    image : callable (Sdf.AssetPath) -> ImageRef or None
        Keeps an image.
    note : callable (str) -> None
        Told what is not kept.

    Returns
    -------
    recipe : Recipe
    uv_name : str
        Name of the coordinates that its textures go by; empty where it has none.
    """
    source = material.ComputeSurfaceSource("mtlx")
    if source and source[0] and str(source[0].GetIdAttr().Get()).startswith("ND_"):
        exact = network_recipe(source[0], name, unit_mm, image, note)
        if exact is not None:
            return exact
    source = material.ComputeSurfaceSource()
    shader = source[0] if source else None
    kind = shader.GetIdAttr().Get() if shader else None
    if kind != "UsdPreviewSurface":
        note(f"'{name}': its surface, {kind or 'of no name'}, is not read; it is plain here")
        return Recipe(), ""
    reading = _Preview(shader, name, image, note)
    return reading.recipe(), reading.uv_name


class _Reading:
    """One surface on its way to a recipe."""

    def __init__(self, shader: UsdShade.Shader, name: str, image, note):
        self.shader, self.name, self.image, self.note = shader, name, image, note
        self.uv_name = ""

    def _value(self, name: str):
        found = self.shader.GetInput(name)
        if not found:
            return None
        producers = UsdShade.Utils.GetValueProducingAttributes(found)
        return producers[0].Get() if producers and not UsdShade.Output.IsOutput(producers[0]) else None

    def _note_uv(self, name: str) -> None:
        if self.uv_name and name != self.uv_name:
            self.note(f"'{self.name}' goes by several sets of UVs; one is kept")
        self.uv_name = self.uv_name or name


class _Preview(_Reading):
    """A preview surface."""

    def recipe(self) -> Recipe:
        """The whole recipe."""
        color, rough = self._color("diffuseColor", 0.18), self._number("roughness", 0.5)
        metal, index = self._number("metallic", 0.0), self._number("ior", 1.5)
        is_specular = self._number("useSpecularWorkflow", 0.0) > 0
        if is_specular:
            color, metal = metal_of(np.array(color), np.array(self._color("specularColor", 0.0)))
        self.made = made = Textured(Recipe(coat_ior=1.5, coat_darkening=0.0))
        self._set(base_color=color, base_metalness=metal, specular_roughness=rough, specular_ior=index)
        self._set(coat_weight=self._number("clearcoat", 0.0), coat_roughness=self._number("clearcoatRoughness", 0.01))
        self._feed_color("base_color", "Base colour", "diffuseColor")
        if not is_specular:
            self._feed("base_metalness", "Metalness", "metallic")
        self._feed("specular_roughness", "Roughness", "roughness")
        self._feed("coat_weight", "Coat weight", "clearcoat")
        self._feed("coat_roughness", "Coat roughness", "clearcoatRoughness")
        glow = np.maximum(self._color("emissiveColor", 0.0), 0)
        shown = self._texture("emissiveColor")
        if shown:
            made.recipe = made.recipe.with_(emission_luminance=GLOW)
            self._feed_color("emission_color", "Emission", "emissiveColor")
        elif glow.max() > 0:
            self._set(emission_color=glow / glow.max(), emission_luminance=GLOW * float(luminance(glow)))
        self._read_opacity()
        normal = self._texture("normal")
        if normal:
            made.bend(normal[0])
        occlusion = self._texture("occlusion")
        if occlusion:
            made.pattern("Occlusion", occlusion[0], _CHANNELS.get(occlusion[1], "red"), False)
        return made.recipe

    def _read_opacity(self) -> None:
        """Below 1 the surface is clear as glass is, unless it says that it is present in places only."""
        edge, mode = self._number("opacityThreshold", 0.0), self._value("opacityMode") or "transparent"
        shown = self._texture("opacity")
        if shown:
            channel = _CHANNELS.get(shown[1], "red")
            steps = (Threshold(edge=float(np.clip(edge, 0, 1)), softness=0.0),) if edge > 0 else ()
            pattern = self.made.pattern("Opacity", shown[0], channel, False, steps)
            self.made.feed("geometry_opacity", pattern, 0.0, 1.0)
            return
        opacity = self._number("opacity", 1.0)
        if edge > 0:
            self._set(geometry_opacity=float(opacity >= edge))
        elif opacity < 1 and mode == "transparent":
            self._set(transmission_weight=1 - opacity, transmission_color=self.made.recipe.base_color)
        else:
            self._set(geometry_opacity=opacity)

    def _set(self, **values) -> None:
        self.made.recipe = self.made.recipe.with_(**within(**values))

    def _feed(self, name: str, label: str, input_name: str) -> None:
        found = self._texture(input_name)
        if found:
            texture, output, scale, bias = found
            channel = _CHANNELS.get(output, "grey")
            place = "rgba".find(output) if output in _CHANNELS else 0
            bounds = within(**{name: bias[place]})[name], within(**{name: bias[place] + scale[place]})[name]
            self.made.feed_number(name, label, texture, channel, *bounds)

    def _feed_color(self, name: str, label: str, input_name: str) -> None:
        found = self._texture(input_name)
        if found:
            texture, _, scale, bias = found
            if max(bias[:3]) > 0:
                self.note(f"'{self.name}': the offset of its {input_name} is left out")
            self.made.feed_color(name, label, texture, np.clip(scale[:3], 0, 1))

    def _number(self, name: str, default: float) -> float:
        found = self._value(name)
        return float(found) if isinstance(found, int | float) and np.isfinite(found) else default

    def _color(self, name: str, default: float) -> tuple[float, float, float]:
        found = self._value(name)
        try:
            read = np.asarray(found, np.float64).reshape(3)
        except (TypeError, ValueError):
            return (default,) * 3
        return tuple(float(c) for c in read) if np.isfinite(read).all() else (default,) * 3

    def _texture(self, name: str):
        """Texture that an input is connected to: itself, its output, its scale and bias; None where there is none."""
        found = self.shader.GetInput(name)
        producers = UsdShade.Utils.GetValueProducingAttributes(found) if found else []
        if not producers or not UsdShade.Output.IsOutput(producers[0]):
            return None
        node = UsdShade.Shader(producers[0].GetPrim())
        if node.GetIdAttr().Get() != "UsdUVTexture":
            self.note(f"'{self.name}': what feeds its {name} is not read")
            return None
        asset = _input(node, "file")
        if not isinstance(asset, Sdf.AssetPath):
            return None
        image = self.image(asset)
        if image is None:
            return None
        wraps = {_ENDS.get(str(_input(node, side)), "repeat") for side in ("wrapS", "wrapT")}
        scale, bias = (_four(_input(node, key), default) for key, default in (("scale", 1.0), ("bias", 0.0)))
        texture = Texture(image, self._placement(node), wraps.pop() if len(wraps) == 1 else "repeat")
        return texture, producers[0].GetBaseName(), scale, bias

    def _placement(self, node: UsdShade.Shader):
        moved, repeat, turn, shift = _source(node, "st"), (1.0, 1.0), 0.0, (0.0, 0.0)
        if moved and moved.GetIdAttr().Get() == "UsdTransform2d":
            repeat = _two(_input(moved, "scale"), 1.0)
            shift = _two(_input(moved, "translation"), 0.0)
            turn = float(_input(moved, "rotation") or 0.0)
            moved = _source(moved, "in")
        if moved and str(moved.GetIdAttr().Get()).startswith("UsdPrimvarReader"):
            self._note_uv(str(_input(moved, "varname") or ""))
        if not np.isfinite([*repeat, *shift, turn]).all():
            return UPRIGHT
        # Scaled, then turned counter-clockwise, then moved, v upwards, as the specification of the node has it.
        return UPRIGHT.with_(
            repeat=tuple(float(np.clip(x, -1000, 1000)) for x in repeat),
            turn=-(turn % 360),
            shift=tuple(-float(np.clip(x, -1e4, 1e4)) for x in shift),
        )


def _input(node: UsdShade.Shader, name: str):
    found = node.GetInput(name)
    producers = UsdShade.Utils.GetValueProducingAttributes(found) if found else []
    return producers[0].Get() if producers else None


def _source(node: UsdShade.Shader, name: str) -> UsdShade.Shader | None:
    found = node.GetInput(name)
    producers = UsdShade.Utils.GetValueProducingAttributes(found) if found else []
    return UsdShade.Shader(producers[0].GetPrim()) if producers and UsdShade.Output.IsOutput(producers[0]) else None


def _two(value, default: float) -> tuple[float, float]:
    return (default, default) if value is None else (float(value[0]), float(value[1]))


def _four(value, default: float) -> tuple[float, ...]:
    return (default,) * 4 if value is None else tuple(float(x) for x in value)
