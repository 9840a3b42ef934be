"""Flat materials as glTF 2.0 says them, with every ratified extension that has a word for an input.

References
----------
Khronos glTF 2.0, 3.9; KHR_materials_anisotropy, _clearcoat, _dispersion, _emissive_strength, _ior, _iridescence,
_sheen, _specular, _transmission, _volume; KHR_texture_transform.
"""

from collections.abc import Callable
from math import radians

import numpy as np

from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.materials.direct_images import DirectImage
from mat_shelf.exchange.materials.flat_product import FlatMaterial
from mat_shelf.exchange.models.gltf_materials import DISPERSION, GLOW
from mat_shelf.exchange.models.texturing import NORMAL_HEIGHT
from mat_shelf.optics.color import luminance

_MM_PER_M = 1000.0
WRAPS = {"repeat": 10497, "mirror": 33648, "hold": 33071}


class GltfMaterial:
    """One flat material on its way to JSON.

    Parameters
    ----------
    flat : FlatMaterial
        The material.
    add_pixels : callable (name, pixels (N, N, C), is_color) -> dict
        Keeps an image of numbers in [0, 1], sRGB to be where `is_color`; returns the reference to its texture.
    add_image : callable (DirectImage) -> dict
        Keeps an image as it came; returns the reference to its texture.
    """

    def __init__(
        self,
        flat: FlatMaterial,
        add_pixels: Callable[[str, np.ndarray, bool], dict],
        add_image: Callable[[DirectImage], dict],
    ):
        self.flat, self.recipe, self.maps = flat, flat.recipe, dict(flat.maps)
        self._add_pixels, self._add_image = add_pixels, add_image

    def json(self) -> dict:
        """The material.

        Returns
        -------
        dict
        """
        recipe = self.recipe
        self.extensions: dict = {"KHR_materials_ior": {"ior": recipe.specular_ior}}
        self.made: dict = {"name": self.flat.name}
        if self.flat.is_double_sided:
            self.made["doubleSided"] = True
        self.made["pbrMetallicRoughness"] = self._base()
        self._write_normals()
        self._write_glow()
        self._write_specular()
        self._write_body()
        self._write_coat()
        self._write_fuzz()
        self._write_film()
        if recipe.specular_roughness_anisotropy > 0 and recipe.geometry_opacity > 0:
            strength = recipe.specular_roughness_anisotropy
            turn = radians(recipe.brush_turn)
            self.extensions["KHR_materials_anisotropy"] = {"anisotropyStrength": strength, "anisotropyRotation": turn}
        return self.made | {"extensions": self.extensions}

    def _value(self, name: str):
        """An input: its map where it has one, else its constant."""
        found = self.maps.get(name)
        return np.asarray(getattr(self.recipe, name), np.float64) if found is None else found

    def _has(self, *names: str) -> bool:
        return any(name in self.maps for name in names)

    def _pixels(self, name: str, channels: list, is_color: bool = False) -> dict:
        """Texture of some channels, numbers or maps, (N, N) or (N, N, 3)."""
        size = next(np.shape(c)[:2] for c in channels if np.ndim(c) >= 2)
        planes = []
        for channel in channels:
            values = np.asarray(channel, np.float32)
            if values.ndim in (0, 1):
                values = np.broadcast_to(values, (*size, *values.shape))
            planes.append(values[..., None] if values.ndim == 2 else values)
        return self._add_pixels(f"{self.flat.name} {name}", np.concatenate(planes, axis=2), is_color)

    def _base(self) -> dict:
        recipe = self.recipe
        images = self.flat.images
        made: dict = {"metallicFactor": recipe.base_metalness, "roughnessFactor": recipe.specular_roughness}
        if "base_color" in images:
            made["baseColorTexture"] = self._add_image(images["base_color"])
        if "specular_roughness" in images:
            made["metallicRoughnessTexture"] = self._add_image(images["specular_roughness"])
        if images:
            made["baseColorFactor"] = [*recipe.base_color, recipe.geometry_opacity]
            if recipe.geometry_opacity < 1 or "geometry_opacity" in images:
                self.made["alphaMode"] = "BLEND"
            return made
        color = base_of(self._value, is_clear=recipe.transmission_weight > 0 and not self._has("transmission_weight"))
        opacity = self._value("geometry_opacity")
        if np.ndim(opacity) == 2 or opacity < 1:
            self.made["alphaMode"] = "BLEND"
        if color.ndim == 1 and np.ndim(opacity) == 0:
            made["baseColorFactor"] = [*map(float, np.clip(color, 0, 1)), float(opacity)]
        elif np.ndim(opacity) == 0:
            made["baseColorFactor"] = [1.0, 1.0, 1.0, float(opacity)]
            made["baseColorTexture"] = self._pixels("base colour", [color], True)
        else:
            made["baseColorTexture"] = self._pixels("base colour", [color, opacity], True)
        if self._has("specular_roughness", "base_metalness"):
            rough, metal = self._value("specular_roughness"), self._value("base_metalness")
            made |= {"metallicFactor": 1.0, "roughnessFactor": 1.0}
            made["metallicRoughnessTexture"] = self._pixels("roughness", [1.0, rough, metal])
        return made

    def _write_normals(self) -> None:
        if "normal" in self.flat.images:
            rows = [row for row in self.flat.original.recipe.relief if row.is_on]
            info = self._add_image(self.flat.images["normal"])
            self.made["normalTexture"] = info | {"scale": rows[0].height / NORMAL_HEIGHT}
        elif "normal" in self.maps:
            self.made["normalTexture"] = self._pixels("normals", [(self.maps["normal"] + 1) / 2])

    def _write_glow(self) -> None:
        recipe, images = self.recipe, self.flat.images
        if "emission_color" in images:
            if recipe.emission_luminance > 0:
                self.made["emissiveFactor"] = list(recipe.emission_color)
                self.made["emissiveTexture"] = self._add_image(images["emission_color"])
                strength = recipe.emission_luminance / GLOW
                self.extensions["KHR_materials_emissive_strength"] = {"emissiveStrength": strength}
        elif self._has("emission_color", "emission_luminance"):
            color, bright = self._value("emission_color"), self._value("emission_luminance")
            glow = color * (bright[..., None] if np.ndim(bright) == 2 else bright)
            most = float(glow.max())
            if most > 0:
                self.made["emissiveFactor"] = [1.0, 1.0, 1.0]
                self.made["emissiveTexture"] = self._pixels("emission", [glow / most], True)
                self.extensions["KHR_materials_emissive_strength"] = {"emissiveStrength": most / GLOW}
        elif recipe.emission_luminance > 0:
            self.made["emissiveFactor"] = list(recipe.emission_color)
            share = max(float(luminance(recipe.emission_color)), 1e-6)
            strength = recipe.emission_luminance / GLOW / share
            self.extensions["KHR_materials_emissive_strength"] = {"emissiveStrength": strength}

    def _write_specular(self) -> None:
        weight, tint, made = self._value("specular_weight"), self._value("specular_color"), {}
        is_metal = float(np.min(self._value("base_metalness"))) >= 1
        if np.ndim(weight) == 2:
            made["specularTexture"] = self._pixels("specular weight", [1.0, 1.0, 1.0, weight])
        elif weight < 1:
            made["specularFactor"] = float(weight)
        if is_metal:
            pass  # there it is a metal's colour at grazing angles, for which the format has no word
        elif tint.ndim == 3:
            made["specularColorTexture"] = self._pixels("specular colour", [tint], True)
        elif tint.min() < 1:
            made["specularColorFactor"] = [float(c) for c in tint]
        if made:
            self.extensions["KHR_materials_specular"] = made

    def _write_body(self) -> None:
        recipe, weight = self.recipe, self._value("transmission_weight")
        if "transmission_weight" in self.flat.images or float(np.max(weight)) <= 0:
            return
        made: dict = {"transmissionFactor": 1.0 if np.ndim(weight) == 2 else float(weight)}
        if np.ndim(weight) == 2:
            made["transmissionTexture"] = self._pixels("transmission", [weight, 0.0, 0.0])
        self.extensions["KHR_materials_transmission"] = made
        if not recipe.geometry_thin_walled:
            # The factor is a guess that viewers without a path through the body need; a path tracer goes by the mesh.
            volume: dict = {"thicknessFactor": 1 / _MM_PER_M}
            if recipe.transmission_depth > 0:
                volume["attenuationColor"] = [max(c, 1e-4) for c in recipe.transmission_color]
                volume["attenuationDistance"] = recipe.transmission_depth / _MM_PER_M
            self.extensions["KHR_materials_volume"] = volume
            if recipe.transmission_dispersion_scale > 0:
                abbe = recipe.transmission_dispersion_abbe_number
                dispersion = DISPERSION / abbe * recipe.transmission_dispersion_scale
                self.extensions["KHR_materials_dispersion"] = {"dispersion": dispersion}

    def _write_coat(self) -> None:
        weight, rough = self._value("coat_weight"), self._value("coat_roughness")
        if float(np.max(weight)) <= 0:
            return
        if np.ndim(weight) == 2 or np.ndim(rough) == 2:
            info = self._pixels("coat", [weight, rough, 0.0])
            made = {"clearcoatFactor": 1.0, "clearcoatRoughnessFactor": 1.0}
            made |= {"clearcoatTexture": info, "clearcoatRoughnessTexture": info}
        else:
            made = {"clearcoatFactor": float(weight), "clearcoatRoughnessFactor": float(rough)}
        if "normalTexture" in self.made:  # the coat follows the relief below it
            made["clearcoatNormalTexture"] = self.made["normalTexture"]
        self.extensions["KHR_materials_clearcoat"] = made

    def _write_fuzz(self) -> None:
        weight, color, rough = (self._value(f"fuzz_{name}") for name in ("weight", "color", "roughness"))
        if float(np.max(weight)) <= 0:
            return
        sheen = color * (weight[..., None] if np.ndim(weight) == 2 else weight)
        if sheen.ndim == 3 or np.ndim(rough) == 2:
            info = self._pixels("fuzz", [sheen, rough], True)
            made = {"sheenColorFactor": [1.0, 1.0, 1.0], "sheenRoughnessFactor": 1.0}
            made |= {"sheenColorTexture": info, "sheenRoughnessTexture": info}
        else:
            made = {"sheenColorFactor": [float(c) for c in sheen], "sheenRoughnessFactor": float(rough)}
        self.extensions["KHR_materials_sheen"] = made

    def _write_film(self) -> None:
        weight, thickness = self._value("thin_film_weight"), self._value("thin_film_thickness") * 1000
        if float(np.max(weight)) <= 0:
            return
        least, most = float(np.min(thickness)), float(np.max(thickness))
        made: dict = {
            "iridescenceFactor": 1.0 if np.ndim(weight) == 2 else float(weight),
            "iridescenceIor": self.recipe.thin_film_ior,
            "iridescenceThicknessMinimum": least,
            "iridescenceThicknessMaximum": most,
        }
        if np.ndim(weight) == 2 or np.ndim(thickness) == 2:
            share = (thickness - least) / max(most - least, 1e-6)
            info = self._pixels("film", [weight, share, 0.0])
            if np.ndim(weight) == 2:
                made["iridescenceTexture"] = info
            if np.ndim(thickness) == 2:
                made["iridescenceThicknessTexture"] = info
        self.extensions["KHR_materials_iridescence"] = made


def base_of(value: Callable[[str], np.ndarray], is_clear: bool, has_volume: bool = True) -> np.ndarray:
    """One colour for what lies below the surface: base, scattering body, the tint of a coat, the tint of clear bodies.

    Parameters
    ----------
    value : callable (name) -> array
        An input, a constant or a map.
    is_clear : bool
        Whether it is a clear body all over.
    has_volume : bool
        Whether the format has words of its own for a colour in the depth.

    Returns
    -------
    (3,) or (N, N, 3) float32
    """

    def _wide(name: str) -> np.ndarray:
        found = value(name)
        return found[..., None] if np.ndim(found) == 2 else found

    if is_clear:
        has_depth = float(value("transmission_depth")) > 0
        color = np.ones(3, np.float32) if has_depth and has_volume else value("transmission_color")
    else:
        color, weight = value("base_color"), _wide("base_weight")
        color = color if np.all(weight == 1) else color * weight
        share = _wide("subsurface_weight") * (1 - _wide("base_metalness"))
        if np.max(share) > 0:
            color = color * (1 - share) + value("subsurface_color") * share
    weight, tint = _wide("coat_weight"), value("coat_color")
    return color if np.max(weight) <= 0 or np.min(tint) >= 1 else color * (1 - weight + weight * tint)


def can_keep_images(images: dict[str, DirectImage], recipe: Recipe) -> bool:
    """True if the images of a recipe are where glTF has places for them, in channels that it has them in.

    Parameters
    ----------
    images : dict of DirectImage
        By input.
    recipe : Recipe
        The recipe.

    Returns
    -------
    bool
    """
    if not set(images) <= {"base_color", "geometry_opacity", "specular_roughness", "base_metalness", "normal"} | {
        "emission_color"
    }:
        return False
    if recipe.subsurface_weight > 0 or recipe.coat_color != (1.0, 1.0, 1.0) and recipe.coat_weight > 0:
        return False  # the base colour would have to be changed
    if recipe.transmission_weight > 0 or recipe.base_weight != 1:
        return False
    for name in ("base_color", "emission_color"):
        if name in images and (images[name].shown != "colour" or not images[name].is_color):
            return False
    rough, metal = images.get("specular_roughness"), images.get("base_metalness")
    if metal is not None and (metal.shown != "blue" or rough is None or rough.lies != metal.lies):
        return False
    if rough is not None and (rough.shown != "green" or rough.is_color):
        return False
    if rough is not None and metal is None and recipe.base_metalness > 0:
        return False
    opacity = images.get("geometry_opacity")
    if opacity is not None and (
        opacity.shown != "alpha" or opacity.lies != getattr(images.get("base_color"), "lies", 0)
    ):
        return False
    return all(image.image.kind in ("png", "jpg", "webp") for image in images.values())
