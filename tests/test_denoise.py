"""Noise removal keeps how bright things are, and what is sharp behind glass."""

import numpy as np
import pytest
from test_rendering import AHEAD, EVEN, ball, floor

from mat_shelf.document.camera import Camera
from mat_shelf.document.recipe import Recipe
from mat_shelf.geometry.solids import box, moved
from mat_shelf.rendering.camera import make_camera_view
from mat_shelf.rendering.denoise import denoise_film
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.render_task import RenderTask
from mat_shelf.rendering.tracer import Tracer
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.lights import make_lights
from mat_shelf.scene.material_table import make_material_table
from mat_shelf.scene.rooms import plain_room

GLOW = Recipe(base_color=(0, 0, 0), specular_weight=0.0, emission_luminance=500.0)


def filmed(meshes, recipes, lights, camera, size, samples, zoned=()) -> Film:
    material_table = make_material_table(recipes, range(len(meshes)), zoned=zoned)
    task = RenderTask(Geometry(meshes), material_table, lights, make_camera_view(camera, *size))
    film, tracer = Film(*size), Tracer(2)
    tracer.fill(task, film, samples)
    tracer.close()
    return film


@pytest.mark.parametrize("quality", ["fast", "high"])
@pytest.mark.parametrize("size", [(48, 48), (200, 120)])
def test_what_has_no_noise_stays_as_bright_as_it_is(quality, size, figure):
    """A ball that gives off 500 cd/m² reads .5 of the picture's 1000, small or large; from the definition."""
    camera = AHEAD.with_(focal_length=400)
    film = filmed([ball()], [GLOW], make_lights(EVEN * 0), camera, size, 8)
    middle = denoise_film(film, quality)[size[1] // 3 : size[1] * 2 // 3, size[0] // 3 : size[0] * 2 // 3]
    figure(middle.mean(axis=(0, 1)), 0.5)
    assert middle.mean(axis=(0, 1)) == pytest.approx([0.5] * 3, rel=0.02)


def test_a_plain_picture_stays_plain_to_its_corners(figure):
    """A room of one colour and nothing in it: each pixel has that colour."""
    color = np.float32([0.5, 0.4, 0.3])
    film = filmed([ball(0.1, at=(0, 0, 5000))], [GLOW], make_lights(EVEN * color), AHEAD, (64, 48), 4)
    made = denoise_film(film)
    figure(made, color)
    assert made == pytest.approx(np.broadcast_to(color, made.shape), rel=0.02)


@pytest.mark.long
def test_small_dark_parts_keep_their_brightness(figure):
    """Twelve small parts, dark and tinted, before a bright floor in few samples: cleaned, each is as bright as raw, and
    as after many samples, within what its own noise allows."""
    rng = np.random.default_rng(8)
    places = [(float(x), 0.0, float(z)) for x in (-90, -30, 30, 90) for z in (-60, 0, 60)]
    meshes = [moved(box((14, 14, 14), 1.0), place) for place in places] + [floor()]
    colors = [tuple(float(c) for c in rng.uniform(0.01, 0.1, 3)) for _ in places]
    recipes = [Recipe(base_color=color, specular_roughness=0.4) for color in colors]
    recipes += [Recipe(base_color=(0.8, 0.8, 0.8), specular_weight=0.0)]
    camera = Camera(position=(0, 260, 330), target=(0, 5, 0), focal_length=60)
    lights = make_lights(plain_room(1500, 200))
    film = filmed(meshes, recipes, lights, camera, (240, 160), 16)
    truth = filmed(meshes, recipes, lights, camera, (240, 160), 256).picture()
    part = film.part
    for quality in ("fast", "high"):
        made = denoise_film(film, quality)
        for index in range(len(places)):
            seen = part == index
            assert seen.sum() > 100
            raw = film.picture()[seen].mean(axis=0)
            figure(made[seen].mean(axis=0), truth[seen].mean(axis=0))
            assert made[seen].mean(axis=0) == pytest.approx(raw, rel=0.04)
            assert made[seen].mean(axis=0) == pytest.approx(truth[seen].mean(axis=0), rel=0.06)


@pytest.mark.long
def test_a_label_is_as_sharp_behind_glass_as_beside_it():
    """Stripes of 4 mm on a board, half of it behind a pane of clear glass 6 mm thick: after cleaning few samples they
    stand out behind it as they do beside it, less what its two faces reflect (8 percent, Born and Wolf 1.5)."""
    board = moved(box((160, 100, 2), 0.01), (0, 0, -8))
    wide = np.linspace(-80, 80, 41)
    strips = [moved(box((4, 100, 1), 0.01), (float(x), 0, -6)) for x in (wide[:-1] + wide[1:])[::2] / 2]
    pane = moved(box((80, 100, 6), 0.01), (40, 0, 0))
    dark, pale = (Recipe(base_color=(c,) * 3, specular_weight=0.0) for c in (0.05, 0.7))
    glass = Recipe(transmission_weight=1.0, specular_roughness=0.0)
    camera = Camera(position=(0, 50, 500), target=(0, 50, 0), focal_length=100)
    film = filmed([board, pane, *strips], [pale, glass, *[dark] * len(strips)], make_lights(plain_room(900, 900)),
                  camera, (320, 120), 12)  # fmt: skip
    rows = denoise_film(film)[50:70].mean(axis=(0, 2))
    beside, behind = rows[90:150], rows[172:232]
    assert np.ptp(behind) > 0.8 * np.ptp(beside)
    assert np.abs(np.diff(behind)).max() > 0.7 * np.abs(np.diff(beside)).max()
