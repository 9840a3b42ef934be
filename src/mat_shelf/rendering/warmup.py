"""Compiling the kernels before they are needed."""

from collections.abc import Callable

import numpy as np

from mat_shelf.document.project import Camera, Softbox
from mat_shelf.document.recipe import Recipe
from mat_shelf.geometry.solids import box
from mat_shelf.optics.energy import albedo_tables
from mat_shelf.optics.kernels import cache_folder
from mat_shelf.rendering.camera import make_view
from mat_shelf.rendering.denoise import denoised
from mat_shelf.rendering.film import Film, develop, tone_map
from mat_shelf.rendering.lights import make_lights, plain_room
from mat_shelf.rendering.scene import Geometry, dress
from mat_shelf.rendering.tracer import Shot, Tracer

_MARK = "ready"


def is_warm() -> bool:
    """Whether the kernels of the present sources were compiled before, by this user on this machine."""
    return (cache_folder() / _MARK).exists()


def warm_up(say: Callable[[str], None] = lambda text: None) -> None:
    """Compiles and keeps every kernel, and the albedo tables. Takes up to a minute the first time."""
    say("albedo tables")
    albedo_tables()
    say("path tracing kernels")
    shot = Shot(
        Geometry([box((10, 10, 10), 1)]),
        dress([Recipe()], [0]),
        make_lights(plain_room(500, 100), (Softbox(position=(0, 300, 0)),)),
        make_view(Camera(), 16, 16),
    )
    film = Film(16, 16)
    tracer = Tracer(1)
    tracer.add_sample(shot, film)
    tracer.close()
    say("film and denoiser")
    develop(denoised(film, "fast"))
    tone_map(np.zeros((1, 3), np.float32))
    try:
        (cache_folder() / _MARK).touch()
    except OSError:
        say("the cache folder cannot be written, so the next start compiles again")
