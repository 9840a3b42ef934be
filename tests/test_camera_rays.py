"""Rays from the camera, cast by themselves and together, and samples taken by themselves and together."""

from threading import Event, Thread

import numpy as np
import pytest
import trimesh

from mat_shelf.document.camera import Camera
from mat_shelf.document.light import Light
from mat_shelf.document.recipe import Recipe
from mat_shelf.geometry.mesh import checked
from mat_shelf.geometry.solids import box, moved
from mat_shelf.numerics.low_discrepancy import even_draws
from mat_shelf.rendering import wave_state
from mat_shelf.rendering.camera import make_camera_view, ray_through
from mat_shelf.rendering.camera_rays import generate, generate_and_cast
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.render_task import RenderTask
from mat_shelf.rendering.tracer import TOGETHER, Tracer, _runs
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.interior_list import OUTSIDE
from mat_shelf.scene.lights import make_lights
from mat_shelf.scene.material_table import make_material_table
from mat_shelf.scene.rooms import plain_room

SIZE = 90, 60
CAMERA = Camera(position=(0, 60, 260), target=(0, 25, 0), focal_length=50)
SPHERE = trimesh.creation.icosphere(3)
BALLS = [checked(SPHERE.vertices * radius + at, SPHERE.faces) for radius, at in ((30, (0, 0, 0)), (20, (45, 0, 20)))]
MESHES = [*BALLS, moved(box((300, 2, 300), 1), (0, -31, 0))]


def beginning(samples):
    return wave_state.Beginning(*SIZE, samples, 1, *even_draws(samples, 5), 5, OUTSIDE, True, 1024)


@pytest.mark.parametrize("f_stop", [0.0, 2.8])
def test_rays_cast_together_meet_what_each_meets_by_itself(f_stop):
    """Whichever pixels are asked for, also the last of the picture, behind which there are no more."""
    view, geometry = make_camera_view(CAMERA.with_(f_stop=f_stop), *SIZE), Geometry(MESHES)
    chosen = np.sort(np.random.default_rng(1).choice(SIZE[0] * SIZE[1], 1500, replace=False)).astype(np.int32)
    chosen[-1] = SIZE[0] * SIZE[1] - 1
    begin = beginning(np.arange(3, dtype=np.int32))
    alone, together, hits = (*(wave_state.new_paths(1500) for _ in range(2)), wave_state.new_hits(1500))
    generate(view, chosen, 0, 1500, begin, 2, alone, 0)
    generate_and_cast(view, chosen, 0, 1500, begin, 2, geometry.bundle(), together, hits, 0)
    for name in ("origin", "direction", "random", "pixel"):
        assert np.array_equal(getattr(alone, name), getattr(together, name)), name
    for found, expected in zip(hits, geometry.intersect(alone.origin, alone.direction), strict=True):
        assert np.array_equal(found[hits.geometry >= 0], expected[hits.geometry >= 0])
    assert set(np.unique(hits.geometry)) == {-1, 0, 1, 2}


def test_rays_of_a_pinhole_go_through_their_pixels():
    """Beside the line of sight by linear algebra in double precision."""
    view, count = make_camera_view(CAMERA, *SIZE), SIZE[0] * SIZE[1]
    samples, paths = np.zeros(1, np.int32), wave_state.new_paths(count)
    generate(view, np.arange(count, dtype=np.int32), 0, count, beginning(samples), 0, paths, 0)
    within = even_draws(0, 5)[0][:2] / 2.0**32
    rows, columns = np.divmod(np.arange(count), SIZE[0])
    origin, way = ray_through(view, (columns + within[0]) / SIZE[0], (rows + within[1]) / SIZE[1])
    assert paths.origin == pytest.approx(np.broadcast_to(origin, (count, 3)), abs=1e-4)
    assert paths.direction == pytest.approx(way / np.linalg.norm(way, axis=1, keepdims=True), abs=1e-6)


def test_samples_taken_together_are_those_taken_one_by_one():
    recipes = [Recipe(transmission_weight=1.0, specular_roughness=0.1), Recipe(base_color=(0.6, 0.1, 0.1)), Recipe()]
    lights = make_lights(plain_room(800, 100), [Light(position=(100, 300, 100))])
    table = make_material_table(recipes, range(3))
    task = RenderTask(Geometry(MESHES), table, lights, make_camera_view(CAMERA, *SIZE), photons=False)
    tracer, single, grouped, parts = Tracer(2), Film(*SIZE), Film(*SIZE), Film(*SIZE)
    for film in (single, grouped, parts):
        film.halve()
    for _ in range(21):
        tracer.add_samples(task, single)
    steps = []
    while grouped.samples < 21:
        tracer.add_samples(task, grouped, most=21 - grouped.samples)
        steps.append(grouped.samples)
    assert steps == [1, 2, 4, 8, 16, 21] and TOGETHER == 8
    calls = iter(range(10_000))
    while len(left := np.flatnonzero(parts.sums.counts < 21).astype(np.int32)):  # stopped time and again
        fewest = int(parts.sums.counts[left].min())
        tracer.add_samples(task, parts, lambda: next(calls) % 3 == 2, left, 21 - fewest)
    tracer.close()
    for name, sums in grouped.sums._asdict().items():
        assert sums == pytest.approx(getattr(single.sums, name), rel=1e-5, abs=1e-4), name
        assert np.array_equal(sums, getattr(parts.sums, name)), name
    assert grouped.halves == pytest.approx(single.halves, rel=1e-5, abs=1e-4)
    assert np.array_equal(grouped.halves, parts.halves)


def test_every_pixel_is_in_one_run():
    """Of any number, for any number of threads, and however short runs have to be."""
    chance = np.random.default_rng(4)
    sizes = [(*chance.integers(1, 1 << chance.integers(1, 12, 2)), chance.integers(1, 65)) for _ in range(300)]
    for count, longest, threads in [*sizes, (1350, 12, 7), (1, 1, 64), (131_072, 256, 16), (500_000, 16_384, 2)]:
        pixels = chance.permutation(count).astype(np.int32)
        runs = _runs(pixels, int(threads), int(longest))
        lengths = [len(run) for run in runs]
        assert min(lengths) > 0 and max(lengths) <= longest, (count, longest, threads)
        assert np.array_equal(np.sort(np.concatenate(runs)), np.arange(count)), (count, longest, threads)


def test_a_tracer_is_closed_in_the_middle_of_a_sample():
    """What waits for the sample is told at once that it was stopped; a window is closed like this."""
    table = make_material_table([Recipe()] * 3, range(3))
    task = RenderTask(Geometry(MESHES), table, make_lights(plain_room(800, 100)), make_camera_view(CAMERA, 900, 600))
    tracer, film, told, is_under_way = Tracer(2), Film(900, 600), [], Event()
    waiting = Thread(target=lambda: told.append(tracer.add_samples(task, film, is_under_way.set)), daemon=True)
    waiting.start()
    assert is_under_way.wait(60)
    tracer.close()
    waiting.join(60)
    assert told == [False]
    counts = film.sums.counts
    assert (counts <= 1).all() and (film.sums.light[counts == 0] == 0).all()
