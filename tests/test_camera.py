"""Cameras: moving about, and the thin lens."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from mat_shelf.document.camera import Camera
from mat_shelf.document.light import Light
from mat_shelf.document.recipe import Recipe
from mat_shelf.geometry.solids import box, moved
from mat_shelf.rendering.camera import make_camera_view, project_point
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.navigation import dolly, fitted, framed, orbit, pan
from mat_shelf.rendering.render_task import RenderTask
from mat_shelf.rendering.tracer import Tracer
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.lights import make_lights
from mat_shelf.scene.material_table import make_material_table

START = Camera(position=(100, 200, 500), target=(10, 20, 30))
angles = st.floats(-7, 7)


def distance(camera: Camera) -> float:
    return float(np.linalg.norm(np.subtract(camera.position, camera.target)))


@given(st.lists(st.tuples(angles, angles), max_size=6))
def test_going_round_keeps_distance_and_never_tips_over(steps):
    camera = START
    for around, above in steps:
        camera = orbit(camera, around, above)
        up = make_camera_view(camera, 30, 20).up
        assert distance(camera) == pytest.approx(distance(START), rel=1e-4)
        assert camera.target == START.target and up[1] > 0


def test_shifting_moves_the_subject_across_the_picture():
    shifted = pan(START, 0.1, -0.05)
    moved_by = np.subtract(shifted.target, START.target)
    view = make_camera_view(START, 30, 20)
    assert moved_by @ np.array(view.right) == pytest.approx(0.1 * distance(START), rel=1e-3)
    assert moved_by @ np.array(view.up) == pytest.approx(-0.05 * distance(START), rel=1e-3)
    assert np.subtract(shifted.position, START.position) == pytest.approx(moved_by, abs=1e-3)


def test_coming_near_stops_before_the_subject():
    assert distance(dolly(START, 0.5)) == pytest.approx(distance(START) / 2, rel=1e-4)
    assert distance(dolly(START, 1e-9)) == pytest.approx(5, abs=1e-3)


def test_framing_shows_the_whole_box():
    bounds = np.array([[-20, 0, -10], [40, 70, 30]], float)
    camera = framed(START, bounds)
    view = make_camera_view(camera, 36, 24)
    for x in bounds[:, 0]:
        for y in bounds[:, 1]:
            for z in bounds[:, 2]:
                to = np.subtract((x, y, z), camera.position)
                depth = to @ np.array(view.forward)
                assert abs(to @ np.array(view.right)) < view.half_width * depth
                assert abs(to @ np.array(view.up)) < view.half_height * depth


def test_blur_has_the_size_of_the_thin_lens_formula():
    """Thin lens (any optics text): a point at distance d, with focus at s and aperture A = f / N, spreads over
    A |d - s| / s as seen at its own distance. An edge then fades over that width."""
    focal, f_stop, focus, far = 100.0, 2.0, 400.0, 800.0
    camera = Camera(position=(0, 0, 0), target=(0, 0, -1), focal_length=focal, f_stop=f_stop, focus=focus)
    wall = moved(box((400, 800, 1), 0.01), (200, -400, -far - 0.5))  # its edge stands in the middle of the picture
    glow = Light(position=(0, 0, 3000), target=(0, 0, 0), width=8000, height=8000)
    task = RenderTask(
        Geometry([wall]),
        make_material_table([Recipe(specular_weight=0.0)], [0]),
        make_lights(np.zeros((4, 8, 3)), [glow]),
        make_camera_view(camera, 300, 200),
    )
    film, tracer = Film(300, 200), Tracer()
    tracer.fill(task, film, 20)
    tracer.close()
    profile = film.picture()[:, :, 1].mean(axis=0)
    profile = profile / profile[260:].mean()
    millimetre = 300 / (36 * far / focal)  # pixels at the wall's distance
    blur = focal / f_stop * (far - focus) / focus
    # A disc's edge fades along (theta - sin(theta)) / 2 pi: from 0.1 to 0.9 it takes 0.687 of the width.
    fade = np.interp([0.1, 0.9], profile[60:240], np.arange(60, 240))
    assert (fade[1] - fade[0]) / millimetre == pytest.approx(0.687 * blur, rel=0.05)


@pytest.mark.parametrize("size", [(74, 160, 74), (300, 20, 200), (10, 10, 400), (1, 1, 1)])
def test_a_fitted_box_is_whole_in_the_picture_and_fills_it(size):
    """In a 3 : 2 picture, and in any wider or narrower one, which shows more than the frame."""
    bounds = np.array([[-size[0] / 2, 0, -size[2] / 2], [size[0] / 2, size[1], size[2] / 2]])
    camera = fitted(Camera(position=(-180, 330, 830), target=(0, 0, 0), focal_length=105), bounds, fill=0.8)
    for width, height in ((300, 200), (500, 200), (200, 300)):
        view = make_camera_view(camera, width, height)
        corners = [[bounds[k >> axis & 1][axis] for axis in range(3)] for k in range(8)]
        places = np.array([project_point(view, corner) for corner in corners])
        assert places.min() > 0.05 and places.max() < 0.95
        if (width, height) == (300, 200):
            assert np.abs(places - 0.5).max() == pytest.approx(0.4, abs=1e-3)
