"""A part of the picture refined and rendered alone."""

import numpy as np
import pytest
from driving import CONTROL, LEFT, picture_of
from PIL import Image
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from mat_shelf.cli import main
from mat_shelf.exchange.image_reading import read_map
from mat_shelf.exchange.project_file import save_project
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.rendering.region import PictureRegion
from mat_shelf.rendering.session import RenderSession

REGION = PictureRegion(30, 20, 40, 24)
INSIDE = REGION.slices()


def test_a_region_is_the_same_as_in_the_whole_picture(small_project):
    whole = render_picture(*small_project, 120, 80, 3, denoise=False)
    part = render_picture(*small_project, 120, 80, 3, denoise=False, region=REGION)
    assert (part.light[INSIDE] == whole.light[INSIDE]).all()
    outside = np.ones((80, 120), bool)
    outside[INSIDE] = False
    assert (part.light[outside] == 0).all() and (part.alpha[outside] == 0).all() and (part.alpha[INSIDE] == 1).all()
    assert (part.film.sums.counts.reshape(80, 120) == np.where(outside, 0, 3)).all()


def test_only_the_region_of_a_session_is_refined(small_project):
    project, assets = small_project
    session = RenderSession(assets, threads=2)
    try:
        session.resize(120, 80)
        session.update(project)
        frames = []
        while len(frames) < 2:
            if (frame := session.step()) is not None:
                frames.append(frame)
        session.set_region(REGION)
        while frame is None or frame.samples < 16:
            frame = session.step()
        counts = session._film.sums.counts.reshape(80, 120)
        assert (counts[INSIDE] >= 16).all() and np.delete(counts, np.s_[20:44], axis=0).max() <= 4
        same = (frame.pixels == frames[-1].pixels).all(axis=2)
        same[INSIDE] = True
        assert same.all() and not (frame.pixels[INSIDE] == frames[-1].pixels[INSIDE]).all()
        session.set_region(None)
        while frame is None or session._film.samples < 8:
            frame = session.step()
    finally:
        session.close()


@pytest.fixture(scope="module")
def block_file(small_project, tmp_path_factory):
    path = tmp_path_factory.mktemp("region") / "block.matshelf"
    save_project(path, *small_project)
    return path


@pytest.mark.parametrize("name", ["a.png", "a.exr", "a.tiff", "a.jpg"])
def test_the_rest_is_kept_of_the_last_render(block_file, tmp_path, name, capsys):
    path = tmp_path / name
    asked = ["render", str(block_file), "-o", str(path), "--width", "120", "--height", "80", "--samples", "2"]
    again = [*asked, "--region", "30,20,40,24", "--keep-rest", "--seed", "5"]
    assert main(again) == 2 and "render all of it first" in capsys.readouterr().err
    assert main(asked) == 0
    before = read_map(path.read_bytes()).astype(float)
    assert main(again) == 0
    after = read_map(path.read_bytes()).astype(float)
    assert after.shape == before.shape
    apart = np.abs(after - before).max(axis=2)
    assert apart[INSIDE].max() > 0
    apart[REGION.slices(8)] = 0  # a JPEG mixes what stands side by side
    assert apart.max() <= (3 if name == "a.jpg" else 0)
    assert main([*asked, "--keep-rest"]) == 2 and "--region" in capsys.readouterr().err
    if name in ("a.png", "a.tiff"):
        assert main([*again, "--bits", "16"]) == 2 and "other bits" in capsys.readouterr().err
    assert (read_map(path.read_bytes()) == after).all()
    assert main([*asked[:5], "60", *asked[6:], "--region", "0,0,9,9", "--keep-rest"]) == 2
    assert "120 by 80" in capsys.readouterr().err


def test_the_rest_of_a_region_is_transparent(block_file, tmp_path, capsys):
    path = tmp_path / "a.png"
    asked = ["render", str(block_file), "-o", str(path), "--width", "120", "--height", "80", "--samples", "2"]
    assert main([*asked, "--region", "30,20,40,24"]) == 0
    alpha = np.asarray(Image.open(path))[..., 3]
    assert (alpha[INSIDE] == 255).all() and (alpha == 255).sum() == 40 * 24 and (alpha == 0).sum() == alpha.size - 960
    for region, says in (
        ("400,400,9,9", "nothing of the region"),
        ("a,b", "four whole numbers"),
        ("0,0,0,5", "no rect"),
    ):
        try:
            assert main([*asked, "--region", region]) == 2
        except SystemExit as stop:
            assert stop.code == 2
        assert says in capsys.readouterr().err
    assert main([*asked[:3], str(tmp_path / "a.jpg"), *asked[4:], "--region", "0,0,9,9"]) == 2
    assert "neither alpha" in capsys.readouterr().err


@pytest.mark.parametrize("size", [(1200, 800), (800, 800), (1920, 800)])
def test_a_region_of_the_film_is_the_same_part_of_what_is_seen(size):
    """36 x 24 mm is the full-frame film: a picture of its shape shows all of it, others more of one side."""
    region = PictureRegion.of_film((-18, -12, 0, 12), *size)
    seen_height = 24 / 36 * size[0] if size[0] / size[1] < 1.5 else size[1]
    assert region.height == pytest.approx(seen_height, abs=1)
    assert region.x + region.width == size[0] / 2 and region.width == pytest.approx(0.75 * seen_height, abs=1)


@pytest.mark.refines(8)
def test_a_region_is_drawn_shown_rendered_and_cleared(open_window, qtbot, tmp_path):
    window = open_window()
    viewport, workshop = window.viewport, window.workshop
    picture_of(qtbot, window)
    rect = viewport.picture_rect
    start, end = rect.topLeft() + QPoint(60, 50), rect.topLeft() + QPoint(200, 150)
    before = viewport.grab().toImage().pixelColor(start + QPoint(50, 0))
    QTest.mousePress(viewport, LEFT, CONTROL, start)
    QTest.mouseMove(viewport, end)
    QTest.mouseRelease(viewport, LEFT, CONTROL, end)
    assert workshop.region is not None and workshop.free_camera is None
    assert viewport.grab().toImage().pixelColor(start + QPoint(50, 0)) != before
    film = window.wall._worker._sessions["main"]

    def counts(left, top, right, bottom):
        taken = film._film.sums.counts.reshape(film._film.height, film._film.width)
        scale = taken.shape[1] / rect.width()
        return taken[round(top * scale) : round(bottom * scale), round(left * scale) : round(right * scale)]

    qtbot.waitUntil(lambda: counts(65, 55, 195, 145).min() >= 5, timeout=60_000)
    assert counts(0, 200, rect.width(), rect.height()).max() < 5

    window.menus.find("Render…").trigger()
    dialog = window.render_dialog
    assert dialog.fields.region_box.isVisible()
    dialog.fields.width_box.setValue(160)
    dialog.fields.height_box.setValue(108)
    dialog.fields.samples_box.setValue(1)
    dialog.fields.path_field.setText(str(tmp_path / "part.png"))
    dialog.fields.region_box.setCurrentIndex(1)
    dialog.start()
    qtbot.waitUntil(lambda: "Written" in dialog.state.text(), timeout=120_000)
    alpha = np.asarray(Image.open(tmp_path / "part.png"))[..., 3]
    assert 0.01 < (alpha == 255).mean() < 0.25 and (alpha == 0).mean() > 0.7
    dialog.close()

    QTest.keyClick(viewport, Qt.Key.Key_Escape)
    assert workshop.region is None
    qtbot.waitUntil(lambda: film._film.samples >= 2, timeout=60_000)
