"""Baked maps as files of a texture set, by the names that other programs look for."""

import re
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import NamedTuple

import numpy as np

from mat_shelf.exchange.image_writing import write_pixels
from mat_shelf.optics.color import encode_srgb

FLOATS = ("height", "emission_luminance")
"""Maps in mm and cd/m2: an EXR of floats keeps the numbers."""
COMMON_NAMES = {
    "base_color": "BaseColor",
    "specular_roughness": "Roughness",
    "base_metalness": "Metallic",
    "normal": "Normal",
    "height": "Height",
    "geometry_opacity": "Opacity",
    "emission_color": "Emission",
    "emission_luminance": "EmissionLuminance",
    "specular_weight": "Specular",
    "specular_color": "SpecularColor",
    "coat_weight": "Coat",
    "coat_roughness": "CoatRoughness",
    "transmission_weight": "Transmission",
    "fuzz_color": "SheenColor",
    "fuzz_roughness": "SheenRoughness",
}


class Naming(NamedTuple):
    """A scheme of a texture set.

    Attributes
    ----------
    label : str
        For the user.
    names : mapping from input to str
        Last part of a file's name; inputs that are not in it keep their own.
    is_packed : bool
        Whether opacity is the alpha of the colour, and roughness and metalness are green and blue of one image.
    """

    label: str
    names: Mapping[str, str]
    is_packed: bool = False


NAMINGS = {
    "inputs": Naming("By input (base_color)", {}),
    "common": Naming("Common (BaseColor)", COMMON_NAMES),
    "packed": Naming("Packed (roughness, metal)", COMMON_NAMES, is_packed=True),
}


def plain_start(name: str) -> str:
    """Start of the file names of a material's maps: small letters, digits and underscores.

    Parameters
    ----------
    name : str
        Name of the material.

    Returns
    -------
    str
    """
    return re.sub(r"[^a-z0-9]+", "_", name.lower()).strip("_") or "material"


def write_maps(
    folder: Path,
    name: str,
    maps: Mapping[str, np.ndarray],
    naming: str = "inputs",
    green_down: bool = False,
    write: Callable[[Path, np.ndarray], None] = write_pixels,
) -> list[Path]:
    """Writes baked maps as a texture set: colours as 8-bit sRGB, other numbers as 16-bit PNG, heights as EXR in mm.

    Parameters
    ----------
    folder : Path
        Folder.
    name : str
        Start of the files' names.
    maps : mapping from input to (N, N) or (N, N, 3) float32
        As `rendering.baking` makes them.
    naming : str
        A key of `NAMINGS`.
    green_down : bool
        Whether green of the normals points down.
    write : callable (Path, pixels)
        Writes one image.

    Returns
    -------
    list of Path

    Raises
    ------
    OSError
        If the folder cannot be written.
    """
    folder.mkdir(parents=True, exist_ok=True)
    plain = plain_start(name)
    scheme = NAMINGS[naming]
    written = []

    def _keep(key: str, pixels: np.ndarray, ending: str = "png") -> None:
        path = folder / f"{plain}_{scheme.names.get(key, key)}.{ending}"
        write(path, pixels)
        written.append(path)

    rest = dict(maps)
    if scheme.is_packed:
        rough, metal = rest.pop("specular_roughness", None), rest.pop("base_metalness", None)
        if rough is not None or metal is not None:
            side = np.shape(rough if rough is not None else metal)
            planes = [
                np.ones(side),
                np.ones(side) if rough is None else rough,
                np.zeros(side) if metal is None else metal,
            ]
            _keep("OcclusionRoughnessMetallic", _whole(np.stack(planes, axis=2), 8))
        opacity, color = rest.get("geometry_opacity"), rest.get("base_color")
        if opacity is not None and color is not None:
            del rest["geometry_opacity"], rest["base_color"]
            shown = np.concatenate([encode_srgb(np.clip(color, 0, 1)), opacity[..., None]], axis=2)
            _keep("base_color", _whole(shown, 8))
    for key, values in rest.items():
        if key in FLOATS:
            _keep(key, values.astype(np.float32), "exr")
        elif key.endswith("color"):
            _keep(key, _whole(encode_srgb(np.clip(values, 0, 1)), 8))
        elif key == "normal":
            upright = values * np.float32([1, -1, 1]) if green_down else values
            _keep(key, _whole((upright + 1) / 2, 16))
        else:
            _keep(key, _whole(values / max(float(values.max()), 1.0), 16))
    return written


def _whole(values: np.ndarray, bits: int) -> np.ndarray:
    most, depth = (65535, np.uint16) if bits == 16 else (255, np.uint8)
    return np.round(np.clip(values, 0, 1) * most).astype(depth)
