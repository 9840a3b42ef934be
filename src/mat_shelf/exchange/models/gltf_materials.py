"""Material extensions of glTF that the reader of the file does not take from it.

References
----------
Khronos: KHR_materials_ior, KHR_materials_transmission, KHR_materials_volume, KHR_materials_emissive_strength,
KHR_materials_specular, KHR_materials_clearcoat, KHR_materials_sheen.
"""

import json
import math
import struct
from pathlib import Path
from typing import NamedTuple

from pydantic import ValidationError

from mat_shelf.document.recipe import Recipe

_MM_PER_M = 1000.0
_GLOW = 1000.0
_LARGEST_TEXT = 256 * 2**20


class Words(NamedTuple):
    """JSON of a GLB or glTF file, as far as it is used.

    Attributes
    ----------
    materials : dict
        By name, as the file has them.
    nodes : set of str
        Names of its nodes.
    """

    materials: dict[str, dict]
    nodes: set[str]


def read_words(path: Path) -> Words:
    """Materials and names of a GLB or glTF file; none where they are not legible.

    Parameters
    ----------
    path : Path
        File.

    Returns
    -------
    Words
    """
    try:
        with path.open("rb") as stream:
            head = stream.read(20)
            if head[:4] == b"glTF":
                length = struct.unpack("<I", head[12:16])[0]
                text = stream.read(min(length, _LARGEST_TEXT))
            else:
                text = head + stream.read(_LARGEST_TEXT)
        read = json.loads(text)
        named = {
            key: [thing for thing in read.get(key, []) if isinstance(thing, dict) and "name" in thing]
            for key in ("materials", "nodes")
        }
        return Words({str(m["name"]): m for m in named["materials"]}, {str(n["name"]) for n in named["nodes"]})
    except (OSError, ValueError, TypeError, struct.error, AttributeError, RecursionError):
        return Words({}, set())


def completed(recipe: Recipe, material: dict) -> Recipe:
    """A recipe with what its material says beyond what the reader of the file knows; itself if that makes no sense.

    The reader rounds colours to eight bits and passes extensions over.

    Parameters
    ----------
    recipe : Recipe
        Recipe of the material.
    material : dict
        Material of the file.

    Returns
    -------
    Recipe
    """
    extensions = material.get("extensions")
    extensions = extensions if isinstance(extensions, dict) else {}

    def number(extension: str, name: str) -> float | None:
        """Number of an extension, within limits.

        Parameters
        ----------
        extension : str
            Name of the extension.
        name : str
            Name.

        Returns
        -------
        float or None
        """
        block = extensions.get(extension)
        value = block.get(name) if isinstance(block, dict) else None
        return float(value) if isinstance(value, int | float) and math.isfinite(value) else None

    changes: dict = {}
    plain = material.get("pbrMetallicRoughness")
    color = plain.get("baseColorFactor") if isinstance(plain, dict) else None
    if isinstance(color, list) and len(color) >= 3:
        changes["base_color"] = tuple(color[:3])
    ior = number("KHR_materials_ior", "ior")
    if ior is not None:
        changes["specular_ior"] = ior
    weight = number("KHR_materials_specular", "specularFactor")
    if weight is not None:
        changes["specular_weight"] = weight
    clear = number("KHR_materials_transmission", "transmissionFactor")
    if clear is not None:
        changes["transmission_weight"] = clear
        changes["transmission_color"] = changes.get("base_color", recipe.base_color)
        volume = extensions.get("KHR_materials_volume")
        depth = number("KHR_materials_volume", "attenuationDistance")
        if depth is not None and isinstance(volume.get("attenuationColor"), list):
            changes["transmission_color"] = tuple(volume["attenuationColor"])
            changes["transmission_depth"] = depth * _MM_PER_M
    for extension, name, field in (
        ("KHR_materials_clearcoat", "clearcoatFactor", "coat_weight"),
        ("KHR_materials_clearcoat", "clearcoatRoughnessFactor", "coat_roughness"),
        ("KHR_materials_sheen", "sheenRoughnessFactor", "fuzz_roughness"),
    ):
        value = number(extension, name)
        if value is not None:
            changes[field] = value
    sheen = extensions.get("KHR_materials_sheen")
    sheen = sheen.get("sheenColorFactor") if isinstance(sheen, dict) else None
    if isinstance(sheen, list) and any(isinstance(c, int | float) and c > 0 for c in sheen):
        changes |= {"fuzz_weight": 1.0, "fuzz_color": tuple(sheen)}
    glow = number("KHR_materials_emissive_strength", "emissiveStrength")
    if glow is not None:
        changes["emission_luminance"] = recipe.emission_luminance * glow
    try:
        return recipe.with_(**changes)
    except ValidationError:
        return recipe
