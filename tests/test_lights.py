"""Lights: how they are sampled, and how much they bring."""

import math
from dataclasses import replace

import numpy as np
import OpenImageIO
import pytest
import trimesh
from numba import njit

from mat_shelf.document.camera import Camera
from mat_shelf.document.image import ImageRef
from mat_shelf.document.light import Light
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.image_reading import ImageError, read_environment
from mat_shelf.geometry.mesh import checked
from mat_shelf.numerics.kernels import F
from mat_shelf.rendering.camera import make_camera_view
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.render_task import RenderTask
from mat_shelf.rendering.tracer import Tracer
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.light_faces import room_light
from mat_shelf.scene.light_sampling import sample_lights
from mat_shelf.scene.lights import aimed_at_all, has_sun, make_lights, set_lights
from mat_shelf.scene.material_table import make_material_table
from mat_shelf.scene.rooms import plain_room
from mat_shelf.scene.sets import SETS


def uneven_room(height=16):
    rng = np.random.default_rng(8)
    room = rng.random((height, 2 * height, 3)) ** 4
    room[3, 7] = 60.0  # a small bright lamp
    return room


@njit(error_model="numpy")
def many_directions(lights, numbers, weights, out, pdfs):
    for k in range(len(numbers)):
        n = numbers[k]
        d, _, _, pdf, _, _ = sample_lights(lights, (F(0), F(0), F(0)), -1, weights, F(0), n[0], n[1], n[2], n[3])
        out[k, 0], out[k, 1], out[k, 2] = d
        pdfs[k] = pdf


@njit(error_model="numpy")
def room_densities(lights, directions, out):
    for k in range(len(directions)):
        out[k] = room_light(lights, (directions[k, 0], directions[k, 1], directions[k, 2]))[1]


@pytest.mark.long
@pytest.mark.parametrize("is_whole", [True, False])
def test_the_room_is_sampled_as_its_density_says(is_whole):
    """The density integrates to 1, agrees with the one reported while sampling, and with where samples fall."""
    lights = make_lights(uneven_room())
    lights = aimed_at_all(lights) if is_whole else lights
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
    many_directions(lights, numbers, np.zeros(1, np.float32), out, pdfs)
    room_densities(lights, out, again)
    assert np.linalg.norm(out, axis=1) == pytest.approx(1.0, abs=1e-5)
    assert (np.abs(again / pdfs - 1) < 1e-3).mean() > 0.995  # a border between texels may fall either way
    # The lamp's share of the samples, and of what lies beside it, is its share of the light, or of what is aimed at.
    row = np.clip(np.arccos(np.clip(out[:, 1], -1, 1)) / math.pi * 16, 0, 15.999).astype(int)
    column = np.clip((np.arctan2(-out[:, 0], out[:, 2]) / (2 * math.pi) + 0.5) * 32, 0, 31.999).astype(int)
    lamp = ((abs(row - 3) <= 1) & (abs(column - 7) <= 1)).mean()
    solid = np.cos(np.arange(16) / 16 * math.pi) - np.cos(np.arange(1, 17) / 16 * math.pi)
    light = uneven_room() @ [0.2126390, 0.7151687, 0.0721923] * solid[:, None]
    if is_whole:
        assert lamp == pytest.approx(light[2:5, 6:9].sum() / light.sum(), rel=0.03)
    else:  # Most of what is brighter than the mean is the lamp; nothing that is darker is aimed at.
        assert lamp > light[2:5, 6:9].sum() / light.sum()
        dark = light / solid[:, None] < 0.5 * light.sum() / solid.sum() / 32
        shares = np.histogram2d(row, column, (16, 32), ((0, 16), (0, 32)))[0]
        assert shares[8:][dark[8:]].sum() < 0.02 * len(out)


def test_an_even_room_is_not_aimed_at():
    """Directions of a matt surface find it as well, so that no ray is sent towards it; a lamp in it is aimed at."""
    for room in (np.ones((8, 16, 3)), plain_room(1000, 300), np.zeros((4, 8, 3))):
        lights = make_lights(room)
        assert lights.room_weight == 0 and not lights.density.any()
        assert aimed_at_all(lights).room_weight > 0
    lamp = np.full((8, 16, 3), 0.1)
    lamp[2, 5] = 400.0
    lights = make_lights(lamp)
    assert lights.room_weight > 0 and np.unravel_index(lights.density.argmax(), (8, 16)) == (2, 5)


@pytest.mark.parametrize(("half_x", "half_z", "height"), [(50, 50, 100), (200, 20, 60)])
def test_a_softbox_lights_the_floor_as_its_configuration_factor_says(half_x, half_z, height):
    """Siegel and Howell, Thermal Radiation Heat Transfer, factor C-4 (from memory): a small area under the corner of a
    parallel rectangle. A matt floor of reflectance r below the middle then shows r L times four such factors."""
    a, b = half_x / height, half_z / height
    u, v = a / math.sqrt(1 + a * a), b / math.sqrt(1 + b * b)
    corner = (u * math.atan(b / math.sqrt(1 + a * a)) + v * math.atan(a / math.sqrt(1 + b * b))) / (2 * math.pi)
    box = Light(
        position=(0, height, 0), target=(0, 0, 0), width=2 * half_x, height=2 * half_z, luminance=4000, temperature=6500
    )
    corners = np.array([[-1, 0, -1], [-1, 0, 1], [1, 0, 1], [1, 0, -1]]) * 1000.0
    floor = checked(corners, [[0, 1, 2], [0, 2, 3]])
    task = RenderTask(
        Geometry([floor]),
        make_material_table([Recipe(base_color=(0.5, 0.5, 0.5), specular_weight=0.0)], [0]),
        make_lights(np.zeros((4, 8, 3)), [box]),
        # From above, through the softbox: lights hide nothing, and shine to their front only.
        make_camera_view(Camera(position=(0, 500, 1), target=(0, 0, 0), focal_length=800), 8, 8),
        depth=2,
    )
    film, tracer = Film(8, 8), Tracer(1)
    tracer.fill(task, film, 1000)
    tracer.close()
    middle = film.picture().mean(axis=(0, 1)) @ [0.2126390, 0.7151687, 0.0721923]
    assert middle == pytest.approx(0.5 * 4.0 * 4 * corner, rel=0.02)


def test_turning_a_set_carries_its_lights_round():
    studio = SETS[0]
    here, quarter = (set_lights(one, Assets()).table[0] for one in (studio, studio.with_(turn=90.0)))
    assert quarter[:3] == pytest.approx([here[2], here[1], -here[0]], abs=1e-2)
    assert quarter[12:] == pytest.approx(here[12:]) and np.linalg.norm(quarter[9:12]) == pytest.approx(1, abs=1e-5)
    whole = set_lights(studio.with_(turn=-180.0), Assets()).table[0]
    assert whole[:3] == pytest.approx([-here[0], here[1], -here[2]], abs=1e-2)


def test_a_plain_room_has_the_luminance_it_is_given():
    room = plain_room(800, 100)
    assert room[0, 0, 0] == pytest.approx(0.8, rel=0.01) and room[-1, 0, 0] == pytest.approx(0.1, rel=0.03)
    assert (np.diff(room[:, 0, 0]) <= 0).all()


def room_with_a_lamp(folder, kind: str, height=32, at=(8, 40)) -> bytes:
    """A dim room with one bright texel, written by an independent library."""
    pixels = np.full((height, 2 * height, 3), 0.25, np.float32)
    pixels[at] = (900.0, 600.0, 300.0)
    path = folder / f"room.{kind}"
    assert OpenImageIO.ImageBuf(pixels).write(str(path))
    return path.read_bytes()


@pytest.mark.parametrize("kind", ["exr", "hdr"])
def test_a_room_picture_lights_from_where_it_is_bright(tmp_path, kind):
    """Latitude and longitude as seen from its middle: the top row is up, the middle column +z, the left half +x."""
    assets = Assets()
    key, found = assets.add_room(room_with_a_lamp(tmp_path, kind))
    assert found == kind and assets.rooms[key][8, 40] == pytest.approx((900, 600, 300), rel=0.01)
    studio = SETS[0].with_(room=ImageRef(name="room", digest=key, kind=kind), lights=(), room_luminance=500.0)
    for turn in (0.0, 90.0):
        lights = set_lights(studio.with_(turn=turn), assets)
        i, j = np.unravel_index(lights.density.argmax(), lights.density.shape)
        around, up = (0.5 - (j + 0.5) / 64) * 360, 90 - (i + 0.5) / 32 * 180
        assert around == pytest.approx((0.5 - 40.5 / 64) * 360 + turn) and up == pytest.approx(90 - 8.5 / 32 * 180)
        assert lights.room.max() == pytest.approx(450, rel=0.01)  # 900 times 500 over 1000 cd/m2


def test_room_pictures_that_cannot_be_used_say_why(tmp_path):
    whole = room_with_a_lamp(tmp_path, "exr")

    def written(pixels) -> bytes:
        OpenImageIO.ImageBuf(np.asarray(pixels, np.float32)).write(str(tmp_path / "x.exr"))
        return (tmp_path / "x.exr").read_bytes()

    for data, says in (
        (b"", "no EXR or HDR"),
        (b"\x89PNG\r\n", "no EXR or HDR"),
        (whole[: len(whole) // 2], "damaged"),
        (whole[:40], "damaged"),
        (b"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 999999 +X 1999998\n", "damaged|larger"),
        (written(np.ones((8, 8, 3))), "twice as wide as high; this one is 8 by 8"),
        (written(np.full((4, 8, 3), np.nan)), "not numbers"),
        (written(np.zeros((4, 8, 3))), "black throughout"),
    ):
        with pytest.raises(ImageError, match=says):
            Assets().add_room(data)


def test_random_damage_to_room_pictures_is_told(tmp_path):
    rng = np.random.default_rng(8)
    for kind in ("exr", "hdr"):
        whole = np.frombuffer(room_with_a_lamp(tmp_path, kind), np.uint8)
        for _ in range(100):
            broken = whole.copy()
            places = rng.integers(0, len(broken), rng.integers(1, 8))
            broken[places] = rng.integers(0, 256, len(places))
            try:
                room, _ = read_environment(broken[: rng.integers(1, len(broken) + 1)].tobytes())
            except ImageError:
                continue
            assert np.isfinite(room).all() and room.min() >= 0 and room.shape[1] == 2 * room.shape[0]


@pytest.mark.long
def test_wide_room_pictures_are_averaged_down(tmp_path):
    pixels = np.random.default_rng(2).random((2048, 4096, 3), np.float32)
    OpenImageIO.ImageBuf(pixels).write(str(tmp_path / "wide.exr"))
    room, _ = read_environment((tmp_path / "wide.exr").read_bytes())
    assert room.shape == (1024, 2048, 3) and room.mean() == pytest.approx(pixels.mean(), rel=1e-3)
    assert np.abs(room - pixels.reshape(1024, 2, 2048, 2, 3).mean(axis=(1, 3))).max() < 2e-3


def test_every_set_of_the_demo_is_its_own():
    assert len({studio.id for studio in SETS}) == len({studio.name for studio in SETS}) >= 12
    for studio in SETS:
        lights = set_lights(studio, Assets())
        assert len(lights.table) == len(studio.lights) + has_sun(studio) and np.isfinite(lights.table).all()
        assert len(studio.lights) > 0 or studio.sky is not None


def test_light_is_the_same_however_the_room_is_aimed_at():
    """Matt, glossy and brushed balls on a floor, in a room with a lamp: both ways to share out what finds it agree."""
    room = np.full((32, 64, 3), 0.2)
    room[6:9, 20:24] = (30.0, 20.0, 10.0)
    lights = make_lights(room)
    recipes = [
        Recipe(base_color=(0.7, 0.2, 0.2), specular_roughness=0.3),
        Recipe(base_metalness=1.0, specular_roughness=0.25, specular_roughness_anisotropy=0.6),
        Recipe(coat_weight=1.0, coat_roughness=0.15, fuzz_weight=0.5),
        Recipe(base_color=(0.5, 0.5, 0.5), specular_weight=0.0),
    ]
    floor = checked(np.array([[-1, 0, -1], [-1, 0, 1], [1, 0, 1], [1, 0, -1]]) * 300.0, [[0, 1, 2], [0, 2, 3]])
    sphere = trimesh.creation.icosphere(3)
    balls = [checked(sphere.vertices * 20 + (x, 20, 0), sphere.faces, sphere.vertices) for x in (-45, 0, 45)]
    view = make_camera_view(Camera(position=(0, 60, 260), target=(0, 15, 0), focal_length=60), 48, 24)
    task = RenderTask(Geometry([*balls, floor]), make_material_table(recipes, range(4)), lights, view, depth=6)
    tracer, pictures = Tracer(2), []
    for some in (lights, aimed_at_all(lights)):
        film = Film(48, 24)
        tracer.fill(replace(task, lights=some), film, 300)
        pictures.append(film.picture().reshape(3, 8, 6, 8, 3).mean(axis=(1, 3)))
    tracer.close()
    assert pictures[0] == pytest.approx(pictures[1], rel=0.02)


SURFACES = (
    Recipe(base_color=(0.7, 0.2, 0.2), base_diffuse_roughness=1.0),
    Recipe(base_metalness=0.5, specular_roughness=0.5, thin_film_weight=1.0, thin_film_thickness=0.4),
    Recipe(coat_weight=0.7, coat_roughness=0.3, fuzz_weight=0.7),
    Recipe(transmission_weight=0.5, specular_roughness=0.3),
    Recipe(transmission_weight=1.0, specular_roughness=0.4, geometry_thin_walled=True),
    Recipe(subsurface_weight=1.0, subsurface_color=(0.8, 0.7, 0.5), geometry_thin_walled=True),
    Recipe(geometry_opacity=0.5, base_color=(0.6, 0.3, 0.3)),
)


@pytest.mark.parametrize("recipe", SURFACES)
def test_surfaces_send_light_wherever_an_even_room_is_seen(recipe):
    """With no ray towards the room, all of its light is found by directions that surfaces choose; none is missing."""
    sphere = trimesh.creation.icosphere(4)
    geometry = Geometry([checked(sphere.vertices * 20, sphere.faces, sphere.vertices)])
    view = make_camera_view(Camera(position=(0, 30, 200), target=(0, 0, 0), focal_length=130), 24, 24)
    lights = make_lights(plain_room(1000, 300))
    task = RenderTask(geometry, make_material_table([recipe], [0]), lights, view, depth=24)
    tracer, means = Tracer(2), []
    for some in (lights, aimed_at_all(lights)):
        film = Film(24, 24)
        tracer.fill(replace(task, lights=some), film, 256)
        means.append(film.picture()[6:18, 6:18].mean(axis=(0, 1)))
    tracer.close()
    assert means[0] == pytest.approx(means[1], rel=0.005)
