"""Lights: how they are chosen among many, and how their layers are mixed."""

import statistics
import time

import numpy as np

from mat_shelf.document.camera import Camera
from mat_shelf.document.light import Light
from mat_shelf.document.recipe import Recipe
from mat_shelf.geometry.mesh import checked
from mat_shelf.geometry.solids import box, moved
from mat_shelf.rendering.camera import make_camera_view
from mat_shelf.rendering.film import Film, mixed
from mat_shelf.rendering.render_task import RenderTask
from mat_shelf.rendering.tracer import Tracer
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.lights import make_lights
from mat_shelf.scene.material_table import make_material_table

_WIDTH, _HEIGHT, _ROUNDS, _SAMPLES = 240, 160, 3, 8
_SIZE = 790, 420
"""Pixels of the wall's picture in a window of 1280 x 800."""


def lights(say) -> dict[str, float]:
    """Choice among many lights, and mixing of layers.

    Returns
    -------
    dict of float
        `sampling_vs_one`: time to equal relative error of 24 softboxes that tile the area of one, over that of
        the one; the median of some rounds that take turns. `relight_ms`, `relight_1080p_ms`: mixing ten layers.
    """
    say("lights")
    return {"sampling_vs_one": round(_sampling_vs_one(), 2)} | _mixing()


def _tiles(whole: Light) -> list[Light]:
    across, up = 6, 4
    x = (np.arange(across) + 0.5) / across * whole.width - whole.width / 2
    z = (np.arange(up) + 0.5) / up * whole.height - whole.height / 2
    height = whole.position[1]
    size = {"width": whole.width / across, "height": whole.height / up}
    return [whole.with_(position=(a, height, b), target=(a, 0, b), **size) for b in z for a in x]


def _task(lit_by: list[Light]) -> RenderTask:
    corners = np.array([[-1, 0, -1], [-1, 0, 1], [1, 0, 1], [1, 0, -1]]) * 400.0
    floor = checked(corners, [[0, 1, 2], [0, 2, 3]])
    meshes = [floor, moved(box((80, 60, 80), 4), (-60, 0, 0)), moved(box((60, 120, 60), 4), (80, 0, -40))]
    recipes = [Recipe(base_color=(0.6, 0.6, 0.6)), Recipe(base_color=(0.5, 0.2, 0.1), specular_roughness=0.4)]
    view = make_camera_view(Camera(position=(0, 260, 620), target=(0, 30, 0), focal_length=70), _WIDTH, _HEIGHT)
    lit = make_lights(np.full((16, 32, 3), 0.02), lit_by)
    return RenderTask(Geometry(meshes), make_material_table(recipes, [0, 1, 1]), lit, view, depth=4)


def _sampling_vs_one() -> float:
    whole = Light(position=(0, 300, 0), width=360, height=240, luminance=4000, is_seen=False)
    tasks = [_task([whole]), _task([light.with_(is_seen=False) for light in _tiles(whole)])]
    tracer, truth = Tracer(), Film(_WIDTH, _HEIGHT)
    tracer.fill(tasks[0], truth, 256)
    true = truth.picture()
    costs = []
    for round_ in range(_ROUNDS):
        found = []
        for task in tasks:
            film = Film(_WIDTH, _HEIGHT)
            task = RenderTask(**{**task.__dict__, "seed": 50 + round_})
            tracer.add_samples(task, film)
            film = Film(_WIDTH, _HEIGHT)
            started = time.perf_counter()
            tracer.fill(task, film, _SAMPLES)
            seconds = time.perf_counter() - started
            error = ((film.picture() - true) ** 2 / (true**2 + 1e-3)).mean()
            found.append(seconds * error)
        costs.append(found[1] / found[0])
    tracer.close()
    return statistics.median(costs)


def _mixing() -> dict[str, float]:
    gains = np.linspace(0.5, 2, 30).reshape(10, 3)
    found = {}
    for name, (width, height) in (("relight_ms", _SIZE), ("relight_1080p_ms", (1920, 1080))):
        light = np.random.default_rng(1).random((width * height, 10, 3), np.float32)
        counts = np.ones(width * height, np.float32)
        mixed(light, gains, counts)
        times = []
        for _ in range(5):
            started = time.perf_counter()
            mixed(light, gains, counts)
            times.append(time.perf_counter() - started)
        found[name] = round(statistics.median(times) * 1000, 1)
    return found
