"""Cryptomatte: which parts, materials and zones each pixel shows, by numbers that come from their names.

References
----------
Friedman and Jones, Fully Automatic ID Mattes with Support for Motion Blur and Transparency, SIGGRAPH 2015 talks, and
the Cryptomatte Specification 1.2.0.
"""

import json
from collections.abc import Sequence

import mmh3
import numpy as np

from mat_shelf.document.project import Project
from mat_shelf.rendering.aovs import BACKDROP, NOTHING, seen_rows, seen_samples
from mat_shelf.rendering.final_render import Rendered
from mat_shelf.scene.bodies import visible_parts
from mat_shelf.scene.supplies import Supplies

RANKS = 6
"""Things that a pixel may show at once, two in a layer."""
KINDS = {"CryptoObject": "parts", "CryptoMaterial": "materials", "CryptoAsset": "zones"}


def name_number(name: str) -> np.float32:
    """The number of a name: its 32-bit MurmurHash3 as a float that is neither denormal, infinite nor NaN.

    Parameters
    ----------
    name : str
        Any name.

    Returns
    -------
    float32
    """
    number = mmh3.hash(name.encode(), signed=False)
    if number >> 23 & 255 in (0, 255):
        number ^= 1 << 23
    return np.uint32(number).view(np.float32)


def ranked(keys: np.ndarray, numbers: np.ndarray) -> np.ndarray:
    """Numbers and coverages of what pixels show most, the greatest first.

    Parameters
    ----------
    keys : (S, n) int
        The thing that each sample sees; -1 for nothing.
    numbers : (K,) float32
        Numbers of the things.

    Returns
    -------
    (n, RANKS, 2) float32
        Zeros where there are fewer.
    """
    seen = [key for key in np.unique(keys) if key >= 0]
    out = np.zeros((keys.shape[1], RANKS, 2), np.float32)
    if not seen:
        return out
    shares = np.stack([(keys == key).mean(axis=0, dtype=np.float32) for key in seen], axis=1)
    order = np.argsort(-shares, axis=1, kind="stable")[:, :RANKS]
    share = np.take_along_axis(shares, order, axis=1)
    number = numbers[np.array(seen)][order]
    out[:, : order.shape[1], 0] = np.where(share > 0, number, 0)
    out[:, : order.shape[1], 1] = share
    return out


def cryptomatte(
    project: Project, rendered: Rendered, supplies: Supplies
) -> tuple[dict[str, np.ndarray], list[tuple[str, str]]]:
    """Layers of a finished picture and the attributes that tell what they are.

    Parameters
    ----------
    project : Project
        The project.
    rendered : Rendered
        A render of it.
    supplies : Supplies
        Its faces of zones.

    Returns
    -------
    layers : dict of (H, W, 4) float32
        ``CryptoObject00`` and so on: two numbers, each with its coverage.
    attributes : list of (str, str)
        For the header of an EXR.
    """
    project = project.as_seen()
    film, task = rendered.film, rendered.task
    parts = [project.product.parts[k] for k in visible_parts(project)]
    names = {
        "parts": [*(part.name for part in parts), BACKDROP],
        "materials": [NOTHING, *(material.name for material in project.materials), BACKDROP],
        "zones": [f"{part.name}, {zone.name}" for part in parts for zone in part.zones],
    }
    numbers = {kind: np.array([name_number(name) for name in each], np.float32) for kind, each in names.items()}
    made = {kind: np.zeros((film.width * film.height, RANKS, 2), np.float32) for kind in names}
    zone_of = _zone_tables(parts, supplies)
    for pixels, geometry, primitive in seen_samples(rendered):
        is_part = (geometry >= 0) & (geometry < len(parts))
        keys = {"parts": np.where(is_part, geometry, np.where(geometry >= 0, len(parts), -1))}
        rows = seen_rows(task, geometry, primitive)
        keys["materials"] = np.where(rows < 0, -1, np.minimum(rows, len(names["materials"]) - 1))
        keys["zones"] = _zones(zone_of, geometry, task.geometry.own_faces(geometry, primitive), is_part)
        for kind, each in keys.items():
            made[kind][pixels] = ranked(each, numbers[kind])
    layers, attributes = {}, []
    for word, kind in KINDS.items():
        if not names[kind]:
            continue
        whole = made[kind].reshape(film.height, film.width, 2 * RANKS)
        layers |= {f"{word}{k:02d}": whole[..., 4 * k : 4 * k + 4] for k in range(RANKS // 2)}
        attributes += _attributes(word, names[kind], numbers[kind])
    return layers, attributes


def _zone_tables(parts: Sequence, supplies: Supplies) -> dict[int, np.ndarray]:
    """By the place of a part with zones, the number of the zone that each of its faces is in; -1 for none."""
    made, count = {}, 0
    for place, part in enumerate(parts):
        if part.zones:
            made[place] = np.full(len(supplies.meshes[part.mesh].triangles), -1, np.int32)
            for zone in part.zones:
                made[place][supplies.faces[zone.faces]] = count
                count += 1
    return made


def _zones(zone_of: dict[int, np.ndarray], geometry: np.ndarray, faces: np.ndarray, is_part: np.ndarray) -> np.ndarray:
    keys = np.full(geometry.shape, -1, np.int32)
    for place, of_face in zone_of.items():
        seen = is_part & (geometry == place)
        keys[seen] = of_face[np.minimum(faces[seen], len(of_face) - 1)]
    return keys


def _attributes(word: str, names: Sequence[str], numbers: np.ndarray) -> list[tuple[str, str]]:
    key = f"cryptomatte/{mmh3.hash(word.encode(), signed=False):08x}"[:-1]
    manifest = {name: f"{number.view(np.uint32):08x}" for name, number in zip(names, numbers, strict=True)}
    return [
        (f"{key}/name", word),
        (f"{key}/hash", "MurmurHash3_32"),
        (f"{key}/conversion", "uint32_to_float32"),
        (f"{key}/manifest", json.dumps(manifest, ensure_ascii=False)),
    ]
