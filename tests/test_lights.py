"""Lights: how they are sampled, and how much they bring."""

import math

import numpy as np
import pytest
from numba import njit

from mat_shelf.demo.sets import SETS
from mat_shelf.document.project import Camera, Softbox
from mat_shelf.document.recipe import Recipe
from mat_shelf.geometry.mesh import checked
from mat_shelf.optics.kernels import F
from mat_shelf.rendering.camera import make_view
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.lights import make_lights, plain_room, room_light, sample_lights, set_lights
from mat_shelf.rendering.scene import Geometry, dress
from mat_shelf.rendering.tracer import Shot, Tracer


def uneven_room(height=16):
    rng = np.random.default_rng(8)
    room = rng.random((height, 2 * height, 3)) ** 4
    room[3, 7] = 60.0  # a small bright lamp
    return room


@njit(error_model="numpy")
def many_directions(lights, numbers, out, pdfs):
    for k in range(len(numbers)):
        n = numbers[k]
        d, _, _, pdf = sample_lights(lights, (F(0), F(0), F(0)), n[0], n[1], n[2], n[3])
        out[k, 0], out[k, 1], out[k, 2] = d
        pdfs[k] = pdf


@njit(error_model="numpy")
def room_densities(lights, directions, out):
    for k in range(len(directions)):
        out[k] = room_light(lights, (directions[k, 0], directions[k, 1], directions[k, 2]))[1]


def test_the_room_is_sampled_as_its_density_says():
    """The density integrates to 1, agrees with the one reported while sampling, and with where samples fall."""
    lights = make_lights(uneven_room())
    rng = np.random.default_rng(9)
    sphere = rng.normal(size=(400_000, 3)).astype(np.float32)
    sphere /= np.linalg.norm(sphere, axis=1, keepdims=True)
    densities = np.zeros(len(sphere), np.float32)
    room_densities(lights, sphere, densities)
    assert densities.mean() * 4 * math.pi == pytest.approx(1.0, rel=0.05)

    numbers = rng.random((200_000, 4)).astype(np.float32)
    out, pdfs, again = (
        np.zeros((len(numbers), 3), np.float32),
        np.zeros(len(numbers)),
        np.zeros(len(numbers), np.float32),
    )
    many_directions(lights, numbers, out, pdfs)
    room_densities(lights, out, again)
    assert np.linalg.norm(out, axis=1) == pytest.approx(1.0, abs=1e-5)
    assert (np.abs(again / pdfs - 1) < 1e-3).mean() > 0.995  # a border between texels may fall either way
    # The lamp's share of the samples is its share of the light.
    row = np.clip(np.arccos(np.clip(out[:, 1], -1, 1)) / math.pi * 16, 0, 15.999).astype(int)
    column = np.clip((np.arctan2(out[:, 0], out[:, 2]) / (2 * math.pi) + 0.5) * 32, 0, 31.999).astype(int)
    lamp = ((row == 3) & (column == 7)).mean()
    solid = np.cos(np.arange(16) / 16 * math.pi) - np.cos(np.arange(1, 17) / 16 * math.pi)
    light = uneven_room() @ [0.2126390, 0.7151687, 0.0721923] * solid[:, None]
    assert lamp == pytest.approx(light[3, 7] / light.sum(), rel=0.03)


@pytest.mark.parametrize(("half_x", "half_z", "height"), [(50, 50, 100), (200, 20, 60)])
def test_a_softbox_lights_the_floor_as_its_configuration_factor_says(half_x, half_z, height):
    """Siegel and Howell, Thermal Radiation Heat Transfer, factor C-4 (from memory): a small area under the corner of a
    parallel rectangle. A matt floor of reflectance r below the middle then shows r L times four such factors."""
    a, b = half_x / height, half_z / height
    u, v = a / math.sqrt(1 + a * a), b / math.sqrt(1 + b * b)
    corner = (u * math.atan(b / math.sqrt(1 + a * a)) + v * math.atan(a / math.sqrt(1 + b * b))) / (2 * math.pi)
    box = Softbox(
        position=(0, height, 0), target=(0, 0, 0), width=2 * half_x, height=2 * half_z, luminance=4000, temperature=6500
    )
    corners = np.array([[-1, 0, -1], [-1, 0, 1], [1, 0, 1], [1, 0, -1]]) * 1000.0
    floor = checked(corners, [[0, 1, 2], [0, 2, 3]])
    shot = Shot(
        Geometry([floor]),
        dress([Recipe(base_color=(0.5, 0.5, 0.5), specular_weight=0.0)], [0]),
        make_lights(np.zeros((4, 8, 3)), [box]),
        # From above, through the softbox: lights hide nothing, and shine to their front only.
        make_view(Camera(position=(0, 500, 1), target=(0, 0, 0), focal_length=800), 8, 8),
        depth=2,
    )
    film, tracer = Film(8, 8), Tracer(1)
    for _ in range(1000):
        tracer.add_sample(shot, film)
    tracer.close()
    middle = film.picture().mean(axis=(0, 1)) @ [0.2126390, 0.7151687, 0.0721923]
    assert middle == pytest.approx(0.5 * 4.0 * 4 * corner, rel=0.02)


def test_turning_a_set_carries_its_lights_round():
    studio = SETS[0]
    here, quarter = set_lights(studio).boxes[0], set_lights(studio.with_(turn=90.0)).boxes[0]
    assert quarter[:3] == pytest.approx([here[2], here[1], -here[0]], abs=1e-2)
    assert quarter[12:] == pytest.approx(here[12:]) and np.linalg.norm(quarter[9:12]) == pytest.approx(1, abs=1e-5)
    whole = set_lights(studio.with_(turn=-180.0)).boxes[0]
    assert whole[:3] == pytest.approx([-here[0], here[1], -here[2]], abs=1e-2)


def test_a_plain_room_has_the_luminance_it_is_given():
    room = plain_room(800, 100)
    assert room[0, 0, 0] == pytest.approx(0.8, rel=0.01) and room[-1, 0, 0] == pytest.approx(0.1, rel=0.03)
    assert (np.diff(room[:, 0, 0]) <= 0).all()


def test_every_set_of_the_demo_is_its_own():
    assert len({studio.id for studio in SETS}) == len({studio.name for studio in SETS}) >= 5
    for studio in SETS:
        lights = set_lights(studio)
        assert lights.room_pick + lights.box_pick.sum() == pytest.approx(1, abs=1e-5)
        assert len(lights.boxes) == len(studio.softboxes) > 0
