"""Clips on screens: films, animations and images, made by other libraries, and the frames of turns that show them."""

import io
from fractions import Fraction

import av
import numpy as np
import pytest
from PIL import Image
from PyQt6.QtWidgets import QFileDialog

from mat_shelf.document.mark import MOST_FRAMES, Mark
from mat_shelf.document.turn import Turn
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.clips import read_clip
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.project_file import read_project, save_project
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.rendering.turning import turned

COLORS = [(200, 30, 30), (30, 180, 40), (40, 50, 210), (220, 210, 60)]


def stills(size=(64, 48), times: int = 1) -> list[Image.Image]:
    return [Image.new("RGB", size, color) for color in COLORS for _ in range(times)]


def film(path, frames, rate: int) -> None:
    codec = {".mp4": "libx264", ".webm": "libvpx-vp9", ".mov": "libx264"}[path.suffix]
    with av.open(str(path), "w") as out:
        stream = out.add_stream(codec, rate=Fraction(rate))
        stream.width, stream.height, stream.pix_fmt = *frames[0].size, "yuv420p"
        for frame in frames:
            out.mux(stream.encode(av.VideoFrame.from_image(frame)))
        out.mux(stream.encode())


def colors_of(clip, assets) -> list[np.ndarray]:
    """Mean colour of each frame, of 255."""
    return [assets.pictures[frame.digest].levels[0][..., :3].reshape(-1, 3).mean(axis=0) for frame in clip.frames]


@pytest.mark.parametrize("ending", [".mp4", ".webm", ".mov"])
def test_films_come_as_frames_evenly_over_their_length(ending, tmp_path):
    path, assets = tmp_path / f"show{ending}", Assets()
    film(path, stills(times=5), 10)
    clip = read_clip([path], assets)
    assert len(clip.frames) == 20 and clip.seconds == pytest.approx(2.0, abs=0.11)
    for found, color in zip(colors_of(clip, assets)[2::5], COLORS, strict=True):
        assert np.abs(found - color).max() < 12
    assert [clip.frames.index(clip.at(t)) for t in (0.0, 0.5, 1.99, 2 * clip.seconds)] == [0, 5, 19, 0]


@pytest.mark.parametrize("ending", [".gif", ".webp", ".png"])
def test_animations_keep_the_time_of_each_frame(ending, tmp_path):
    path, assets, (first, *rest) = tmp_path / f"show{ending}", Assets(), stills()
    first.save(path, save_all=True, append_images=rest, duration=[100, 100, 100, 500], loop=0)
    clip = read_clip([path], assets)
    assert clip.seconds == pytest.approx(0.8) and len(clip.frames) == 8
    found = colors_of(clip, assets)
    for frame, color in zip(found, [*COLORS, *[COLORS[3]] * 4], strict=True):
        assert np.abs(frame - color).max() < 12


@pytest.mark.long
def test_long_ones_are_thinned_and_large_ones_made_smaller(tmp_path):
    assets, path = Assets(), tmp_path / "long.mp4"
    film(path, stills((900, 300), times=60), 30)
    clip = read_clip([path], assets)
    assert len(clip.frames) == MOST_FRAMES and clip.seconds == pytest.approx(8.0, abs=0.1)
    picture = assets.pictures[clip.frames[0].digest]
    assert (picture.width, picture.height) == (512, 171)


def test_images_run_by_their_names(tmp_path):
    paths, assets = [], Assets()
    for number, still in enumerate(stills()):
        paths.append(tmp_path / f"frame-{number:03d}.png")
        still.save(paths[-1])
    clip = read_clip(paths[::-1], assets)
    assert clip.seconds == pytest.approx(4 / 24)
    assert all(np.abs(a - b).max() < 4 for a, b in zip(colors_of(clip, assets), COLORS, strict=True))


def test_other_files_are_refused_in_words(tmp_path):
    one, out = tmp_path / "one.png", io.BytesIO()
    stills()[0].save(one)
    film(tmp_path / "whole.mp4", stills(times=3), 10)
    whole = (tmp_path / "whole.mp4").read_bytes()
    stills()[0].save(out, "JPEG")
    list_of_files = b"ffconcat version 1.0\nfile /etc/passwd\n"
    for name, data, words in (
        ("one.png", one.read_bytes(), "one picture alone"),
        ("a.jpg", out.getvalue(), "no film"),
        ("a.mp4", b"", "no film"),
        ("b.mp4", whole[:200], "damaged"),
        ("c.mp4", list_of_files, "no film"),
        ("d.gif", b"GIF89a" + bytes(40), "damaged|one picture"),
    ):
        (tmp_path / name).write_bytes(data)
        with pytest.raises(ImageError, match=words):
            read_clip([tmp_path / name], Assets())
    random = np.random.default_rng(5)
    for _ in range(8):
        data = np.frombuffer(whole, np.uint8).copy()
        data[random.integers(0, len(data), 30)] = random.integers(0, 256, 30)
        (tmp_path / "e.mp4").write_bytes(data.tobytes())
        try:
            read_clip([tmp_path / "e.mp4"], Assets())
        except ImageError as fault:
            assert str(fault)


def screen(project) -> Mark:
    """A screen over the front of the block."""
    return Mark(
        id="screen",
        name="Screen",
        kind="screen",
        part="block",
        point=(0, 20, 15),
        facing=(0, 0, 1),
        width=40,
        height=30,
    )


def test_turns_show_each_frame_when_it_is_due(small_project, tmp_path):
    """By the colour of the screen, straight on; saved and opened again."""
    project, assets = small_project
    film(tmp_path / "show.mp4", stills(times=5), 10)
    clip = read_clip([tmp_path / "show.mp4"], assets)
    project = project.with_mark(screen(project).with_(clip=clip, art=clip.frames[0], luminance=400.0))
    save_project(tmp_path / "a.matshelf", project, assets)
    project, assets = read_project(tmp_path / "a.matshelf")
    turn = Turn(going="lights", frames=4, seconds=2.0, degrees=0.0)
    lit = project.with_view(
        project.view.with_(camera=project.view.camera.with_(position=(0.0, 20.0, 300.0), target=(0.0, 20.0, 0.0)))
    )
    for number, color in enumerate(COLORS):
        shown = turned(lit, assets, turn, number)
        assert shown.mark("screen").art == clip.frames[5 * number]
        light = render_picture(shown, assets, 30, 20, 4, denoise=False).light[10, 15]
        assert np.argmax(light) == np.argmax(color)


def test_a_clip_is_chosen_and_taken_off_in_the_window(open_window, small_project, qtbot, tmp_path, monkeypatch):
    project, assets = small_project
    film(tmp_path / "show.mp4", stills(times=5), 10)
    window = open_window(project.with_mark(screen(project)), assets)
    window.stations.show(window.marks_board)
    window.marks.open("screen")
    column = window.marks_board.findChild(type(window.marks_board.artwork))
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *a: ([str(tmp_path / "show.mp4")], ""))
    column.clip_button.click()
    qtbot.waitUntil(lambda: window.marks.mark.clip is not None, timeout=30_000)
    assert column.clip_button.text() == "No clip" and "2.0 s" in column.art_name.toolTip() + column.art_name.text()
    assert window.marks.mark.height == pytest.approx(30)  # which its first frame has as well
    column.clip_button.click()
    assert window.marks.mark.clip is None and window.marks.mark.art is not None
    (tmp_path / "bad.mp4").write_bytes(b"nothing")
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *a: ([str(tmp_path / "bad.mp4")], ""))
    column.clip_button.click()
    qtbot.waitUntil(lambda: "cannot run on a screen" in window.notice.text.text(), timeout=30_000)
