"""Kinds of light against configuration factors, inverse squares, an independent renderer and the almanac."""

import math
from datetime import UTC, datetime

import numpy as np
import pytest
from scipy.integrate import dblquad

from mat_shelf.document.camera import Camera
from mat_shelf.document.light import Light
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.set import Sky
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.light_distribution import DistributionError, read_distribution, shares_of
from mat_shelf.geometry.mesh import checked
from mat_shelf.optics.color import XYZ_FROM_RGB, black_body, luminance
from mat_shelf.rendering.camera import make_camera_view
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.rendering.first_hit import find_first_hits
from mat_shelf.rendering.render_task import RenderTask
from mat_shelf.rendering.tracer import Tracer
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.light_table import power_of, with_power
from mat_shelf.scene.lights import make_lights
from mat_shelf.scene.material_table import make_material_table
from mat_shelf.scene.rooms import blurred, tilted
from mat_shelf.scene.sky import color_matching, sky_light, sky_room, sun_at, sun_direction, sun_lux, sun_of

DARK = np.zeros((4, 8, 3))
GREY = Recipe(base_color=(0.5, 0.5, 0.5), specular_weight=0.0)


def floor_task(lights, eye=(0, 500, 1), focal_length=800.0, size=8, **how) -> RenderTask:
    """A grey matt floor, seen where its middle is."""
    corners = np.array([[-1, 0, -1], [-1, 0, 1], [1, 0, 1], [1, 0, -1]]) * 4000.0
    floor = checked(corners, [[0, 1, 2], [0, 2, 3]])
    view = make_camera_view(Camera(position=eye, focal_length=focal_length), size, size)
    return RenderTask(Geometry([floor]), make_material_table([GREY], [0]), lights, view, depth=2, **how)


def lux_below(light: Light, samples=600, **files) -> float:
    """Lux in the middle of the floor, in 1000: a matt one of reflectance 0.5 shows 0.5 / pi of it."""
    rows = {name: [value] for name, value in files.items()}
    film, tracer = Film(8, 8), Tracer(2)
    task = floor_task(make_lights(DARK, [light.with_(is_seen=False)], **rows))
    tracer.fill(task, film, samples)
    tracer.close()
    return float(luminance(film.picture()).mean()) * math.pi / 0.5


def above(up: float, /, **fields) -> Light:
    return Light(position=(0, up, 0), temperature=6500, **fields)


@pytest.mark.parametrize(("radius", "height"), [(60, 100), (20, 200)])
def test_a_round_softbox_lights_as_its_configuration_factor_says(radius, height):
    """A small area under the middle of a parallel disc: E = pi L R2 / (R2 + h2) (Siegel and Howell, from memory)."""
    light = above(height, kind="disc", width=2 * radius, height=2 * radius, luminance=4000)
    assert lux_below(light) == pytest.approx(math.pi * 4 * radius**2 / (radius**2 + height**2), rel=0.02)


def test_an_oval_one_gives_its_area_of_light_from_afar():
    light = above(2000, kind="disc", width=300, height=100, luminance=4000)
    assert lux_below(light, 200) == pytest.approx(4 * math.pi * 150 * 50 / 2000**2, rel=0.02)


def test_a_tube_lights_as_the_sum_of_its_pieces():
    """Each strip of a tube's near side sends L cos cos dA / r2; summed by another library over the whole tube."""
    radius, length, height = 20.0, 300.0, 120.0
    light = above(height, kind="tube", length=length, diameter=2 * radius, luminance=4000)

    def sent(angle, x):
        normal = np.array([0, -math.cos(angle), math.sin(angle)])
        point = np.array([x, height, 0]) + radius * normal
        way = -point
        r = np.linalg.norm(way)
        return 4.0 * max(way @ normal / r, 0) * (point[1] / r) / r**2 * radius

    expected, _ = dblquad(sent, -length / 2, length / 2, -math.pi / 2, math.pi / 2, epsrel=1e-4)
    assert lux_below(light) == pytest.approx(expected, rel=0.02)


def test_a_spot_falls_off_with_the_square_of_its_distance_and_ends_at_its_cone():
    """Intensity of a ball of luminance L: pi r2 L."""
    light = above(1000, kind="spot", diameter=10, cone=30, luminance=2e7)
    for height in (500, 1000):
        expected = math.pi * 5**2 * 2e4 / height**2
        assert lux_below(light.with_(position=(0, height, 0)), 100) == pytest.approx(expected, rel=0.02)
    task = floor_task(make_lights(DARK, [light]), eye=(0, 3000, 1), focal_length=60, size=64)
    film, tracer = Film(64, 64), Tracer(2)
    tracer.fill(task, film, 16)
    tracer.close()
    # A square picture is as wide as the frame, 36 mm: 1800 mm of the floor; the cone lights 2000 tan 15 degrees of it.
    lit = np.abs(np.arange(64) - 31.5)[np.nonzero(luminance(film.picture())[32] > 1e-3)[0]].max() + 0.5
    assert lit * 1800 / 64 == pytest.approx(1000 * math.tan(math.radians(15)), rel=0.06)


def test_what_is_far_lights_by_its_solid_angle_wherever_it_stands():
    """E = pi L sin2 of half its angle: a sun of 0.53 degrees and 1.6e9 cd/m2 brings 107 klx."""
    for distance in (10.0, 1e5):
        sun = above(distance, kind="distant", angle=0.53, luminance=1.6e9)
        assert lux_below(sun, 60) == pytest.approx(math.pi * 1.6e6 * math.sin(math.radians(0.265)) ** 2, rel=0.02)
    wide = above(100, kind="distant", angle=120, luminance=1000)
    assert lux_below(wide) == pytest.approx(math.pi * math.sin(math.radians(60)) ** 2, rel=0.02)


def test_power_is_pi_times_luminance_times_area_and_is_kept():
    box = above(100, width=200, height=500, luminance=3000)
    assert power_of(box) == pytest.approx(math.pi * 3000 * 0.1, rel=1e-6)
    tube = above(100, kind="tube", length=1000, diameter=20, luminance=3000)
    assert power_of(tube) == pytest.approx(math.pi * 3000 * math.pi * 0.02 * 1.0, rel=1e-6)
    assert power_of(box.with_(strength=1.0)) == pytest.approx(2 * power_of(box), rel=1e-6)
    smaller = with_power(box.with_(width=20.0), power_of(box))
    assert smaller.luminance == pytest.approx(30_000, rel=1e-6)
    # A spot of a narrow cone: intensity times the cone's solid angle.
    spot = above(100, kind="spot", diameter=10, cone=40, luminance=1e6)
    solid = 2 * math.pi * (1 - math.cos(math.radians(20)))
    assert power_of(spot) == pytest.approx(1e6 * math.pi * 0.005**2 * solid, rel=0.01)


@pytest.mark.parametrize(
    "fields",
    [
        {"width": 80, "height": 200, "edge": 0.6},
        {"width": 80, "height": 200, "fade": 0.8},
        {"kind": "disc", "width": 150, "height": 90, "edge": 1.0},
        {"width": 120, "height": 120, "grid": 25.0},
        {"kind": "spot", "diameter": 20, "cone": 60, "edge": 0.7},
    ],
)
def test_a_light_gives_off_the_power_that_it_names(fields):
    """All light of a box around a lamp, as it arrives on a floor that is much larger, is the lamp's power."""
    light = above(300, luminance=50_000, is_seen=False, **fields)
    size = 96
    task = floor_task(make_lights(DARK, [light]), eye=(0, 9000, 1), focal_length=24, size=size)
    film, tracer = Film(size, size), Tracer(2)
    tracer.fill(task, film, 160 if fields.get("grid") else 24)  # past a grid, nearly all of it falls on a few pixels
    tracer.close()
    metres = 9.0 * 36 / 24 / size  # a square picture is as wide as the frame, 36 mm
    lumens = luminance(film.picture()).sum() * math.pi / 0.5 * 1000 * metres**2
    reached = 1.0 if fields.get("grid") or fields.get("kind") == "spot" else 16 / (16 + 0.09)
    assert lumens == pytest.approx(power_of(light) * reached, rel=0.04)


def test_images_multiply_the_light_where_they_are_thrown():
    picture = np.zeros((8, 8, 3), np.float32)
    picture[:, 4:] = (1.0, 0.5, 0.25)
    shown = lux_below(above(200, width=100, height=100, luminance=4000), 300, pictures=picture)
    half = lux_below(above(200, width=100, height=100, luminance=4000), 300)
    assert shown == pytest.approx(half / 2 * float(luminance(np.array([1, 0.5, 0.25]))), rel=0.03)


def test_tint_leaves_the_locus_at_right_angles():
    """CIE 1960 uv: green above the Planckian locus, magenta below; a whole filter moves it by 0.02."""

    def uv(rgb):
        x, y, z = XYZ_FROM_RGB @ np.asarray(rgb, np.float64)
        return np.array([4 * x, 6 * y]) / (x + 15 * y + 3 * z)

    white, green, magenta = (uv(black_body(5000, tint)) for tint in (0, -1, 1))
    along = uv(black_body(5100)) - uv(black_body(4900))
    assert np.linalg.norm(green - white) == pytest.approx(0.02, rel=0.02)
    assert abs((green - white) @ along) / np.linalg.norm(along) < 1e-3
    assert green[1] > white[1] > magenta[1]


def ies(polar, about, candela, kind=1, factor=1.0) -> bytes:
    rows = [
        "IESNA:LM-63-2002",
        "[TEST] made up",
        "TILT=NONE",
        f"1 -1 {factor} {len(polar)} {len(about)} {kind} 2 0 0 0",
        "1.0 1.0 20",
        " ".join(map(str, polar)),
        " ".join(map(str, about)),
        *(" ".join(f"{c:.4f}" for c in row) for row in candela),
    ]
    return "\n".join(rows).encode()


def flux_of(shares, most) -> float:
    """Lumens: intensity summed over all directions."""
    angle = np.radians(np.arange(181))
    return float(np.trapezoid(shares[:, :-1].mean(axis=1) * np.sin(angle), angle) * 2 * math.pi * most)


def test_distributions_keep_their_flux_and_their_symmetry():
    """A cosine of 1000 cd gives pi times 1000 lm; four halves of it, by the file's last angle, the same."""
    polar = np.arange(0, 91, 2.5)
    cosine = 500 * np.cos(np.radians(polar))
    for about in ([0], [0, 45, 90], [0, 60, 120, 180], list(range(0, 361, 30)), [90, 180, 270]):
        shares, most = shares_of(read_distribution(ies(polar, about, [cosine] * len(about), factor=2.0)))
        assert most == pytest.approx(1000)
        assert flux_of(shares, most) == pytest.approx(math.pi * 1000, rel=2e-3)
    # One brighter quarter lies where the file puts it, and is mirrored where it says so.
    lobes = [cosine, cosine * 0.5, cosine * 0.1]
    shares, _ = shares_of(read_distribution(ies(polar, [0, 45, 90], lobes)))
    assert shares[30, 0] == pytest.approx(shares[30, 60]) and shares[30, 30] == pytest.approx(
        shares[30, 0] / 10, rel=1e-3
    )
    assert shares[30, 15] == pytest.approx(shares[30, 105], rel=1e-3) and shares[120].max() == 0


def test_a_distribution_lights_by_its_candela():
    polar = np.arange(0, 91, 5.0)
    candela = np.where(polar < 20, 800.0, 0.0)
    assets = Assets()
    key, most = assets.add_distribution(ies(polar, [0], [candela]))
    light = above(1000, kind="spot", diameter=10, luminance=most / (math.pi * 0.005**2))
    assert lux_below(light, 100, distributions=assets.distributions[key]) == pytest.approx(0.8, rel=0.02)


def test_damaged_distributions_are_told():
    good = ies([0, 45, 90], [0], [[100, 50, 0]])
    for data, says in (
        (b"", "no LM-63 file"),
        (good[:-12], "damaged"),
        (good.replace(b"3 1 1 2", b"3 1 2 2"), "type B"),
        (good.replace(b"100", b"-10"), "below zero"),
        (good.replace(b"100.0000", b"abc"), "words where"),
        (good.replace(b"100.0000", b"nan"), "not numbers"),
        (good.replace(b"3 1 1 2", b"999999 1 1 2"), "plausible number"),
        (good.replace(b"0 45 90", b"0 90 45"), "do not rise"),
        (b"x" * (5 << 20), "larger than 4 MB"),
    ):
        with pytest.raises(DistributionError, match=says):
            shares_of(read_distribution(data))
    rng = np.random.default_rng(3)
    for _ in range(300):
        broken = np.frombuffer(good, np.uint8).copy()
        broken[rng.integers(0, len(broken), 3)] = rng.integers(0, 256, 3)
        try:
            shares, most = shares_of(read_distribution(broken.tobytes()))
        except DistributionError:
            continue
        assert np.isfinite(shares).all() and shares.max() <= 1 and most > 0


def test_many_softboxes_that_tile_one_light_alike():
    whole = Light(position=(0, 300, 0), width=240, height=160, luminance=4000)
    tiles = [
        whole.with_(position=(x, 300, z), target=(x, 0, z), width=40.0, height=40.0)
        for x in np.arange(-100, 101, 40.0)
        for z in np.arange(-60, 61, 40.0)
    ]
    films = []
    for lights in ([whole], tiles):
        film, tracer = Film(8, 8), Tracer(2)
        task = floor_task(make_lights(DARK, lights))
        tracer.fill(task, film, 400)
        tracer.close()
        films.append(film.picture().mean())
    assert films[1] == pytest.approx(films[0], rel=0.02)


def test_each_light_has_a_layer_of_its_own():
    """A layer is the picture of that light alone, within noise, and all together are the picture."""
    lights = [
        above(200, width=100, height=100, luminance=3000),
        Light(position=(300, 200, 0), kind="spot", diameter=20, luminance=5e6, temperature=3000),
    ]
    room = np.full((8, 16, 3), 0.3)

    def rendered(some, surround, keeps_apart):
        film, tracer = Film(8, 8, 4 if keeps_apart else 1), Tracer(2)
        task = floor_task(make_lights(surround, some), keeps_apart=keeps_apart)
        tracer.fill(task, film, 300)
        tracer.close()
        return film

    kept, plain = rendered(lights, room, True), rendered(lights, room, False)
    assert kept.picture() == pytest.approx(plain.picture(), rel=1e-4)
    for layer, alone in enumerate(
        (rendered(lights[:1], DARK, False), rendered(lights[1:], DARK, False), rendered([], room, False))
    ):
        kept.gains = np.zeros((4, 3), np.float32)
        kept.gains[layer] = 1
        assert kept.picture().mean(axis=(0, 1)) == pytest.approx(alone.picture().mean(axis=(0, 1)), rel=0.03)


def test_the_sun_stands_where_the_almanac_has_it():
    """Solstice and equinox of 2026 (21 June 08:25 and 20 March 14:46 UTC) and the tilt of the earth's axis."""
    noon = max(sun_at(datetime(2026, 6, 21, 12, minute, tzinfo=UTC), 51.4779, 0.0)[0] for minute in range(60))
    assert noon == pytest.approx(90 - 51.4779 + 23.436, abs=0.02)
    assert sun_at(datetime(2026, 3, 20, 14, 46, tzinfo=UTC), 90.0, 0.0)[0] == pytest.approx(0, abs=0.02)
    _, azimuth = sun_at(datetime(2026, 3, 20, 6, 0, tzinfo=UTC), 0.0, 0.0)
    assert azimuth == pytest.approx(90, abs=0.3)  # it rises in the east
    _, azimuth = sun_at(datetime(2026, 6, 21, 12, 2, tzinfo=UTC), 51.4779, 0.0)
    assert azimuth == pytest.approx(180, abs=0.5)


def test_daylight_is_as_bright_and_blue_as_daylight():
    """Lux of the sun: 80 to 110 klx from a high one (handbooks, from memory). The sky far from the sun is bluer than
    D65, a low sun redder than a high one."""
    nm = np.arange(380.0, 781.0, 5.0)
    x, y, z = color_matching(nm).sum(axis=1)
    assert (x / y, z / y) == (pytest.approx(1.0, abs=0.02), pytest.approx(1.0, abs=0.02))  # white of equal energy
    high, low = Sky(height=60, haze=2.5), Sky(height=5, haze=2.5)
    assert 80_000 < sun_lux(high) < 110_000 and sun_lux(low) < 0.4 * sun_lux(high)
    room = sky_room(high.with_(has_sun=False))
    rows = (np.arange(128) + 0.5) / 128 * np.pi
    lit = (luminance(room) * (np.cos(rows).clip(0) * np.sin(rows))[:, None]).sum() * (np.pi / 128) ** 2
    assert lit == pytest.approx(0.8 + 15.5 * math.sin(math.radians(60)) ** 0.5, rel=0.02)  # IES handbook, from memory
    overcast = sky_room(high.with_(is_overcast=True))
    # CIE overcast sky: three times as bright above as at the horizon (Moon and Spencer 1942).
    assert luminance(overcast[0]).mean() / luminance(overcast[62]).mean() == pytest.approx(3, rel=0.1)
    blue = sky_light(high, np.array(0.7), np.array(0.0))
    red, later = sun_of(high), sun_of(low)
    assert blue[2] > 1.3 * blue[0] and later.color[2] / later.color[0] < 0.8 * red.color[2] / red.color[0]
    toward = sun_direction(Sky(height=30, azimuth=90))
    assert toward == pytest.approx([math.cos(math.radians(30)), 0.5, 0], abs=1e-6)
    brightest = np.unravel_index(luminance(sky_room(Sky(height=30, azimuth=90, has_sun=False))).argmax(), (128, 256))
    assert brightest[0] == pytest.approx(60 / 180 * 128, abs=3) and brightest[1] == pytest.approx(64, abs=3)


def test_rooms_are_blurred_and_tilted_without_loss():
    rng = np.random.default_rng(5)
    room = (rng.random((64, 128, 3)) ** 8).astype(np.float32)
    solid = np.sin((np.arange(64) + 0.5) / 64 * np.pi)[:, None, None]
    for made in (blurred(room, 8.0), tilted(room, 90.0)):
        assert made.min() >= 0
        assert (made * solid).sum() == pytest.approx((room * solid).sum(), rel=0.03)
    lamp = np.zeros((64, 128, 3), np.float32)
    lamp[31:33, 63:65] = 1.0  # in front, +z
    up = tilted(lamp, 90.0)
    assert np.unravel_index(up[..., 0].argmax(), (64, 128))[0] <= 1  # straight above
    spread = blurred(lamp, 10.0)[..., 0]
    assert spread[:, 64].max() == pytest.approx(spread[32].max())
    assert 0.08 < spread[32, 71] / spread[32, 64] < 0.2  # about two standard deviations away


def test_extreme_lights_stay_finite():
    strange = [
        Light(position=(0, 0.002, 0), width=0.01, height=0.01, luminance=1e10),
        Light(position=(0, -50, 0), kind="tube", diameter=200, length=50),  # it stands in the floor
        Light(position=(0, 3, 0), kind="spot", diameter=400, cone=179, edge=1.0),
        Light(position=(0, 3, 0), kind="distant", angle=179, edge=1.0, luminance=1e10, strength=20),
        Light(position=(0, 3, 0), luminance=0.0, grid=0.01),
        Light(position=(0, 100, 0), kind="disc", width=1e6, height=0.01, edge=1.0, fade=1.0, tint=1.0, color=(0, 0, 0)),
    ]
    for light in strange:
        film, tracer = Film(8, 8), Tracer(1)
        tracer.fill(floor_task(make_lights(DARK, [light])), film, 4)
        tracer.close()
        assert np.isfinite(film.picture()).all() and film.sums.dropped.sum() == 0, light


@pytest.mark.long
def test_a_light_for_some_parts_lights_no_others(small_project):
    """With it the chosen part is as bright as under a light for all, and the rest as dark as without it."""
    project, assets = small_project
    part = project.product.parts[0]
    light = Light(position=(-200, 400, 300), width=150, height=150, luminance=20_000, is_seen=False)
    pictures = []
    for lights in ((light,), (light.with_(only_parts=(part.id,)),), (light.with_(only_parts=("gone",)),)):
        # On a dark floor, which sends little of it on.
        dark = project.set.backdrop.with_(color=(0.03, 0.03, 0.03))
        studio = project.set.with_(lights=lights, surround=2.0, ground=2.0, backdrop=dark)
        rendered = render_picture(project.with_set(studio), assets, 90, 60, 64, denoise=False)
        pictures.append(luminance(rendered.light))
    seen = find_first_hits(project, rendered.task.geometry, project.view.camera, 90, 60).part == 0
    for_all, for_some, for_none = pictures
    assert for_some[seen].mean() == pytest.approx(for_all[seen].mean(), rel=0.1)
    assert for_some[~seen].mean() < 0.2 * for_all[~seen].mean()
    assert for_none[seen].mean() < 0.3 * for_all[seen].mean()
