"""One input of all materials over the scene, without light: what each pixel sees first, as it would be shaded."""

from dataclasses import dataclass, replace
from threading import Lock

import numpy as np

from mat_shelf.document.recipe import Recipe
from mat_shelf.numerics.kernels import F
from mat_shelf.optics import parameters as P
from mat_shelf.optics.color import encode_srgb, linear_from_lab
from mat_shelf.rendering.render_task import RenderTask
from mat_shelf.rendering.tracer import Surfaces, Tracer
from mat_shelf.scene.material_table import with_heights
from mat_shelf.scene.recipe_program import HEIGHT

SAMPLES = 8
"""Enough for smooth edges and mixtures of overlays; the noise of more would not be seen."""
BACKDROP = 0.3
"""Grey of what is no part, as a share of the display's white."""
_SHADE, _LINE = 0.35, 0.5
"""Of facets: grey of a face seen from its side, and how far a line between two is darkened."""
_LIGHTNESS, _CHROMA, _GOLDEN_ANGLE = 66.0, 48.0, 2.399963
"""Of materials' colours; hues a golden angle apart stay apart however many there are."""


@dataclass(frozen=True)
class InputView:
    """Something to look at over the scene.

    Attributes
    ----------
    label : str
        Name, as the rows of a material have it.
    kind : str
        "grey", "color", "normal", "height", "material" or "facets".
    column : int
        First column of the parameter block.
    high : float
        Value that is shown as white.
    unit : str
        Unit of the value, after it is multiplied by `scale`.
    low : float
        Value that is shown as black.
    scale : float
        Factor from the block to the unit.
    """

    label: str
    kind: str = "grey"
    column: int = 0
    high: float = 1.0
    unit: str = ""
    low: float = 0.0
    scale: float = 1.0

    @property
    def legend(self) -> str:
        """Meaning of its tones, in words."""
        if self.kind == "grey":
            unit = f" {self.unit}" if self.unit else ""
            return f"black {self.low * self.scale:g}, white {self.high * self.scale:g}{unit}"
        if self.kind == "color" and self.unit:
            return f"white {self.high * self.scale:g} {self.unit} and more"
        return _LEGENDS[self.kind]


_LEGENDS = {
    "color": "the colour itself, without light",
    "normal": "red to the right, green up, blue to the front",
    "height": "black lowest, white highest",
    "material": "a colour for each material",
    "facets": "lines between triangles",
}


def _grey(name: str, column: int, low: float = 0.0, high: float = 1.0) -> InputView:
    return InputView(Recipe.field_label(name), "grey", column, high, "", low)


INPUT_VIEWS = {
    "base_color": InputView("Base colour", "color", P.BASE_COLOR),
    "specular_roughness": _grey("specular_roughness", P.ROUGHNESS),
    "base_metalness": _grey("base_metalness", P.METALNESS),
    "normal": InputView("Normals", "normal"),
    "height": InputView("Relief height", "height", HEIGHT, unit="mm"),
    "specular_weight": _grey("specular_weight", P.SPECULAR_WEIGHT),
    "specular_ior": _grey("specular_ior", P.IOR, 1.0, 2.5),
    "specular_roughness_anisotropy": _grey("specular_roughness_anisotropy", P.ANISOTROPY),
    "transmission_weight": _grey("transmission_weight", P.TRANSMISSION),
    "subsurface_weight": _grey("subsurface_weight", P.SUBSURFACE),
    "coat_weight": _grey("coat_weight", P.COAT),
    "coat_roughness": _grey("coat_roughness", P.COAT_ROUGHNESS),
    "fuzz_weight": _grey("fuzz_weight", P.FUZZ),
    "geometry_opacity": _grey("geometry_opacity", P.OPACITY),
    "emission": InputView("Emission", "color", P.EMISSION, 1.0, "cd/m²", scale=P.WHITE),
    "material": InputView("Materials", "material"),
    "facets": InputView("Facets", "facets"),
}
"""Views by their key: the input, or what it shows else."""


class InputPicture:
    """Gathers samples of one view; another task begins anew.

    Parameters
    ----------
    task : RenderTask
        Scene and camera.
    key : str
        A key of `INPUT_VIEWS`.
    width, height : int
        Pixels of the picture.
    parts : int
        Number of geometries that are parts; those after them are the backdrop and the ball.

    Attributes
    ----------
    samples : int
    """

    def __init__(self, task: RenderTask, key: str, width: int, height: int, parts: int):
        self.view = INPUT_VIEWS[key]
        if self.view.kind == "height":
            task = replace(task, material_table=with_heights(task.material_table))
        self.task = task
        self.size, self.samples = (width, height), 0
        self._parts = parts
        self._shown = np.zeros((width * height, 3), F)
        self._values = np.zeros((width * height, 3), F)
        self._count = np.zeros(width * height, np.int32)
        self._triangle = np.full(width * height, -1, np.int32)
        self._lock = Lock()

    def add_sample(self, tracer: Tracer, is_stopped) -> bool:
        """Look at all pixels once more.

        Parameters
        ----------
        tracer : Tracer
            Threads.
        is_stopped : callable () -> bool
            True stops it.

        Returns
        -------
        bool
            False where it was stopped; the picture is of no use then.
        """
        if not tracer.look_at_surfaces(self.task, self.size, self.samples, self._take, is_stopped):
            return False
        self.samples += 1
        return True

    def _take(self, met: Surfaces) -> None:
        is_part = (met.part >= 0) & (met.part < self._parts)
        shown = np.full((len(met.pixels), 3), BACKDROP)
        values = self._values_of(met)[is_part]
        shown[is_part] = self._shown_as(values)
        with self._lock:
            self._shown[met.pixels] += shown
            self._values[met.pixels[is_part]] += values
            self._count[met.pixels[is_part]] += 1
            if self.samples == 0:
                self._triangle[met.pixels] = np.where(is_part, met.triangle, -1)

    def _values_of(self, met: Surfaces) -> np.ndarray:
        """Values of the view, (N, 3)."""
        view = self.view
        if view.kind in ("grey", "height"):
            return np.repeat(met.block[met.look, view.column, None], 3, axis=1)
        if view.kind == "color":
            return met.block[met.look, view.column : view.column + 3]
        if view.kind == "material":
            return material_colors(met.material)
        return met.normals

    def _shown_as(self, values: np.ndarray) -> np.ndarray:
        """Share of the display's white, in the display's own steps, (N, 3)."""
        view = self.view
        if view.kind == "normal":
            return values / 2 + 0.5
        if view.kind == "facets":
            facing = np.abs(values @ np.array(self.task.view.forward, F))
            return np.repeat(_SHADE + (1 - _SHADE) * facing[:, None], 3, axis=1)
        if view.kind == "height":
            return values  # tones follow once all heights are known
        share = np.clip((values - view.low) / (view.high - view.low), 0, 1)
        return share if view.kind == "grey" else encode_srgb(share)

    def pixels(self) -> np.ndarray:
        """The picture as it is now, (H, W, 3) uint8."""
        width, height = self.size
        shown = self._shown / max(self.samples, 1)
        if self.view.kind == "height":
            shown = self._height_tones()
        shown = shown.reshape(height, width, 3)
        if self.view.kind == "facets":
            triangle = self._triangle.reshape(height, width)
            edge = np.zeros((height, width), bool)
            edge[:, 1:] |= triangle[:, 1:] != triangle[:, :-1]
            edge[1:] |= triangle[1:] != triangle[:-1]
            shown[edge] *= _LINE
        return (np.clip(shown, 0, 1) * 255 + 0.5).astype(np.uint8)

    def _height_tones(self) -> np.ndarray:
        """Heights between the lowest and the highest that are seen, (N, 3)."""
        seen = self._count > 0
        if not seen.any():
            return self._shown / max(self.samples, 1)
        heights = self._values[seen, :1] / self._count[seen, None]
        low, high = float(heights.min()), float(heights.max())
        tones = np.full((len(seen), 3), BACKDROP)
        share = self._count[seen, None] / max(self.samples, 1)
        tones[seen] = BACKDROP * (1 - share) + share * (heights - low) / max(high - low, 1e-9)
        return tones

    def values(self) -> np.ndarray:
        """Mean values of the view in its unit, (H, W, 3) float32; not a number where no part is seen."""
        width, height = self.size
        with np.errstate(invalid="ignore", divide="ignore"):
            mean = self._values / self._count[:, None] * self.view.scale
        return mean.astype(F).reshape(height, width, 3)


def material_colors(rows: np.ndarray) -> np.ndarray:
    """A colour for each material, told apart easily; mid grey for none.

    Parameters
    ----------
    rows : (N,) int32
        Rows of the material table; 0 for what wears none.

    Returns
    -------
    (N, 3) float64
        Linear Rec.709.
    """
    distinct, place = np.unique(rows, return_inverse=True)
    turn = distinct * _GOLDEN_ANGLE
    lab = np.stack([np.full(len(turn), _LIGHTNESS), _CHROMA * np.cos(turn), _CHROMA * np.sin(turn)], axis=1)
    colors = np.clip(linear_from_lab(lab), 0, 1)
    colors[distinct <= 0] = 0.2
    return colors[place]
