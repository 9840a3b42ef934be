"""Materials of glTF 2.0 as recipes, with their textures.

References
----------
Khronos glTF 2.0, 3.9, and the extensions KHR_materials_anisotropy, _clearcoat, _dispersion, _emissive_strength, _ior,
_iridescence, _sheen, _specular, _transmission, _unlit, _volume, _pbrSpecularGlossiness; KHR_texture_transform.
"""

from math import degrees

import numpy as np

from mat_shelf.document.image import ImageRef
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.models.beside import PartFaultError
from mat_shelf.exchange.models.gltf_file import GltfFile, block, number, numbers, place, rows
from mat_shelf.exchange.models.read_model import NO_MATERIAL, ReadModel
from mat_shelf.exchange.models.texturing import Texture, Textured, transformed, within
from mat_shelf.optics.color import luminance
from mat_shelf.patterns.steps import Invert, Threshold

_MM_PER_M = 1000.0
GLOW = 1000.0
"""cd/m2 of an emissive factor of 1; glTF leaves that to who exports."""
DISPERSION = 20.0
"""Abbe number of a dispersion of 1 (KHR_materials_dispersion)."""
_ENDS = {33071: "hold", 33648: "mirror"}
_WHITE = (1.0, 1.0, 1.0)
_UNDERSTOOD = {
    f"KHR_materials_{name}"
    for name in [
        "anisotropy",
        "clearcoat",
        "dispersion",
        "emissive_strength",
        "ior",
        "iridescence",
        "sheen",
        "specular",
        "transmission",
        "unlit",
        "volume",
        "pbrSpecularGlossiness",
    ]
}
_LEAST_REFLECTANCE = 0.04


class GltfMaterials:
    """Materials of one file, each made when the first surface asks for it.

    Parameters
    ----------
    file : GltfFile
        The file.
    model : ReadModel
        Takes the materials, images and notes.
    """

    def __init__(self, file: GltfFile, model: ReadModel):
        self._file, self._model = file, model
        self._listed = rows(file.text, "materials")
        self._labels: dict[int, tuple[int, int]] = {}
        self._images: dict[int, ImageRef | None] = {}

    def label(self, index: int | None) -> tuple[int, int]:
        """Label of a material in the model, and the set of texture coordinates that it goes by.

        Parameters
        ----------
        index : int or None
            Its place in the file.

        Returns
        -------
        label, uv_set : int
        """
        if index is None:
            return NO_MATERIAL, 0
        if index not in self._labels:
            material = self._listed[index]
            name = str(material.get("name") or f"Material {index + 1}")
            reading = _Reading(self, name, material)
            self._labels[index] = self._model.add_material(name, reading.recipe()), reading.uv_set or 0
        return self._labels[index]

    def note(self, text: str) -> None:
        """Notes something once.

        Parameters
        ----------
        text : str
            One line.
        """
        self._model.note(text)

    def image(self, texture: dict) -> ImageRef | None:
        """The image of a texture; None, with a note, where it cannot be had.

        Parameters
        ----------
        texture : dict
            As the file has it.

        Returns
        -------
        ImageRef or None
        """
        images = rows(self._file.text, "images")
        webp = block(block(texture, "extensions"), "EXT_texture_webp")
        index = place(webp, "source", images)
        index = place(texture, "source", images) if index is None else index
        if index is None:
            named = ", ".join(str(name)[:60] for name in block(texture, "extensions"))
            self.note(f"a texture left out: it has no image that is read{f' ({named})' if named else ''}")
            return None
        if index not in self._images:
            self._images[index] = self._read_image(images[index], index)
        return self._images[index]

    def _read_image(self, image: dict, index: int) -> ImageRef | None:
        uri = image.get("uri")
        is_file = isinstance(uri, str) and not uri.startswith("data:")
        name = str(image.get("name") or (uri.rpartition("/")[2] if is_file else f"Image {index + 1}"))
        try:
            if isinstance(uri, str):
                data = self._file.data_of(uri)
            else:
                data = bytes(self._file.view(image.get("bufferView", -1))[0])
        except (PartFaultError, TypeError) as fault:
            self.note(f"image '{name}' left out: {fault}")
            return None
        return self._model.add_image(data, name)

    def sampler(self, texture: dict) -> dict:
        """The sampler of a texture.

        Parameters
        ----------
        texture : dict
            As the file has it.

        Returns
        -------
        dict
        """
        samplers = rows(self._file.text, "samplers")
        index = place(texture, "sampler", samplers)
        return {} if index is None else samplers[index]

    def texture_at(self, info: dict) -> dict | None:
        """The texture that a material refers to.

        Parameters
        ----------
        info : dict
            The reference.

        Returns
        -------
        dict or None
        """
        textures = rows(self._file.text, "textures")
        index = place(info, "index", textures)
        return None if index is None else textures[index]


class _Reading:
    """One material on its way to a recipe."""

    def __init__(self, materials: GltfMaterials, name: str, material: dict):
        self.materials, self.name, self.material = materials, name, material
        self.extensions = block(material, "extensions")
        self.uv_set: int | None = None
        for extension in self.extensions:
            if extension not in _UNDERSTOOD:
                materials.note(f"'{name}': {str(extension)[:80]} is not read")

    def recipe(self) -> Recipe:
        """The whole recipe."""
        self.made = Textured(Recipe(base_color=_WHITE, specular_roughness=1.0, coat_ior=1.5, coat_darkening=0.0))
        if "KHR_materials_pbrSpecularGlossiness" in self.extensions:
            self._read_specular_glossiness()
        else:
            self._read_metallic_roughness()
        self._read_alpha()
        normal = self._texture(self.material, "normalTexture")
        if normal:
            self.made.bend(normal, number(block(self.material, "normalTexture"), "scale", 1.0))
        occlusion = self._texture(self.material, "occlusionTexture")
        if occlusion:
            self.made.pattern("Occlusion", occlusion, "red", False)  # feeds nothing: light finds out by itself
        self._read_glow()
        self._read_specular()
        self._read_clear_body()
        self._read_coat()
        self._read_sheen()
        self._read_film()
        self._read_brushing()
        if "KHR_materials_unlit" in self.extensions:
            self._set(specular_weight=0.0, specular_roughness=1.0, base_metalness=0.0)
            self.materials.note(f"'{self.name}' is unlit in its file; it is a dull surface here, which takes light")
        return self.made.recipe

    def _set(self, **values) -> None:
        plain = {name: value for name, value in values.items() if isinstance(value, bool)}
        others = {name: value for name, value in values.items() if name not in plain}
        self.made.recipe = self.made.recipe.with_(**within(**others), **plain)

    def _texture(self, value: dict, name: str) -> Texture | None:
        info = block(value, name)
        texture = self.materials.texture_at(info)
        if texture is None:
            return None
        moved = block(block(info, "extensions"), "KHR_texture_transform")
        uv_set = int(number(moved, "texCoord", number(info, "texCoord", 0)))
        if self.uv_set is None:
            self.uv_set = uv_set
        elif uv_set != self.uv_set:
            self.materials.note(f"'{self.name}': {name} goes by other UVs than the first texture; one set is kept")
        image = self.materials.image(texture)
        if image is None:
            return None
        sampler = self.materials.sampler(texture)
        wraps = {_ENDS.get(sampler.get(side), "repeat") for side in ("wrapS", "wrapT")}
        placement = transformed(
            numbers(moved, "offset", (0.0, 0.0)), number(moved, "rotation", 0.0), numbers(moved, "scale", (1.0, 1.0))
        )
        return Texture(image, placement, wraps.pop() if len(wraps) == 1 else "repeat")

    def _read_metallic_roughness(self) -> None:
        plain = block(self.material, "pbrMetallicRoughness")
        color = numbers(plain, "baseColorFactor", (*_WHITE, 1.0))
        metal, rough = number(plain, "metallicFactor", 1.0), number(plain, "roughnessFactor", 1.0)
        self._set(base_color=color[:3], base_metalness=metal, specular_roughness=rough)
        self.alpha = color[3], self._texture(plain, "baseColorTexture")
        if self.alpha[1]:
            self.made.feed_color("base_color", "Base colour", self.alpha[1], np.clip(color[:3], 0, 1))
        both = self._texture(plain, "metallicRoughnessTexture")
        if both:
            kept = self.made.recipe
            self.made.feed_number("specular_roughness", "Roughness", both, "green", high=kept.specular_roughness)
            self.made.feed_number("base_metalness", "Metalness", both, "blue", high=kept.base_metalness)

    def _read_specular_glossiness(self) -> None:
        old = block(self.extensions, "KHR_materials_pbrSpecularGlossiness")
        color = numbers(old, "diffuseFactor", (*_WHITE, 1.0))
        specular, gloss = numbers(old, "specularFactor", _WHITE), number(old, "glossinessFactor", 1.0)
        base, metal = metal_of(np.array(color[:3]), np.array(specular))
        self._set(base_color=base, base_metalness=metal, specular_roughness=1 - gloss)
        self.alpha = color[3], self._texture(old, "diffuseTexture")
        if self.alpha[1]:
            self.made.feed_color("base_color", "Base colour", self.alpha[1], np.clip(color[:3], 0, 1))
        image = self._texture(old, "specularGlossinessTexture")
        if image:
            rough = self.made.pattern("Roughness", image, "alpha", False, (Invert(),))
            self.made.feed("specular_roughness", rough, float(np.clip(1 - gloss, 0, 1)), 1.0)
            self.materials.note(f"'{self.name}': the colours of its specular texture were left out, its gloss was kept")

    def _read_alpha(self) -> None:
        """Alpha is the share of the surface that is there; glass is what transmission says."""
        mode = self.material.get("alphaMode")
        factor, texture = self.alpha
        if mode not in ("MASK", "BLEND"):
            return
        cutoff = number(self.material, "alphaCutoff", 0.5)
        if texture is None:
            self._set(geometry_opacity=factor if mode == "BLEND" else float(factor >= cutoff))
        elif mode == "BLEND":
            self.made.feed_number("geometry_opacity", "Opacity", texture, "alpha", high=float(np.clip(factor, 0, 1)))
        else:
            edge = float(np.clip(cutoff / max(factor, 1e-6), 0, 1))
            mask = self.made.pattern("Opacity", texture, "alpha", False, (Threshold(edge=edge, softness=0.0),))
            self.made.feed("geometry_opacity", mask, 0.0, 1.0)

    def _read_glow(self) -> None:
        strength = number(block(self.extensions, "KHR_materials_emissive_strength"), "emissiveStrength", 1.0)
        glow = np.clip(numbers(self.material, "emissiveFactor", (0.0, 0.0, 0.0)), 0, 1)
        texture = self._texture(self.material, "emissiveTexture")
        most = float(glow.max())
        if most <= 0 or strength <= 0:
            return
        color = tuple(float(c) for c in glow / most)
        weights = (1.0, 1.0, 1.0) if texture else color
        self._set(emission_color=color, emission_luminance=GLOW * strength * most * float(luminance(weights)))
        if texture:
            self.made.feed_color("emission_color", "Emission", texture, color)

    def _read_specular(self) -> None:
        ior = number(block(self.extensions, "KHR_materials_ior"), "ior", 1.5)
        if ior == 0:
            self.materials.note(f"'{self.name}': an index of refraction without end was taken for 3")
        self._set(specular_ior=3.0 if ior == 0 else ior)
        more = block(self.extensions, "KHR_materials_specular")
        weight, tint = number(more, "specularFactor", 1.0), numbers(more, "specularColorFactor", _WHITE)
        self._set(specular_weight=weight, specular_color=tint)
        texture, colors = self._texture(more, "specularTexture"), self._texture(more, "specularColorTexture")
        if texture:
            self.made.feed_number(
                "specular_weight", "Specular weight", texture, "alpha", high=self.made.recipe.specular_weight
            )
        if colors:
            self.made.feed_color("specular_color", "Specular colour", colors, self.made.recipe.specular_color)

    def _read_clear_body(self) -> None:
        clear, body = (block(self.extensions, f"KHR_materials_{name}") for name in ("transmission", "volume"))
        weight = number(clear, "transmissionFactor", 0.0)
        if weight <= 0:
            return
        recipe = self.made.recipe
        self._set(transmission_weight=weight, transmission_color=recipe.base_color)
        texture = self._texture(clear, "transmissionTexture")
        if texture:
            self.made.feed_number("transmission_weight", "Transmission", texture, "red", high=min(weight, 1.0))
        thickness, depth = number(body, "thicknessFactor", 0.0), number(body, "attenuationDistance", np.inf)
        if thickness <= 0:
            self._set(geometry_thin_walled=True)
        elif np.isfinite(depth) and depth > 0:
            tint = numbers(body, "attenuationColor", _WHITE)
            if min(recipe.base_color) < 0.99 or recipe.feed("base_color"):
                self.materials.note(f"'{self.name}': of a clear body the colour in its depth is kept, not its base")
            self._set(transmission_color=tint, transmission_depth=depth * _MM_PER_M)
        scale = number(block(self.extensions, "KHR_materials_dispersion"), "dispersion", 0.0)
        if scale > 0:
            self._set(
                transmission_dispersion_scale=min(scale, 1.0),
                transmission_dispersion_abbe_number=DISPERSION / max(scale, 1.0),
            )

    def _read_coat(self) -> None:
        coat = block(self.extensions, "KHR_materials_clearcoat")
        weight, rough = number(coat, "clearcoatFactor", 0.0), number(coat, "clearcoatRoughnessFactor", 0.0)
        if weight <= 0:
            return
        self._set(coat_weight=weight, coat_roughness=rough)
        texture, roughs = self._texture(coat, "clearcoatTexture"), self._texture(coat, "clearcoatRoughnessTexture")
        if texture:
            self.made.feed_number("coat_weight", "Coat weight", texture, "red", high=min(weight, 1.0))
        if roughs:
            self.made.feed_number("coat_roughness", "Coat roughness", roughs, "green", high=min(max(rough, 0.0), 1.0))
        if block(coat, "clearcoatNormalTexture"):
            self.materials.note(f"'{self.name}': the relief of its coat is left out")

    def _read_sheen(self) -> None:
        sheen = block(self.extensions, "KHR_materials_sheen")
        color = np.clip(numbers(sheen, "sheenColorFactor", (0.0, 0.0, 0.0)), 0, 1)
        most = float(color.max())
        if most <= 0:
            return
        rough = number(sheen, "sheenRoughnessFactor", 0.0)
        self._set(fuzz_weight=most, fuzz_color=color / most, fuzz_roughness=rough)
        colors, roughs = self._texture(sheen, "sheenColorTexture"), self._texture(sheen, "sheenRoughnessTexture")
        if colors:
            self.made.feed_color("fuzz_color", "Fuzz colour", colors, color / most)
        if roughs:
            self.made.feed_number("fuzz_roughness", "Fuzz roughness", roughs, "alpha", high=min(max(rough, 0.0), 1.0))

    def _read_film(self) -> None:
        film = block(self.extensions, "KHR_materials_iridescence")
        weight = number(film, "iridescenceFactor", 0.0)
        if weight <= 0:
            return
        least, most = (
            number(film, "iridescenceThicknessMinimum", 100.0),
            number(film, "iridescenceThicknessMaximum", 400.0),
        )
        self._set(
            thin_film_weight=weight,
            thin_film_thickness=most / 1000,
            thin_film_ior=number(film, "iridescenceIor", 1.3),
        )
        texture = self._texture(film, "iridescenceTexture")
        thickness = self._texture(film, "iridescenceThicknessTexture")
        if texture:
            self.made.feed_number("thin_film_weight", "Film weight", texture, "red", high=min(weight, 1.0))
        if thickness:
            bounds = [float(np.clip(x / 1000, 0, 3)) for x in (least, most)]
            self.made.feed_number("thin_film_thickness", "Film thickness", thickness, "green", *bounds)

    def _read_brushing(self) -> None:
        brushing = block(self.extensions, "KHR_materials_anisotropy")
        strength = number(brushing, "anisotropyStrength", 0.0)
        if strength <= 0:
            return
        turn = degrees(number(brushing, "anisotropyRotation", 0.0)) % 360
        self._set(specular_roughness_anisotropy=strength, brush_turn=turn - 360 if turn > 180 else turn)
        self.materials.note(f"'{self.name}': its brushing goes by UVs there, by an axis of the part here; look at it")
        if block(brushing, "anisotropyTexture"):
            self.materials.note(f"'{self.name}': its texture of anisotropy is left out")


def metal_of(diffuse: np.ndarray, specular: np.ndarray) -> tuple[np.ndarray, float]:
    """Base colour and metalness of a material of the older kind, which has a colour for each.

    Parameters
    ----------
    diffuse, specular : (3,) float
        Linear colours.

    Returns
    -------
    base : (3,) float
    metalness : float

    References
    ----------
    Khronos, KHR_materials_pbrSpecularGlossiness, appendix on conversion: the metalness at which the brightness of both
    comes out, of reflectance 0.04 where there is no metal.
    """
    least = _LEAST_REFLECTANCE
    bright = [float(np.sqrt(np.dot((0.299, 0.587, 0.114), np.square(c)))) for c in (diffuse, specular)]
    rest = 1 - float(specular.max())
    metal = 0.0
    if bright[1] >= least:
        b = bright[0] * rest / (1 - least) + bright[1] - 2 * least
        metal = (-b + np.sqrt(max(b * b - 4 * least * (least - bright[1]), 0))) / (2 * least)
    metal = float(np.clip(metal, 0, 1))
    of_diffuse = diffuse * rest / (1 - least) / max(1 - metal, 1e-6)
    of_specular = (specular - least * (1 - metal)) / max(metal, 1e-6)
    return np.clip(of_diffuse + (of_specular - of_diffuse) * metal**2, 0, 1), metal
