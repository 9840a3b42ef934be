"""A model as a reader gathers it from a file, before anything is mended."""

from dataclasses import dataclass, field

import numpy as np

from mat_shelf.document.ids import name_from
from mat_shelf.document.image import ImageRef
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.image_decoding import ImageError, map_kind
from mat_shelf.exchange.models.mesh_glb import digest

NO_MATERIAL = -1
LARGEST_IMAGE = 1 << 29
MOST_IMAGE_BYTES = 2 << 30
_MOST_NOTES = 50
_FEW_COLORS = 24
"""Colours of faces that become materials of their own; where there are more, they are averaged."""


@dataclass
class ReadPart:
    """A part in the numbers of its file.

    Attributes
    ----------
    vertices : (V, 3) float64
    triangles : (T, 3) int
    normals : (V, 3) float or None
        Those the file brought; made-up ones would hide its creases.
    uv : (V, 2) float or None
        v upwards.
    labels : (T,) int or None
        Materials of the faces, `ReadModel.materials`; `NO_MATERIAL` for none.
    drawn : (T,) int or None
        Face of a CAD model that each triangle was laid on.
    above : tuple of str
        Names of the nodes above it, the topmost first.
    """

    name: str
    vertices: np.ndarray
    triangles: np.ndarray
    normals: np.ndarray | None = None
    uv: np.ndarray | None = None
    labels: np.ndarray | None = None
    drawn: np.ndarray | None = None
    above: tuple[str, ...] = ()


@dataclass
class ReadModel:
    """A model in the numbers of its file.

    Attributes
    ----------
    unit : str
        What the numbers are, a key of `geometry.size.UNITS`.
    unit_is_known : bool
        Whether the file says so.
    up : {"y", "z"}
    materials : list of (name, Recipe)
        Several may share a name.
    images : dict of bytes by SHA-256
    notes : list of str
        What was left out, and what came in otherwise than it was.
    variants : list of (int, int)
        Labels of a material and of another one that may be worn in its place.
    """

    unit: str = "mm"
    unit_is_known: bool = False
    up: str = "y"
    parts: list[ReadPart] = field(default_factory=list)
    materials: list[tuple[str, Recipe]] = field(default_factory=list)
    images: dict[str, bytes] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)
    variants: list[tuple[int, int]] = field(default_factory=list)
    _colored: dict[tuple, int] = field(default_factory=dict)

    def note(self, text: str) -> None:
        """Notes something once.

        Parameters
        ----------
        text : str
            One line.
        """
        if text not in self.notes and len(self.notes) < _MOST_NOTES:
            self.notes.append(text)

    def add_material(self, name: str, recipe: Recipe) -> int:
        """Keeps a material.

        Parameters
        ----------
        name : str
            Its name in the file; may be empty.
        recipe : Recipe
            The material.

        Returns
        -------
        int
            Its label.
        """
        self.materials.append((name_from(name, "Material"), recipe))
        return len(self.materials) - 1

    def add_image(self, data: bytes, name: str) -> ImageRef | None:
        """Keeps an image as it came, or notes why not.

        Parameters
        ----------
        data : bytes
            Content of its file.
        name : str
            Name of its file.

        Returns
        -------
        ImageRef or None
        """
        name = name_from(name, "Image")
        try:
            kind = map_kind(data)
        except ImageError:
            self.note(f"image '{name}' left out: it is no PNG, JPEG, TIFF, EXR, PSD or WebP image")
            return None
        key = digest(data)
        if len(data) > LARGEST_IMAGE or sum(map(len, self.images.values())) + len(data) > MOST_IMAGE_BYTES:
            self.note(f"image '{name}' left out: the images of the model are too large")
            return None
        self.images[key] = data
        return ImageRef(name=name, digest=key, kind=kind)

    def colored(self, label: int, name: str, colors: np.ndarray) -> np.ndarray:
        """Labels of faces that have colours besides a material.

        Few colours become materials; of more the mean does, and that is noted.

        Parameters
        ----------
        label : int
            Their material, whose base colour the colours scale; `NO_MATERIAL` for a plain white one.
        name : str
            Of the part, for the note.
        colors : (T, 3) float
            Linear Rec.709.

        Returns
        -------
        (T,) int32
        """
        shown = np.round(np.clip(np.nan_to_num(colors), 0, 1) * 255).astype(np.int64)
        unique, index = np.unique(shown, axis=0, return_inverse=True)
        if len(unique) > _FEW_COLORS:
            self.note(f"'{name}' has colours that change over its faces; their mean was taken")
            unique, index = shown.mean(axis=0, keepdims=True), np.zeros(len(shown), int)
        return np.array([self._in_color(label, color) for color in unique], np.int32)[index.reshape(-1)]

    def _in_color(self, label: int, color: np.ndarray) -> int:
        key = (label, *(int(c) for c in np.round(color)))
        if key not in self._colored:
            if label == NO_MATERIAL:
                name = "Colour " + "".join(f"{c:02X}" for c in key[1:])
                recipe = Recipe(base_color=tuple(round(float(c) / 255, 6) for c in color))
            else:
                name, recipe = self.materials[label]
                if min(key[1:]) == 255:
                    return label
                scaled = tuple(a * float(c) / 255 for a, c in zip(recipe.base_color, color, strict=True))
                recipe = recipe.with_(base_color=scaled)
                fed = recipe.feed("base_color")
                if fed is not None:
                    high = tuple(a * float(c) / 255 for a, c in zip(fed.high, color, strict=True))
                    recipe = recipe.with_feed(fed.with_(high=high))
            self._colored[key] = self.add_material(name, recipe)
        return self._colored[key]


def group_names(parts: list[ReadPart]) -> list[str | None]:
    """Group of each part: the topmost node above it that holds several parts, and not all of them.

    Parameters
    ----------
    parts : list of ReadPart
        All parts of a model.

    Returns
    -------
    list of str or None
    """
    counts: dict[tuple[str, ...], int] = {}
    for part in parts:
        for depth in range(1, len(part.above) + 1):
            counts[part.above[:depth]] = counts.get(part.above[:depth], 0) + 1
    return [
        next(
            (
                part.above[depth - 1]
                for depth in range(1, len(part.above) + 1)
                if 1 < counts[part.above[:depth]] < len(parts)
            ),
            None,
        )
        for part in parts
    ]
