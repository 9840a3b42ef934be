"""Photographs in the place of the backdrop: exact where nothing stands, darker in shadows, brighter in reflections."""

import numpy as np
import pytest
from driving import LEFT, PLAIN, picture_of
from PIL import Image
from PyQt6.QtCore import QPoint
from PyQt6.QtTest import QTest

from mat_shelf.app.wall.tools.horizon_lines import FOOT, HORIZON
from mat_shelf.document.camera import Camera
from mat_shelf.document.image import ImageRef
from mat_shelf.document.light import Light
from mat_shelf.document.material import Material
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.set import Backdrop, Plate
from mat_shelf.exchange.image_writing import png_bytes
from mat_shelf.optics.color import encode_srgb
from mat_shelf.rendering.camera import make_camera_view, project_point
from mat_shelf.rendering.camera_matching import matched_to_photograph
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.rendering.session import RenderSession
from mat_shelf.rendering.tone import develop, light_shown_as, tone_map

SIZE = 120, 80


def photograph() -> np.ndarray:
    y, x = np.mgrid[:80, :120]
    return np.stack([60 + y, 90 + x // 2, 140 + (x // 10 + y // 10) % 2 * 30], axis=-1).astype(np.uint8)


@pytest.fixture
def plated(small_project):
    project, assets = small_project
    key, kind = assets.add_map(png_bytes(photograph()))
    studio = project.set.with_(
        plate=Plate(image=ImageRef(name="table", digest=key, kind=kind)),
        backdrop=Backdrop(form="floor", color=(0.4, 0.4, 0.4)),
        lights=(Light(position=(-300, 400, 200), width=60, height=60, luminance=90_000),),
        surround=60.0,
        ground=20.0,
    )
    return project.with_set(studio), assets


def test_the_tone_curve_is_undone():
    light = np.random.default_rng(2).random((4000, 3), np.float32) * np.float32(2.5)
    for curve in ("neutral", "exact"):
        assert light_shown_as(tone_map(light, curve), curve) == pytest.approx(light, rel=5e-3, abs=2e-3)
    pale = 0.3 + 0.3 * light  # the filmic one shows what is purer at the limits of its gamut
    assert light_shown_as(tone_map(pale, "filmic"), "filmic") == pytest.approx(pale, rel=5e-3, abs=2e-3)


@pytest.mark.long
def test_an_empty_set_shows_its_photograph_exactly(plated):
    project, assets = plated
    bare = project.with_(product=project.product.with_(parts=()), marks=())
    for changes in ({}, {"exposure": 1.5}, {"tone_curve": "exact"}, {"tone_curve": "filmic"}):
        one = bare.with_set(bare.set.with_(**changes))
        rendered = render_picture(one, assets, *SIZE, 4, denoise=False)
        shown = develop(rendered.light, 0.0, one.set.tone_curve).astype(int)
        assert np.abs(shown - photograph()).max() <= 1
    warm = bare.with_view(bare.view.with_(camera=bare.view.camera.with_(white=4000.0)))
    shown = develop(render_picture(warm, assets, *SIZE, 4, denoise=False).light).astype(int)
    assert np.abs(shown - photograph()).max() <= 1  # the photograph has its own white


def test_the_product_casts_its_shadow_on_it_and_nothing_else_changes(plated):
    project, assets = plated
    rendered = render_picture(project, assets, *SIZE, 32, denoise=False)
    shown = develop(rendered.light).astype(int)
    product = rendered.film.alpha()[..., 0] > 0
    change = (shown - photograph()).mean(axis=2)
    assert np.abs(change[product]).mean() > 10
    beside = change[~product]
    assert (beside < -25).sum() > 40  # a shadow
    assert np.abs(np.median(beside)) < 3
    far = change[:8]
    assert np.abs(far).mean() < 4
    mirror = Material(id="mirror", name="Mirror", recipe=Recipe(base_metalness=1.0, specular_roughness=0.02))
    worn = project.set.with_(backdrop=project.set.backdrop.with_(material="mirror"), surround=2.0, ground=2.0)
    mirrored = develop(render_picture(project.with_material(mirror).with_set(worn), assets, *SIZE, 24).light).astype(
        int
    )
    assert ((mirrored - photograph()).mean(axis=2)[~product] > 5).sum() > 20  # the lit product in the dark mirror


@pytest.mark.long
def test_the_photograph_is_seen_through_glass(plated):
    """Through a pane that neither bends nor mirrors (index 1) it is what it is beside it, whatever the exposure; of
    what a clear ball bends it is still the photograph, not the grey floor."""
    project, assets = plated
    pane = Recipe(transmission_weight=1.0, specular_roughness=0.0, specular_ior=1.0, geometry_thin_walled=True)
    clear = project.material("red").with_(recipe=pane)
    for changes in ({}, {"exposure": -1.0}, {"keeps_apart": True}):
        one = project.with_material(clear).with_set(project.set.with_(lights=(), **changes))
        rendered = render_picture(one, assets, *SIZE, 8, denoise=False, keeps_apart=one.set.keeps_apart)
        shown = develop(rendered.light, 0.0, one.set.tone_curve).astype(int)
        inside = rendered.film.alpha()[..., 0] == 1
        assert inside.sum() > 300
        assert np.abs((shown - photograph())[inside]).mean() < 3  # it is looked up smoothed
    glass = clear.with_(recipe=pane.with_(geometry_thin_walled=False, specular_ior=1.5))
    bent = render_picture(project.with_material(glass), assets, *SIZE, 16).light
    blue = develop(bent).astype(int)[inside]
    assert np.median(blue[:, 2] - blue[:, 0]) > 15  # the photograph is bluish, the floor is not


@pytest.mark.long
def test_the_wall_shows_it_too_and_edits_keep_it(plated, open_window, qtbot, tmp_path):
    project, assets = plated
    window = open_window(*plated)
    workshop = window.workshop
    shown = picture_of(qtbot, window).astype(int)
    corner = shown[: shown.shape[0] // 12].mean(axis=(0, 1))
    assert np.abs(corner - photograph()[:6].mean(axis=(0, 1))).max() < 14
    window.stations.buttons()[4].click()
    card = window.set_board.backdrop_card
    assert card.no_plate.isEnabled() and not card.rows["plate exposure"].isHidden()
    material = workshop.project.materials[0]
    recipe = material.recipe.with_(base_color=(0.9, 0.05, 0.05))
    workshop.edit("Colour", workshop.project.with_material(material.with_(recipe=recipe)))
    red = picture_of(qtbot, window).astype(int)
    assert np.abs(red[: red.shape[0] // 12].mean(axis=(0, 1)) - corner).max() < 4
    assert np.abs(red - shown).max() > 40
    card.no_plate.trigger()
    assert workshop.project.set.plate is None
    assert np.abs(picture_of(qtbot, window).astype(int)[: red.shape[0] // 12].mean(axis=(0, 1)) - corner).max() > 20
    Image.fromarray(photograph()).save(tmp_path / "plate.png")
    workshop.set_plate(tmp_path / "plate.png")
    qtbot.waitUntil(lambda: workshop.project.set.plate is not None, timeout=30_000)
    (tmp_path / "broken.png").write_bytes(b"no image")
    workshop.set_plate(tmp_path / "broken.png")
    qtbot.waitUntil(lambda: "broken.png cannot be a backplate" in window.notice.text.text(), timeout=30_000)


def test_kept_samples_are_as_in_a_fresh_picture(plated):
    """After an edit of a material the film and that of the empty set have the same samples."""
    project, assets = plated
    session = RenderSession(assets)
    session.resize(*SIZE)
    session.update(project)
    frames = 0
    while frames < 3:
        frames += session.step() is not None
    material = project.materials[0]
    session.update(project.with_material(material.with_(recipe=material.recipe.with_(base_color=(0.1, 0.8, 0.1)))))
    for _ in range(6):
        session.step()
    film = session._film
    assert np.array_equal(film.sums.counts, film.empty.sums.counts)
    session.close()


def test_colours_are_shown_as_they_are_with_and_without_a_floor(plated):
    """A brand's colour to the last code value, with a gradient, whatever lights the set."""
    project, assets = plated
    plate = Plate(lower=(0.05, 0.3, 0.28), upper=(0.4, 0.6, 0.55))
    wanted = np.round(encode_srgb(np.array([plate.upper, plate.lower])) * 255)
    bare = project.with_(product=project.product.with_(parts=()), marks=())
    for backdrop in (project.set.backdrop, None):
        studio = project.set.with_(plate=plate, backdrop=backdrop, exposure=0.7)
        shown = develop(render_picture(bare.with_set(studio), assets, *SIZE, 4, denoise=False).light).astype(int)
        assert np.abs(shown[[0, -1]].mean(axis=1) - wanted).max() <= 2
        standing = develop(render_picture(project.with_set(studio), assets, *SIZE, 8, denoise=False).light).astype(int)
        assert np.abs(standing[0] - shown[0]).max() <= 6 and np.abs(standing - shown).max() > 30


def test_a_photograph_follows_its_exposure_and_the_set_at_once(plated):
    """The next picture shows it; no sample is lost."""
    project, assets = plated
    session = RenderSession(assets)
    session.resize(*SIZE)
    session.update(project)
    frame = None
    while frame is None or frame.is_coarse or frame.samples < 4:
        frame = session.step() or frame
    film, before = session._film, frame.pixels[:6].astype(int)
    studio = project.set
    session.update(project.with_set(studio.with_(plate=studio.plate.with_(exposure=-1.0))))
    darker = session.step().pixels[:6].astype(int)
    assert session._film is film and (before - darker).mean() > 20
    session.update(project.with_set(studio.with_(exposure=1.0)))
    brighter_set = session.step().pixels[:6].astype(int)
    assert np.abs(brighter_set - before).mean() < 4  # the photograph has an exposure of its own
    session.close()


def test_the_surround_lies_on_the_floor_at_its_scale(small_project):
    """What a panorama shows below the horizon lies where a ray from its camera met the floor, and is seen there."""
    project, assets = small_project
    eye, place = 400.0, np.array([70.0, 0.0, 40.0])
    room = np.full((256, 512, 3), 0.3, np.float32)
    way = (place - (0, eye, 0)) / np.linalg.norm(place - (0, eye, 0))
    row = int(np.arccos(way[1]) / np.pi * 256)
    column = int((np.arctan2(-way[0], way[2]) / (2 * np.pi) + 0.5) * 512)
    room[row - 1 : row + 2, column - 1 : column + 2] = (4, 0.1, 0.1)
    key = "0" * 64
    assets.rooms[key] = room
    try:
        studio = project.set.with_(
            room=ImageRef(name="hall", digest=key, kind="hdr"),
            room_luminance=1000.0,
            turn=0.0,
            lights=(),
            sky=None,
            backdrop=Backdrop(form="floor"),
            plate=Plate(is_surround=True, eye=eye),
        )
        camera = Camera(position=(0, 250, 420), target=(20, 0, 0), focal_length=60)
        staged = project.with_set(studio).with_view(project.view.with_(camera=camera))
        rendered = render_picture(staged, assets, *SIZE, 16, denoise=False)
        light, product = rendered.light, rendered.film.alpha()[..., 0] > 0  # which is red as well
        red = (light[..., 0] > 3 * light[..., 1]) & ~product
        ys, xs = np.nonzero(red)
        x, y = project_point(make_camera_view(camera, *SIZE), place)
        assert (xs.mean() + 0.5, ys.mean() + 0.5) == pytest.approx((x * SIZE[0], y * SIZE[1]), abs=1.5)
        assert np.median(light[:20][~product[:20]]) == pytest.approx(0.3, rel=0.01)  # far from the product
        under = light[product.any(axis=1).argmax() :][..., 1]
        assert (under < 0.22).sum() > 20  # it stands in its own shadow
    finally:
        del assets.rooms[key]


def test_a_camera_is_matched_to_horizon_and_foot():
    """Both are seen where they should be, from as far away; the horizon is where a level ray goes (pinhole camera)."""
    for keeps in (False, True):
        camera = Camera(position=(120, 160, 500), target=(10, 30, -20), focal_length=50, keeps_verticals=keeps)
        matched = matched_to_photograph(camera, 5.0, -4.0)
        view = make_camera_view(matched, 300, 200)
        foot = project_point(view, (10, 0, -20))
        assert (0.5 - foot[1]) * 24 == pytest.approx(-4, abs=0.01)
        level = np.subtract((10, 0, -20), matched.position) * (1, 0, 1)
        far = project_point(view, np.add(matched.position, level / np.linalg.norm(level) * 1e7))
        assert (0.5 - far[1]) * 24 == pytest.approx(5, abs=0.01)
        away = [np.linalg.norm(np.subtract(each.position, (10, 0, -20))) for each in (camera, matched)]
        assert away[1] == pytest.approx(away[0], rel=1e-4)
    with pytest.raises(ValueError, match="below the horizon"):
        matched_to_photograph(camera, -2.0, 1.0)


@pytest.mark.long
def test_lines_match_the_camera_in_the_window(plated, open_window, qtbot):
    project, assets = plated
    window = open_window(project, assets)
    window.resize(1600, 1000)
    window.stations.buttons()[4].click()
    picture_of(qtbot, window)
    board, tool, workshop = window.set_board, window.viewport.horizon_lines, window.workshop
    board.backdrop_card.lines_button.click()
    lines = tool.lines()
    assert set(lines) == {HORIZON, FOOT} and lines[HORIZON] < lines[FOOT]
    x = round(window.viewport.picture_rect.left() + 30)
    steps = workshop.history.position
    start, end = QPoint(x, round(lines[FOOT])), QPoint(x, round(lines[FOOT]) + 30)
    QTest.mousePress(window.viewport, LEFT, PLAIN, start)
    for k in range(1, 4):
        QTest.mouseMove(window.viewport, start + (end - start) * k / 3)
    QTest.mouseRelease(window.viewport, LEFT, PLAIN, end)
    moved = tool.lines()
    assert moved[FOOT] == pytest.approx(lines[FOOT] + 30, abs=2) and moved[HORIZON] == pytest.approx(
        lines[HORIZON], abs=2
    )
    assert workshop.history.position == steps + 1 and workshop.history.undo_label == "Match camera"
    board.lock_box.click()
    camera = workshop.project.view.camera
    assert workshop.project.view.is_locked and not board.camera_card.isEnabled()
    tool.workshop.match_camera(3.0, -3.0)
    assert workshop.project.view.camera == camera
    board.lock_box.click()
    workshop.undo()
    workshop.undo()
    workshop.lay_surround()
    assert tool.lines() == {} and not board.backdrop_card.lines_button.isChecked()
