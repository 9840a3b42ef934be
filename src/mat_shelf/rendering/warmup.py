"""Compiling the kernels before they are needed."""

from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from multiprocessing import get_context

import numpy as np

from mat_shelf.document.camera import Camera
from mat_shelf.document.finish import Adjustment, Finish
from mat_shelf.document.light import Light
from mat_shelf.document.pattern import Pattern, Relief
from mat_shelf.document.recipe import Recipe
from mat_shelf.fills.cavity import find_cavities
from mat_shelf.fills.edge import Wetting
from mat_shelf.fills.liquid import pour, wall_depths, wall_thickness
from mat_shelf.fills.surface_mesh import COARSE
from mat_shelf.fills.vessel import make_vessel
from mat_shelf.geometry.solids import box, lathe
from mat_shelf.numerics.kernels import cache_folder
from mat_shelf.optics.albedo_tables import albedo_tables
from mat_shelf.optics.measurements import measure
from mat_shelf.patterns.points import Points, part_frames
from mat_shelf.patterns.sources import SOURCES, Noise
from mat_shelf.patterns.step import PatternContext
from mat_shelf.patterns.steps import STEPS
from mat_shelf.rendering.adaptive import tile_variances
from mat_shelf.rendering.camera import make_camera_view
from mat_shelf.rendering.denoise import denoise_film
from mat_shelf.rendering.enlarging import enlarged, guides_of
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.finishing import finished
from mat_shelf.rendering.path_tables import dressing_address
from mat_shelf.rendering.photons import find_buckets
from mat_shelf.rendering.render_task import RenderTask
from mat_shelf.rendering.sums import add_light
from mat_shelf.rendering.tone import develop, tone_map
from mat_shelf.rendering.tracer import Tracer
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.lights import make_lights
from mat_shelf.scene.material_evaluation import bent_normals
from mat_shelf.scene.material_table import make_material_table
from mat_shelf.scene.rooms import plain_room

_MARK = "ready"
_CUP = np.array([(0, 0), (20, 0), (20, 40), (18, 40), (18, 2), (0, 2)], np.float64)
"""Outline of a cup, mm."""


def is_warm() -> bool:
    """True if the kernels of the present sources were compiled before, by this user on this machine.

    Returns
    -------
    bool
    """
    return (cache_folder(__name__) / _MARK).exists()


def warm_up(say: Callable[[str], None] = lambda text: None) -> None:
    """Compiles and keeps every kernel, and the albedo tables. Takes a minute or so the first time.

    Compiling keeps one core busy, so a second process compiles what path tracing does not need at the same time.

    Parameters
    ----------
    say : callable (str) -> None
        Told what is going on.
    """
    with ProcessPoolExecutor(1, mp_context=get_context("spawn")) as beside:
        others = beside.submit(compile_patterns)
        _compile_rendering(say)
        say("kernels of measurements")
        measure(Recipe(), 16)
        say("kernels of patterns")
        try:
            others.result()
        except BrokenProcessPool:  # it was ended from outside, for want of memory perhaps
            compile_patterns()
    try:
        folder = cache_folder(__name__)
        folder.mkdir(parents=True, exist_ok=True)
        (folder / _MARK).touch()
    except OSError:
        say("the cache folder cannot be written, so the next start compiles again")


def _compile_rendering(say: Callable[[str], None]) -> None:
    say("albedo tables")
    albedo_tables()
    say("path tracing kernels")
    task = RenderTask(
        Geometry([box((10, 10, 10), 1)]),
        make_material_table([Recipe(transmission_weight=1.0, specular_roughness=0.0)], [0]),
        make_lights(plain_room(500, 100), (Light(position=(0, 300, 0), width=10, height=10),)),
        make_camera_view(Camera(), 16, 16),
    )
    film = Film(16, 16)
    tracer = Tracer(1)
    tracer.add_samples(task, film)
    tracer.look_at_surfaces(task, (16, 16), 0, lambda *_: None)
    tracer.close()
    find_buckets(np.zeros((1, 3), np.float32), np.float32(1), 16, np.zeros(1, np.int32))
    say("film and denoiser")
    develop(denoise_film(film, "fast"))
    film.halve()
    add_light(np.zeros(1, np.int32), film.halves[:1], film.halves)
    tile_variances(film, np.ones(3, np.float32))
    seen = guides_of(film)
    enlarged(film.picture(), seen, seen)
    tone_map(np.zeros((1, 3), np.float32))


def compile_patterns() -> None:
    """Compiles and keeps what evaluates patterns, every step of them, and marks; what finishes pictures; and pours."""
    for step in (*SOURCES, *STEPS):
        step.run.address  # noqa: B018, asking for it compiles it
    pattern = Pattern(id="p", name="p", steps=(Noise(),))
    fed = Recipe(patterns=(pattern,), relief=(Relief(id="r", pattern="p"),))
    geometry, table = Geometry([box((10, 10, 10), 1)]), make_material_table([fed], [0])
    dressing_address(geometry, table, table.dresser.bind(None, geometry.frames)[0])
    bent_normals((Relief(id="r", pattern="p"),), _few_points(), PatternContext({"p": pattern}))
    light = np.full((32, 32, 3), 0.5, np.float32)
    finished(light, Finish(whole=Adjustment(contrast=1.2), bloom=0.2, vignette=0.2, sharpening=0.5), {})
    cup = find_cavities(make_vessel(lathe(_CUP, 32)))[0]
    pour(cup, wall_depths(wall_thickness(cup), 0.1), 0.5 * cup.capacity, Wetting(), COARSE)


def _few_points() -> Points:
    mesh = box((10, 10, 10), 1)
    frames = part_frames([mesh], [(np.eye(3), np.zeros(3), 1.0)], [1])
    return Points(mesh.vertices, mesh.normals, np.zeros(len(mesh.vertices), np.int32), frames)
