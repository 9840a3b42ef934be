"""All that a render is of: scene, camera and settings."""

from dataclasses import dataclass

import numpy as np

from mat_shelf.rendering.camera import CameraView
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.wave_state import KINDS
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.light_faces import Lights
from mat_shelf.scene.material_table import MaterialTable

NO_LIMIT = 1e30
BRIGHTEST = 24.0
"""Most that a path brings at once to a picture that is exposed as it is, as `RenderTask.brightest`."""
MOST_BOUNCES = 4000
"""A technical bound."""


@dataclass(frozen=True)
class RenderTask:
    """All that one pass over a film needs.

    Attributes
    ----------
    depth : int
        Bounces at which paths end. Nearly all were ended by chance long before `MOST_BOUNCES`, so that no light is
        missing; fewer are for quick pictures, and darken bright rooms and glass.
    brightest : float
        Most that one path may bring to its pixel, 1 = 1000 cd/m2, after it was turned by a matt surface, and the more
        the shinier all was that it met; the rest is spread over the picture (`rendering.firefly_redistribution`).
    fed_depth : int
        Waves of a path in which patterns count; from then on it meets materials' constant values.
    marked_depth : int
        Waves of a path in which marks count.
    straight : bool
        Whether rays towards lights go straight through clear glass instead of being stopped by it. That is quick to
        clear up and not true: bent light draws no bright patterns then, and glass casts too even a shadow.
    cut_out : bool
        Whether the camera sees only the product; backdrop and lights are still reflected in it.
    bears_shadow : bool
        Whether the picture is cut out together with the shadow that the product casts; see `plate.cut_with_shadow`.
    keeps_apart : bool
        Whether the film has a layer for each light, for the room, for what glows and for each part that is a light,
        in this order.
    by_kind : bool
        Whether the film has a layer for each of `wave_state.KINDS` instead.
    empty : RenderTask or None
        The set without the product, where a photograph stands in the place of the backdrop.
    catches : bool
        Whether that is so.
    backplate : (H, W, 3) float32 or None
        The photograph then, of any size, as it is seen through clear glass and in mirrors; it has a last layer of its
        own.
    photons : bool
        Whether light of small lights that mirrors and clear bodies throw is found by photons, where it does not go
        straight through (`rendering.photons`), or left to chance.
    """

    geometry: Geometry
    material_table: MaterialTable
    lights: Lights
    view: CameraView
    depth: int = MOST_BOUNCES
    brightest: float = NO_LIMIT
    seed: int = 1
    straight: bool = False
    cut_out: bool = False
    bears_shadow: bool = False
    keeps_apart: bool = False
    by_kind: bool = False
    empty: "RenderTask | None" = None
    catches: bool = False
    backplate: np.ndarray | None = None
    photons: bool = True
    fed_depth: int = 1 << 20
    marked_depth: int = 1 << 20

    @property
    def layers(self) -> np.ndarray:
        """Layer of the film for each light, the room, what glows, each part that is a light, and the photograph."""
        count = max(len(self.lights.table) + 1, int(self.lights.glow_layer.max(initial=0))) + 1
        lit = np.arange(count, dtype=np.int32) if self.keeps_apart else np.zeros(count, np.int32)
        last = len(KINDS) - 1 if self.by_kind else lit[-1]
        return np.append(lit, last + (1 if self.catches and not self.cut_out else 0)).astype(np.int32)

    @property
    def layer_count(self) -> int:
        """Layers of its film."""
        return int(self.layers.max()) + 1

    def film(self, width: int, height: int) -> Film:
        """An empty film with as many layers as it needs.

        Parameters
        ----------
        width, height : int
            Pixels.

        Returns
        -------
        Film
        """
        made = Film(width, height, self.layer_count, self.catches, self.cut_out)
        if self.empty is not None:
            made.empty = self.empty.film(width, height)
        return made
