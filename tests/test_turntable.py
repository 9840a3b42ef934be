"""Turns: what goes round and how far, and the files they become, read back by other libraries."""

import base64
import importlib.util
import io
import json
import math
import re
import shutil
import time

import av
import numpy as np
import pytest
from driving import LEFT
from PIL import Image
from pydantic import ValidationError
from PyQt6.QtTest import QTest

from mat_shelf.app.hand_over.turntable_dialog import TurntableDialog
from mat_shelf.cli import main
from mat_shelf.document.camera import View
from mat_shelf.document.turn import Turn
from mat_shelf.exchange import checkpoint, turntable
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.project_file import save_project
from mat_shelf.exchange.shot_queue import foreign_files, render_shots
from mat_shelf.exchange.turntable import TurnSettings, check_turntable, render_turntable, write_turntable
from mat_shelf.geometry.pose import posed
from mat_shelf.rendering.camera_path import between
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.rendering.turning import middle_of, turned


@pytest.fixture(autouse=True)
def own_cache(tmp_path, monkeypatch):
    monkeypatch.setattr(turntable, "render_folder", lambda: tmp_path / "frames")


def test_a_whole_turn_ends_a_step_before_its_beginning():
    whole, half = Turn(frames=36), Turn(frames=5, degrees=-180.0)
    assert [whole.angle(k) for k in (0, 1, 35)] == [0, 10, 350]
    assert [half.angle(k) for k in range(5)] == [0, -45, -90, -135, -180]
    eased = [half.with_(is_eased=True).angle(k) for k in range(5)]
    assert eased[0] == 0 and eased[-1] == -180 and abs(eased[1]) < 45 and abs(eased[3]) > 135


def test_the_product_turns_about_its_middle_and_the_camera_about_it(small_project):
    project, assets = small_project
    part = project.part("block")
    project = project.with_part(part.with_(pose=part.pose.with_(shift=(30.0, 20.0, -10.0))))
    quarter = Turn(frames=4)
    seen = turned(project, assets, quarter, 1)
    was, now = (posed(assets.meshes[part.mesh], p.part("block").pose).bounds for p in (project, seen))
    assert np.allclose(was.mean(axis=0), now.mean(axis=0), atol=1e-3)  # about its own middle, so it stays there
    assert np.allclose((now[1] - now[0])[[2, 1, 0]], was[1] - was[0], atol=1e-3)  # across has become deep
    camera = turned(project, assets, quarter.with_(going="camera"), 1).view.camera
    middle, old = np.array(middle_of(project, assets)), project.view.camera
    away, before = np.array(camera.position) - middle, np.array(old.position) - middle
    assert np.linalg.norm(away) == pytest.approx(np.linalg.norm(before), rel=1e-6)
    assert away[[0, 2]] @ before[[0, 2]] == pytest.approx(0, abs=1e-3) and away[1] == pytest.approx(before[1])
    assert turned(project, assets, quarter.with_(going="lights"), 1).set.turn == pytest.approx(
        (project.set.turn + 90 + 180) % 360 - 180
    )
    assert turned(project, assets, quarter, 0) is project


def test_a_camera_that_goes_round_sees_what_turned_the_other_way_shows(small_project):
    """In an even room without a backdrop the two cannot be told apart."""
    project, assets = small_project
    studio = project.set.with_(lights=(), backdrop=None, surround=1000.0, ground=1000.0, room=None, sky=None)
    project = project.with_set(studio)
    one = turned(project, assets, Turn(frames=8, degrees=-360.0), 1)
    other = turned(project, assets, Turn(going="camera", frames=8), 1)
    lights = [render_picture(each, assets, 90, 60, 24, denoise=False).light for each in (one, other)]
    assert np.abs(lights[0] - lights[1]).mean() < 0.03 * lights[0].mean()


def numbered(count: int, width: int = 64, height: int = 48) -> list[np.ndarray]:
    """Frames whose left part is as bright as their number says."""
    frames = []
    for k in range(count):
        frame = np.full((height, width, 3), 128, np.uint8)
        frame[:, : width // 2] = 10 + 200 * k // count
        frames.append(frame)
    return frames


@pytest.mark.parametrize("ending", [".mp4", ".webm"])
def test_a_film_has_its_frames_rate_and_size(ending, tmp_path):
    frames, path = numbered(24), tmp_path / f"turn{ending}"
    write_turntable(path, frames, TurnSettings(Turn(frames=24, seconds=2.0), 64, 48), ending)
    with av.open(str(path)) as film:
        stream = film.streams.video[0]
        assert (stream.width, stream.height) == (64, 48) and float(stream.average_rate) == pytest.approx(12)
        seen = [frame.to_ndarray(format="rgb24") for frame in film.decode(stream)]
    assert len(seen) == 24
    bright = np.array([frame[10:-10, 4:24].mean() for frame in seen])
    assert bright == pytest.approx([frame[0, 0, 0] for frame in frames], abs=6) and (np.diff(bright) > 0).all()


def test_images_animations_and_pages_have_every_frame(tmp_path):
    frames, settings = numbered(6), TurnSettings(Turn(frames=6, seconds=3.0), 64, 48)
    write_turntable(tmp_path / "turn.png", frames, settings, ".png")
    names = sorted(path.name for path in tmp_path.glob("*.png"))
    assert names == [f"turn-{k:03d}.png" for k in range(6)]
    assert (np.asarray(Image.open(tmp_path / "turn-004.png")) == frames[4]).all()
    write_turntable(tmp_path / "turn.webp", frames, settings, ".webp")
    with Image.open(tmp_path / "turn.webp") as animation:
        assert animation.n_frames == 6 and animation.info["loop"] == 0
    write_turntable(tmp_path / "turn.html", frames, settings, ".html", 'Pen </script> & "ink"')
    page = (tmp_path / "turn.html").read_text()
    held = json.loads(re.search(r"const frames = (\[.*?\]), whole", page)[1])
    shown = [np.asarray(Image.open(io.BytesIO(base64.b64decode(each))).convert("RGB")) for each in held]
    assert len(shown) == 6 and abs(shown[3].astype(int) - frames[3]).max() < 12
    assert page.count("</script>") == 1 and "http" not in page.replace("http-equiv", "")  # it asks nobody for anything


def test_frames_are_kept_and_the_next_run_goes_on(small_project, tmp_path, monkeypatch):
    project, assets = small_project
    settings, rendered = TurnSettings(Turn(frames=4, seconds=1.0), 48, 32, 2), []
    render = turntable.render_picture
    monkeypatch.setattr(turntable, "render_picture", lambda *a, **o: rendered.append(1) or render(*a, **o))
    with pytest.raises(InterruptedError):
        render_turntable(project, assets, tmp_path / "a.png", settings, lambda done, total: done < 2)
    assert len(rendered) == 2 and not list(tmp_path.glob("*.png"))
    render_turntable(project, assets, tmp_path / "a.png", settings)
    assert len(rendered) == 4 and len(list(tmp_path.glob("a-*.png"))) == 4
    first, second = (np.asarray(Image.open(tmp_path / f"a-00{k}.png")).astype(int) for k in (0, 1))
    assert abs(first - second).mean() > 1
    for kept in (tmp_path / "frames").glob("*.png"):
        kept.write_bytes(kept.read_bytes()[:50])
    render_turntable(project, assets, tmp_path / "a.webp", settings)
    assert len(rendered) == 8


@pytest.mark.parametrize(
    ("name", "changes", "words"),
    [
        ("a.gif", {}, "must end in"),
        ("a.mp4", {"width": 63}, "even width and height"),
        ("a.mp4", {"turn": Turn(seconds=3600.0)}, "frames a second are no film"),
        ("a.html", {"background": "transparent"}, "no alpha"),
        ("nowhere/a.html", {}, "does not exist"),
        ("a.html", {"turn": Turn(frames=3600), "width": 8000, "height": 8000}, "GB of memory"),
    ],
)
def test_what_cannot_be_is_said_first(name, changes, words, tmp_path):
    with pytest.raises(ImageError, match=words):
        check_turntable(tmp_path / name, TurnSettings(**{"width": 64, "height": 48} | changes))


def test_the_command_writes_a_film(small_project, tmp_path, capsys):
    save_project(tmp_path / "block.matshelf", *small_project)
    size = ["--width", "48", "--height", "32", "--samples", "1", "--frames", "3", "--seconds", "1", "--white"]
    assert main(["turntable", str(tmp_path / "block.matshelf"), "-o", str(tmp_path / "a.mp4"), *size]) == 0
    with av.open(str(tmp_path / "a.mp4")) as film:
        assert sum(1 for _ in film.decode(video=0)) == 3
    assert main(["turntable", str(tmp_path / "block.matshelf"), "-o", str(tmp_path / "a.txt"), *size]) == 2
    assert "must end in" in capsys.readouterr().err


def test_a_turn_is_rendered_from_the_window(open_window, small_project, qtbot, tmp_path):
    window = open_window(*small_project)
    window.stations.show(window.hand_over_board)
    window.hand_over_board.shots_card.more_button.menu().actions()[0].trigger()
    dialog = window.dialogs.open_turntable()
    assert dialog.isVisible()
    dialog.path_field.setText(str(tmp_path / "turn.html"))
    for box, value in (
        (dialog.frames_box, 3),
        (dialog.width_box, 48),
        (dialog.height_box, 32),
        (dialog.samples_box, 1),
    ):
        box.setValue(value)
    dialog.kind_box.setCurrentText("Film, MP4")
    dialog.kind_box.textActivated.emit("Film, MP4")
    assert dialog.path == tmp_path / "turn.mp4"
    dialog.width_box.setValue(49)
    QTest.mouseClick(dialog.start_button, LEFT)
    assert "even width" in dialog.state.text() and dialog.start_button.isEnabled()
    dialog.width_box.setValue(48)
    dialog.seconds_box.setValue(1.0)
    QTest.mouseClick(dialog.start_button, LEFT)
    assert not dialog.start_button.isEnabled()
    qtbot.waitUntil(lambda: dialog.start_button.isEnabled(), timeout=60_000)
    assert dialog.state.text() == f"Written to {tmp_path / 'turn.mp4'}" and dialog.open_button.isEnabled()
    with av.open(str(tmp_path / "turn.mp4")) as film:
        assert film.streams.video[0].width == 48


def test_a_camera_moves_to_another_view(small_project):
    """Ends exactly there; goes round at the same distance the shorter way; halves of a way are halves."""
    project, assets = small_project
    one = project.view.camera.with_(position=(0.0, 50.0, 400.0), target=(0.0, 50.0, 0.0), focal_length=50, roll=170)
    other = one.with_(position=(-400.0, 50.0, 0.0), focal_length=200, f_stop=4.0, roll=-170)
    assert between(one, other, 0.0) is one and between(one, other, 1.0) is other
    half = between(one, other, 0.5)
    assert half.position == pytest.approx((-400 / 2**0.5, 50, 400 / 2**0.5)) and half.target == one.target
    assert half.focal_length == pytest.approx(100) and abs(half.roll) == pytest.approx(180)
    assert half.f_stop == pytest.approx(8)  # of half the width
    view = View(id="side", name="Side", camera=other)
    project = project.with_view(project.view.with_(camera=one)).with_view(view)
    move = Turn(going="view", frames=5, is_eased=True, to="side")
    cameras = [turned(project, assets, move, k).view.camera for k in range(5)]
    assert not move.is_whole and cameras[0] == one and cameras[-1] == other and cameras[2] == half
    assert math.dist(cameras[0].position, cameras[1].position) < math.dist(cameras[1].position, cameras[2].position)


def test_moves_that_cannot_be_are_said_first(small_project, tmp_path):
    project, _ = small_project
    level = View(id="level", name="Level", camera=project.view.camera.with_(is_parallel=True))
    for views, to, words in (((), "gone", "choose another view"), ((level,), "level", "parallel projection")):
        shown = project.with_(views=(*project.views, *views))
        settings = TurnSettings(Turn(going="view", to=to))
        with pytest.raises(ImageError, match=words):
            check_turntable(tmp_path / "a.mp4", settings, shown)


def test_the_window_offers_a_move_where_there_is_another_view(open_window, small_project, qtbot, tmp_path):
    project, assets = small_project
    side = View(id="side", name="Side", camera=project.view.camera.with_(position=(300.0, 90.0, 60.0)))
    window = open_window(project.with_(views=(*project.views, side)), assets)
    dialog = TurntableDialog(window.hand_over, window)
    qtbot.addWidget(dialog)
    dialog.going_box.setCurrentIndex(dialog.going_box.findData("view"))
    dialog.going_box.activated.emit(dialog.going_box.currentIndex())
    assert dialog.to_box.isEnabled() and not dialog.degrees_box.isEnabled()
    assert dialog.settings().turn == Turn(going="view", to=dialog.to_box.currentData())


def test_a_turn_is_a_shot_among_others(open_window, small_project, qtbot, tmp_path, monkeypatch):
    """Added from the dialog, changed on the card, rendered with a still; done once, and again only where it changed."""
    monkeypatch.setattr(checkpoint, "render_folder", lambda: tmp_path / "frames")
    window = open_window(*small_project)
    work, card = window.hand_over, window.hand_over_board.shot_card
    window.stations.show(window.hand_over_board)
    dialog = window.dialogs.open_turntable()
    for box, value in (
        (dialog.frames_box, 5),
        (dialog.width_box, 48),
        (dialog.height_box, 32),
        (dialog.samples_box, 1),
    ):
        box.setValue(value)
    dialog.kind_box.setCurrentText("Images, PNG")
    QTest.mouseClick(dialog.keep_button, LEFT)
    assert work.shot.turn == Turn(frames=5) and work.shot.kind == "png" and "among the shots" in dialog.state.text()
    dialog.close()
    assert card.frames_box.isVisibleTo(card) and not card.noise_box.isVisibleTo(card)
    card.frames_box.setValue(4)
    assert work.shot.turn.frames == 4
    work.add_shots(size=(40, 30, 72.0), samples=1, kind="webp")
    assert not card.frames_box.isVisibleTo(card) and card.noise_box.isVisibleTo(card)
    project, assets = window.workshop.project, window.workshop.assets
    folder, told = tmp_path / "out", []
    folder.mkdir()
    assert render_shots(project, assets, work.shots, folder, lambda key, state: told.append((key, state)))
    images = sorted(path.name for path in folder.iterdir())
    assert images == ["Final, product goes round-000.png", *images[1:4], "Final.webp"] and len(images) == 5
    first, second = (np.asarray(Image.open(folder / name)).astype(int) for name in images[:2])
    assert first.shape == (32, 48, 3) and np.abs(first - second).mean() > 0.5
    turn = [state for key, state in told if key == work.shots[0].id]
    assert [state.samples for state in turn if state.kind == "renders"] == [1, 2, 3] and turn[-1].kind == "done"
    kinds = []
    render_shots(project, assets, work.shots, folder, lambda key, state: kinds.append(state.kind))
    assert kinds == ["was done", "was done"] and foreign_files(project, work.shots, folder) == []
    for fields in ({"kind": "exr"}, {"turn": None, "kind": "mp4"}):
        with pytest.raises(ValidationError, match="which no"):
            work.shots[0].with_(**fields)
    alpha = work.shots[0].with_(background="transparent")
    with pytest.raises(ImageError, match=f"{alpha.name}: a turn has no alpha"):
        render_shots(project.with_shots([alpha]), assets, [alpha], folder, lambda *_: None)


@pytest.mark.long
@pytest.mark.skipif(
    shutil.which("chromedriver") is None or importlib.util.find_spec("selenium") is None,
    reason="needs chromium, its driver and selenium, which `make soak` installs",
)
def test_the_page_is_turned_in_a_browser(tmp_path):
    """Debian's chromium, driven by selenium, opens it from the file system; a drag and keys turn it."""
    from selenium.webdriver import ActionChains, Chrome, ChromeOptions, ChromeService
    from selenium.webdriver.common.by import By
    from selenium.webdriver.common.keys import Keys

    colors = [(200, 30, 30), (30, 180, 40), (40, 50, 210), (220, 210, 60), (20, 190, 190), (190, 40, 190)]
    frames = [np.full((240, 360, 3), color, np.uint8) for color in colors]
    write_turntable(tmp_path / "turn.html", frames, TurnSettings(Turn(frames=6), 360, 240), ".html")
    options = ChromeOptions()
    for argument in ("--headless=new", "--no-sandbox", "--disable-gpu", "--window-size=800,600"):
        options.add_argument(argument)
    options.binary_location = shutil.which("chromium")
    with Chrome(options, ChromeService(shutil.which("chromedriver"))) as browser:
        browser.get((tmp_path / "turn.html").as_uri())
        picture = browser.find_element(By.ID, "turn")

        def shown() -> tuple[int, tuple[int, ...]]:
            time.sleep(0.3)
            image = Image.open(io.BytesIO(picture.screenshot_as_png)).convert("RGB")
            return int(picture.get_attribute("aria-valuenow")), image.getpixel((180, 60))

        def is_frame(place: int) -> bool:
            at, color = shown()
            return at == place and np.abs(np.subtract(color, colors[place])).max() < 16

        assert is_frame(0)
        ActionChains(browser).move_to_element(picture).click_and_hold().move_by_offset(120, 0).release().perform()
        assert is_frame(2)  # a third of the width is a third of the turn
        ActionChains(browser).send_keys(Keys.ARROW_RIGHT).perform()
        assert is_frame(3)
        ActionChains(browser).move_to_element(picture).click_and_hold().move_by_offset(-176, 0).release().perform()
        assert is_frame(0)
        ActionChains(browser).send_keys(Keys.ARROW_LEFT).perform()
        assert is_frame(5)  # and round
        assert browser.get_log("browser") == []
