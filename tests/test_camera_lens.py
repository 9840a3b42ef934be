"""The camera's shift, roll, parallel rays, diaphragm, meter and white balance."""

import math

import numpy as np
import pytest
from driving import LEFT, picture_of, pixel_place
from numba import njit
from PyQt6.QtTest import QTest

from mat_shelf.document.camera import Camera
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.camera_file import KeptCamera
from mat_shelf.geometry.solids import lathe
from mat_shelf.numerics.kernels import F
from mat_shelf.optics.color import black_body, luminance
from mat_shelf.rendering.camera import (
    balanced_for,
    camera_ray,
    make_camera_view,
    project_point,
    ray_through,
    sharp_zone,
    white_gains,
)
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.navigation import close_up_camera, pan
from mat_shelf.rendering.render_task import RenderTask
from mat_shelf.rendering.tracer import Tracer
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.lights import make_lights
from mat_shelf.scene.material_table import make_material_table

SIZE = 300, 200
ABOVE = Camera(position=(120, 300, 500), target=(0, 60, 0), focal_length=50)


def seen(camera: Camera, point) -> np.ndarray:
    x, y = project_point(make_camera_view(camera, *SIZE), point)
    return np.array([x * SIZE[0], y * SIZE[1]])


def test_shift_keeps_verticals_upright():
    """To a tenth of a pixel, over the whole height; the target stays in the middle. Tilted, they lean by many."""
    edges = [(x, 0, z) for x in (-90, 0, 70) for z in (-40, 60)]
    for camera, upright in ((ABOVE, False), (ABOVE.with_(keeps_verticals=True), True)):
        lean = [abs(seen(camera, foot)[0] - seen(camera, (foot[0], 150, foot[2]))[0]) for foot in edges]
        assert (max(lean) < 0.1) if upright else (max(lean) > 5)
        assert seen(camera, camera.target) == pytest.approx((150, 100), abs=0.05)
    # A shift of 6 mm moves the picture by a quarter of the 24 mm of the frame's height.
    moved = seen(ABOVE.with_(shift=6.0), ABOVE.target) - seen(ABOVE, ABOVE.target)
    assert moved == pytest.approx((0, 50), abs=0.05)


def test_parallel_rays_show_all_distances_alike():
    camera = ABOVE.with_(is_parallel=True)
    view = make_camera_view(camera, *SIZE)
    across = np.array(view.right, np.float64)
    near, far = (
        np.array(camera.target) + 100 * np.array(view.forward),
        np.array(camera.target) - 100 * np.array(view.forward),
    )
    widths = [np.linalg.norm(seen(camera, p + 30 * across) - seen(camera, p)) for p in (near, far, camera.target)]
    assert widths == pytest.approx([widths[0]] * 3, rel=1e-5)
    through_lens = np.linalg.norm(seen(ABOVE, np.array(camera.target) + 30 * across) - seen(ABOVE, camera.target))
    assert widths[2] == pytest.approx(through_lens, rel=1e-3)  # the target is as large as before
    origin, way = ray_through(view, 0.2, 0.7)
    assert seen(camera, origin + 300 * way) == pytest.approx((60, 140), abs=0.05)


def test_roll_turns_the_picture_the_other_way():
    up = np.array(make_camera_view(ABOVE, *SIZE).up, np.float64)
    point = np.array(ABOVE.target) + 40 * up
    straight = seen(ABOVE, point) - (150, 100)
    rolled = seen(ABOVE.with_(roll=30.0), point) - (150, 100)
    assert straight[1] < 0 and abs(straight[0]) < 0.01
    angle = math.degrees(math.atan2(rolled[0], -rolled[1]))
    assert abs(angle) == pytest.approx(30, abs=0.1)
    assert np.linalg.norm(rolled) == pytest.approx(np.linalg.norm(straight), rel=1e-3)


@njit(error_model="numpy")
def lens_points(view, numbers, out):
    for k in range(len(numbers)):
        origin, _ = camera_ray(view, F(0.5), F(0.5), numbers[k, 0], numbers[k, 1])
        out[k, 0] = origin[0] - view.position[0]
        out[k, 1] = origin[1] - view.position[1]
        out[k, 2] = origin[2] - view.position[2]


@pytest.mark.parametrize(("blades", "roundness"), [(0, 0.0), (5, 0.0), (6, 1.0)])
def test_the_diaphragm_is_filled_evenly(blades, roundness):
    """Area of a regular polygon: n / 2 r2 sin(2 pi / n); all of it is used, and nothing beyond."""
    camera = ABOVE.with_(f_stop=2.0, blades=blades, roundness=roundness)
    view = make_camera_view(camera, *SIZE)
    numbers = np.random.default_rng(4).random((60_000, 2)).astype(np.float32)
    out = np.empty((len(numbers), 3), np.float32)
    lens_points(view, numbers, out)
    radius = 50 / 2 / 2
    flat = np.stack([out @ np.array(view.right), out @ np.array(view.up)], axis=1) / radius
    assert np.linalg.norm(flat, axis=1).max() <= 1.001
    counts, _, _ = np.histogram2d(*flat.T, bins=24, range=[[-1, 1], [-1, 1]])
    cell = (2 / 24) ** 2
    area = blades / 2 * math.sin(2 * math.pi / blades) if blades and not roundness else math.pi
    full = np.sort(counts[counts > 0])[len(counts[counts > 0]) // 4 :]
    assert (counts > 0).sum() * cell == pytest.approx(area, rel=0.2)
    assert np.median(full) == pytest.approx(len(numbers) * cell / area, rel=0.12)


@pytest.mark.long
def test_a_smaller_sensor_blurs_less():
    """A point out of focus, by the thin lens: blur on a full frame over that on half of it is 2 at the same f-stop."""
    spot = lathe([(0, -0.4), (0.4, 0), (0, 0.4)], segments=12)
    glow = Recipe(base_color=(0, 0, 0), specular_weight=0.0, emission_luminance=1000.0)
    widths = []
    for sensor in (36.0, 18.0):
        camera = Camera(
            position=(0, 0, 400), target=(0, 0, 0), focal_length=100, f_stop=2.0, focus=300.0, sensor=sensor
        )
        task = RenderTask(
            Geometry([spot]),
            make_material_table([glow], [0]),
            make_lights(np.zeros((4, 8, 3))),
            make_camera_view(camera, 120, 80),
        )
        film, tracer = Film(120, 80), Tracer(2)
        tracer.fill(task, film, 200)
        tracer.close()
        light = luminance(film.picture())
        columns = np.arange(120) - 59.5
        widths.append(np.sqrt((light * columns**2).sum() / light.sum()))
    assert widths[0] / widths[1] == pytest.approx(2, rel=0.1)
    # On the sensor the disc has a radius of f / (2 N) * f / focus * (400 - 300) / 400; its rms along a line is half.
    disc = 100 / 4 * 100 / 300 * 100 / 400
    assert widths[0] == pytest.approx(disc / 36 * 120 / 2, rel=0.1)


def test_white_balance_shows_the_light_it_is_for_as_grey():
    for kelvin, tint in ((2900, 0.0), (6504, 0.3), (9000, -0.4)):
        light = black_body(kelvin, tint)
        camera = Camera(**dict(zip(("white", "white_tint"), balanced_for(light * 0.37), strict=True)))
        shown = light * white_gains(camera)
        assert np.ptp(shown) / shown.mean() < 0.01
        assert camera.white == pytest.approx(kelvin, rel=0.02)
    assert (white_gains(Camera()) == 1).all()


def test_the_camera_is_typed_metered_and_balanced_in_the_window(open_window, small_project, qtbot):
    window = open_window(*small_project)
    workshop, card = window.workshop, window.set_board.camera_card
    window.stations.buttons()[4].click()
    before = picture_of(qtbot, window)
    row = card.rows["azimuth"]
    row.number.setText("40")
    row.number.setModified(True)
    row.number.editingFinished.emit()
    camera = workshop.project.view.camera
    x, _, z = np.subtract(camera.position, camera.target)
    assert math.degrees(math.atan2(x, z)) == pytest.approx(40, abs=0.1)
    assert np.abs(picture_of(qtbot, window).astype(int) - before).mean() > 1
    QTest.mouseClick(card.boxes["keeps_verticals"], LEFT)
    assert workshop.project.view.camera.keeps_verticals
    workshop.edit("Dark", workshop.project.with_set(workshop.project.set.with_(exposure=-5.0)))
    picture_of(qtbot, window)
    card.meter_button.click()
    frame = window.viewport.frame
    product = luminance(frame.light)[frame.first_hits.part >= 0]
    middle = np.exp(np.log(product[product > 0]).mean()) * 2.0**workshop.project.set.exposure
    assert middle == pytest.approx(0.18, rel=0.05)

    warm = tuple(light.with_(temperature=2800.0) for light in workshop.project.set.lights)
    workshop.edit("Warm", workshop.project.with_set(workshop.project.set.with_(lights=warm, surround=0.0, ground=0.0)))
    picture_of(qtbot, window)
    card.grey_button.setChecked(True)
    hits = window.viewport.frame.first_hits
    ys, xs = np.nonzero((hits.part < 0) & np.isfinite(hits.depth))  # the grey backdrop
    k = len(ys) * 3 // 4
    QTest.mouseClick(window.viewport, LEFT, pos=pixel_place(window, ys[k], xs[k]))
    assert not card.grey_button.isChecked() and workshop.project.view.camera.white < 4000
    shown = picture_of(qtbot, window)[ys[k], xs[k]].astype(int)
    assert np.ptp(shown) < 12


def test_the_sharp_zone_is_that_of_the_thin_lens():
    """Hyperfocal distance H = f2 / (N c) + f: focused there, all from H / 2 on is sharp (textbook optics)."""
    assert sharp_zone(ABOVE) == (0.0, math.inf)
    f, stop, c = 50.0, 8.0, 0.03
    hyperfocal = f * f / (stop * c) + f
    near, far = sharp_zone(ABOVE.with_(f_stop=stop, focus=hyperfocal))
    assert near == pytest.approx(hyperfocal / 2, rel=0.02) and far > 50 * hyperfocal
    near, far = sharp_zone(ABOVE.with_(f_stop=stop, focus=500.0))
    assert far - near == pytest.approx(2 * stop * c * 500.0**2 / f**2, rel=0.05)


def test_the_close_up_has_the_white_of_its_camera_and_a_rolled_camera_pans_along_its_picture():
    camera = ABOVE.with_(white=3000.0, white_tint=0.2, roll=40.0)
    close = close_up_camera(camera, (0, 60, 0), 12.0)
    assert (close.white, close.white_tint) == (3000.0, 0.2)
    moved = pan(camera, 0.0, 0.1)
    way = np.subtract(moved.target, camera.target)
    up = np.array(make_camera_view(camera, *SIZE).up, np.float64)
    assert way / np.linalg.norm(way) == pytest.approx(up, abs=1e-3)


@pytest.mark.long
def test_what_is_sharp_is_tinted(open_window, qtbot):
    """What the thin lens has in focus, by its formula, and nothing else; the picture changes there alone."""
    window = open_window()
    window.stations.buttons()[4].click()
    workshop, zone, viewport = window.workshop, window.viewport.sharp_zone, window.viewport
    view = workshop.project.view
    depth = viewport.frame.first_hits.depth
    focus = round(float(np.median(depth[np.isfinite(depth)])))
    camera = view.camera.with_(f_stop=4.0, focus=focus)
    workshop.edit("Focus", workshop.project.with_view(view.with_(camera=camera)))
    picture_of(qtbot, window)

    def words(image) -> np.ndarray:
        return np.frombuffer(image.constBits().asarray(image.sizeInBytes()), np.uint32).reshape(image.height(), -1)

    before = words(viewport.grab().toImage()).copy()
    window.set_board.camera_card.zone_button.click()
    is_tinted = words(zone.image()) != 0
    # Blur on the film of a point at a distance d, of a lens that keeps its field whatever it focuses on.
    blur = camera.focal_length / 4.0 * camera.focal_length * np.abs(depth - focus) / (depth * focus)
    assert (is_tinted == (blur < 0.03)).mean() > 0.98 and 0 < is_tinted.mean() < 0.9
    after = words(viewport.grab().toImage())
    assert 0.3 * is_tinted.mean() < (before != after).mean() < 1.3 * is_tinted.mean() + 0.02
    window.stations.buttons()[0].click()
    assert zone.image() is None


@pytest.mark.long
def test_cameras_are_kept_for_other_products(open_window, small_project, library_folder, qtbot):
    window = open_window(*small_project)
    window.stations.buttons()[4].click()
    workshop, board = window.workshop, window.set_board
    board.fill_library()
    board.library_menu.actions()[0].trigger()
    kept = workshop.kept_cameras()
    assert [path.stem for path in kept] == [workshop.project.view.name]
    before = workshop.camera
    placed = KeptCamera(name="x", camera=before, centre=(0, 20, 0), size=60.0).fitted((100, 40, 0), 120.0)
    assert placed.position == pytest.approx(np.add(np.subtract(before.position, (0, 20, 0)) * 2, (100, 40, 0)))
    workshop.add_kept_camera(kept[0], window.work.bounds())
    assert len(workshop.project.views) == 2 and workshop.camera.position == pytest.approx(before.position, abs=1e-3)
    said = []
    workshop.said.connect(said.append)
    bad = library_folder / "cameras" / "bad.camera"
    for text in (
        b"{",
        b"[]",
        b'{"schema_version": 9}',
        b'{"name": "a", "camera": {"focal_length": -4}}',
        b"x" * 100_000,
    ):
        bad.write_bytes(text)
        workshop.add_kept_camera(bad, window.work.bounds())
    assert len(said) == 5 and len(workshop.project.views) == 2
    workshop.forget_kept_camera(kept[0])
    assert kept[0] not in workshop.kept_cameras()
