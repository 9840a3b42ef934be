"""Materials of an OBJ's MTL as recipes, with their maps.

References
----------
Wavefront, Advanced Visualizer, appendix B (MTL), from memory; the words for metal, roughness and coat that were added
later are common practice.
"""

from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from pydantic import ValidationError

from mat_shelf.document.ids import new_id
from mat_shelf.document.pattern import Relief
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.models.beside import PartFaultError, read_beside
from mat_shelf.exchange.models.read_model import LARGEST_IMAGE, ReadModel
from mat_shelf.exchange.models.texturing import UPRIGHT, Texture, Textured, within
from mat_shelf.exchange.texture_set import role_of_name
from mat_shelf.optics.color import decode_srgb
from mat_shelf.patterns.steps import Invert

_OPTIONS = {"-s": 3, "-o": 3, "-t": 3, "-mm": 2}
"""Numbers that follow a word before a map's file; one follows all others."""
_BUMP_HEIGHT = 0.2
"""mm from black to white of a map of heights whose strength is 1; the format names no unit."""
_REFRACTING = ("4", "6", "7", "9")
"""Shading models of glass."""


@dataclass
class _Words:
    """Lines of one material.

    Attributes
    ----------
    values : dict of list of str
        What follows each word, in lower case; the first one counts.
    """

    values: dict[str, list[str]] = field(default_factory=dict)

    def numbers(self, word: str, default: list[float]) -> np.ndarray:
        try:
            found = [float(value) for value in self.values.get(word, default)][: len(default)]
        except ValueError:
            return np.array(default)
        if len(found) == 1 and len(default) == 3:  # one number stands for a grey
            found = found * 3
        read = np.array(found)
        return read if len(read) == len(default) and np.isfinite(read).all() else np.array(default)


def materials_of(path: Path, text: bytes, model: ReadModel) -> dict[str, Recipe]:
    """Materials of a library.

    Parameters
    ----------
    path : Path
        The OBJ, in whose folder the maps are.
    text : bytes
        Content of the library.
    model : ReadModel
        Takes images and notes.

    Returns
    -------
    dict of Recipe by name
    """
    found: dict[str, _Words] = {}
    current = _Words()
    for line in text.decode("utf-8-sig", "replace").splitlines():
        word, *values = line.split() or [""]
        if word.lower() == "newmtl":
            current = found.setdefault(" ".join(values), _Words())
        elif word and not word.startswith("#"):
            current.values.setdefault(word.lower(), values)
    return {name: _recipe(path, name, words, model) for name, words in found.items()}


def _recipe(path: Path, name: str, words: _Words, model: ReadModel) -> Recipe:
    """Kd is taken for sRGB, the exponent Ns for a roughness (Walter et al. 2007, eq. 25)."""
    values = words.values
    exponent = max(float(words.numbers("ns", [60.0])[0]), 0.0)
    rough = float(words.numbers("pr", [(2 / (exponent + 2)) ** 0.25])[0])
    diffuse = _linear(words.numbers("kd", [0.8, 0.8, 0.8]))
    index = float(words.numbers("ni", [1.5])[0])
    opacity = float(words.numbers("d", [1.0])[0]) if "d" in values else 1 - float(words.numbers("tr", [0.0])[0])
    is_glass = "ni" in values or values.get("illum", [""])[:1] in [[model] for model in _REFRACTING]
    made = Textured(
        Recipe().with_(
            **within(
                base_color=diffuse,
                base_metalness=float(words.numbers("pm", [0.0])[0]),
                specular_roughness=rough,
                specular_ior=index,
                coat_weight=float(words.numbers("pc", [0.0])[0]),
                coat_roughness=float(words.numbers("pcr", [0.0])[0]),
                fuzz_weight=float(words.numbers("ps", [0.0])[0]),
            ),
            **within(**({"transmission_weight": 1 - opacity} if is_glass else {"geometry_opacity": opacity})),
        )
    )
    glow = words.numbers("ke", [0.0, 0.0, 0.0])
    if glow.max() > 0:
        made.recipe = made.recipe.with_(
            **within(emission_color=glow / glow.max(), emission_luminance=1000.0 * float(glow.max()))
        )
    _add_maps(path, name, words, model, made)
    return made.recipe


def _add_maps(path: Path, name: str, words: _Words, model: ReadModel, made: Textured) -> None:
    def texture(*names: str) -> tuple[Texture, float] | None:
        for word in names:
            if word in words.values:
                return _texture(path, name, words.values[word], model)
        return None

    color = texture("map_kd", "map_ka")
    if color:
        scale = made.recipe.base_color if "kd" in words.values and max(made.recipe.base_color) > 0 else (1.0,) * 3
        made.feed_color("base_color", "Base colour", color[0], scale)
    rough, shine = texture("map_pr"), texture("map_ns")
    if rough:
        made.feed_number("specular_roughness", "Roughness", rough[0], "red")
    elif shine:
        made.feed("specular_roughness", made.pattern("Roughness", shine[0], "grey", False, (Invert(),)), 0.0, 1.0)
    metal = texture("map_pm")
    if metal:
        made.feed_number("base_metalness", "Metalness", metal[0], "red")
    opacity = texture("map_d")
    if opacity:
        channel = "alpha" if color and opacity[0].image == color[0].image else "grey"
        made.feed_number("geometry_opacity", "Opacity", opacity[0], channel)
    glow = texture("map_ke")
    if glow:
        if made.recipe.emission_luminance == 0:
            made.recipe = made.recipe.with_(emission_luminance=1000.0)
        made.feed_color("emission_color", "Emission", glow[0], made.recipe.emission_color)
    normals, bump = texture("norm", "map_norm"), texture("map_bump", "bump")
    if normals is None and bump and role_of_name(bump[0].image.name) in ("normal", "normal down"):
        normals, bump = bump, None  # many programs write maps of normals where heights belong
    if normals:
        is_down = role_of_name(normals[0].image.name) == "normal down"
        made.bend(normals[0], normals[1], is_down)
    if bump:
        pattern = made.pattern("Height", bump[0], "grey", False)
        height = float(np.clip(_BUMP_HEIGHT * bump[1], -1000, 1000))
        made.recipe = made.recipe.with_relief(Relief(id=new_id("relief"), pattern=pattern, height=height))


def _texture(path: Path, material: str, values: list[str], model: ReadModel) -> tuple[Texture, float] | None:
    """A map and its strength; v runs upwards in OBJ, as it does here."""
    options: dict[str, list[str]] = {}
    rest = list(values)
    while len(rest) > 1 and rest[0].startswith("-"):
        word = rest.pop(0).lower()
        options[word] = []
        while (
            len(rest) > 1 and len(options[word]) < _OPTIONS.get(word, 1) and (word not in _OPTIONS or _number(rest[0]))
        ):
            options[word].append(rest.pop(0))
    file = " ".join(rest).strip('"')
    try:
        image = model.add_image(read_beside(path, file, LARGEST_IMAGE), file.replace("\\", "/").rpartition("/")[2])
    except PartFaultError as fault:
        model.note(f"'{material}': image left out: {fault}")
        return None
    if image is None:
        return None
    given = _Words(options)
    scale, offset = given.numbers("-s", [1.0, 1.0]), given.numbers("-o", [0.0, 0.0])
    try:
        placement = UPRIGHT.with_(repeat=tuple(map(float, scale)), shift=tuple(float(-x) for x in offset))
    except ValidationError:
        placement = UPRIGHT
    ends = "hold" if options.get("-clamp") == ["on"] else "repeat"
    return Texture(image, placement, ends), float(given.numbers("-bm", [1.0])[0])


def _number(word: str) -> bool:
    try:
        float(word)
    except ValueError:
        return False
    return True


def _linear(srgb) -> tuple[float, float, float]:
    return tuple(round(float(c), 6) for c in decode_srgb(np.clip(np.asarray(srgb, np.float64), 0, 1)))
