"""Light through glass: a tumbler under a hard lamp."""

import time
from dataclasses import replace

import numpy as np

from mat_shelf.document.camera import Camera
from mat_shelf.document.light import Light
from mat_shelf.document.recipe import Recipe
from mat_shelf.geometry.mesh import checked
from mat_shelf.geometry.solids import lathe, moved, rounded
from mat_shelf.rendering.camera import make_camera_view
from mat_shelf.rendering.render_task import BRIGHTEST, RenderTask
from mat_shelf.rendering.tracer import Tracer
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.lights import make_lights
from mat_shelf.scene.material_table import make_material_table
from mat_shelf.scene.rooms import plain_room

_SIZE, _SAMPLES, _TRUE_SAMPLES = (180, 120), 256, 2048
_DIM = 0.05
"""Light, 1 = 1000 cd/m2, below which errors count as if it were that bright."""


def caustic(say) -> dict[str, float]:
    """What photons make of the bright patterns under a tumbler.

    Returns
    -------
    dict of float
        `error`: relative error, on the table, of a picture of 256 samples over that of one whose light is left to
        chance; `time`: the time of the one over that of the other.
    """
    say("light through glass")
    corners = np.array([[-1, 0, -1], [-1, 0, 1], [1, 0, 1], [1, 0, -1]]) * 400.0
    outline = [(0, 0), (30, 0), (34, 90), (31, 90), (27, 6), (0, 6)]
    glass = moved(lathe(rounded(outline, [0, 3, 1, 1, 4, 0]), 192), (0, 0.05, 0))
    recipes = [
        Recipe(base_color=(0.6, 0.6, 0.6), specular_weight=0.0),
        Recipe(transmission_weight=1.0, specular_roughness=0.0),
    ]
    lamp = Light(kind="spot", position=(-280, 430, 230), target=(0, 30, 0), diameter=12, cone=70, luminance=9e6)
    task = RenderTask(
        Geometry([checked(corners, [[0, 1, 2], [0, 2, 3]]), glass]),
        make_material_table(recipes, [0, 1]),
        make_lights(plain_room(35, 12), [lamp]),
        make_camera_view(Camera(position=(0, 200, 420), target=(25, 25, 0), focal_length=70), *_SIZE),
        brightest=BRIGHTEST,
    )
    tracer = Tracer()
    truth, on_table, _ = _picture(tracer, replace(task, seed=2), _TRUE_SAMPLES)
    by_photons, _, photons_s = _picture(tracer, task, _SAMPLES)
    by_chance, _, chance_s = _picture(tracer, replace(task, photons=False), _SAMPLES)
    tracer.close()
    # Not in the glass: where it mirrors the lamp itself, a pixel is thousands of times as bright as all others.
    errors = [_relative_error(picture[on_table], truth[on_table]) for picture in (by_photons, by_chance)]
    error = errors[0] / errors[1]
    return {"error": round(error, 3), "time": round(photons_s / chance_s, 2)}


def _picture(tracer: Tracer, task: RenderTask, samples: int) -> tuple[np.ndarray, np.ndarray, float]:
    film, started = task.film(*_SIZE), time.perf_counter()
    tracer.fill(task, film, samples)
    return film.picture(), film.part == 0, time.perf_counter() - started


def _relative_error(picture: np.ndarray, truth: np.ndarray) -> float:
    """Root of the mean square of the error relative to each pixel's own light."""
    return float(np.sqrt(np.mean((picture - truth) ** 2 / (truth**2 + _DIM**2))))
