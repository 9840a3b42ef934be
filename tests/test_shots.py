"""Shots rendered in one go: their files, what a killed run leaves, and what is said before anything is rendered."""

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import OpenEXR
import pytest
from PIL import Image

from mat_shelf.cli import main
from mat_shelf.commands.hand_over import SIZES, HandOverCommands
from mat_shelf.commands.session import Session
from mat_shelf.document.material import Material
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.shot import Crop, Shot, Swap
from mat_shelf.exchange import checkpoint, render_file
from mat_shelf.exchange.checkpoint import Checkpoint
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.project_file import read_project, save_project
from mat_shelf.exchange.shot_files import check_shot, film_key, shot_name, shot_project
from mat_shelf.exchange.shot_queue import foreign_files, kept_state, render_shots
from mat_shelf.library.library import Library
from mat_shelf.system.file_writer import WriteError


@pytest.fixture(autouse=True)
def own_cache(tmp_path, monkeypatch):
    """Films of these tests alone; compiled kernels stay where they are."""
    monkeypatch.setattr(checkpoint, "render_folder", lambda: tmp_path / "films")


@pytest.fixture
def blocks(small_project):
    """The red block with a green variant, and shots of both."""
    project, assets = small_project
    red = project.material("red")
    green = Material(
        id="green", name="Green", recipe=Recipe(base_color=(0.05, 0.5, 0.05)), parent="red", own=("base_color",)
    )
    project = project.with_material(green)
    view, studio = project.current_view, project.current_set
    form = {"view": view, "set": studio, "width": 60, "height": 40, "samples": 3}
    shots = (
        Shot(id="a", name="As it is", **form),
        Shot(id="b", name="Green", swap=Swap(material=red.id, variant="green"), background="white", **form),
    )
    return project.with_shots(shots), assets


def run(project, assets, folder, shots=None, **options):
    """Renders shots; all that was told of each."""
    told: dict[str, list] = {}
    shots = project.hand_over.shots if shots is None else shots
    done = render_shots(
        project, assets, shots, folder, lambda key, state: told.setdefault(key, []).append(state), **options
    )
    return told, done


def test_each_shot_becomes_a_file_and_is_done_once(blocks, tmp_path):
    project, assets = blocks
    told, done = run(project, assets, tmp_path)
    assert done and [states[-1].kind for states in told.values()] == ["done", "done"]
    red, green = (np.asarray(Image.open(tmp_path / f"{name}.png")).astype(int) for name in ("As it is", "Green"))
    assert red.shape == green.shape == (40, 60, 3) and (green[0, 0] == 255).all()
    middle = (slice(18, 24), slice(26, 34))
    assert (red[middle][..., 0] > red[middle][..., 1]).all() and (green[middle][..., 1] > green[middle][..., 0]).all()
    before = (tmp_path / "Green.png").stat().st_mtime_ns
    told, _ = run(project, assets, tmp_path)
    assert [states[-1].kind for states in told.values()] == ["was done", "was done"]
    assert (tmp_path / "Green.png").stat().st_mtime_ns == before
    assert foreign_files(project, project.hand_over.shots, tmp_path) == []


def test_a_view_shows_the_parts_that_it_does_not_hide(blocks, tmp_path):
    """Also in the ids of a file and the words that go with it; a view of the same place is another film."""
    project, assets = blocks
    bare = project.view.with_(id="bare", name="Bare", hides=("block", "one-that-is-gone"))
    form = {"set": project.current_set, "width": 60, "height": 40, "samples": 2, "kind": "exr", "has_ids": True}
    project = project.with_view(bare).with_shots(
        Shot(id=view, name=view, view=view, **form) for view in (project.current_view, "bare")
    )
    told, _ = run(project, assets, tmp_path)
    assert [states[-1].kind for states in told.values()] == ["done", "done"]
    whole, empty = (OpenEXR.File(str(tmp_path / f"{shot.id}.exr")) for shot in project.hand_over.shots)
    named = [" ".join(str(value) for value in file.header().values()) for file in (whole, empty)]
    assert '"Block"' in named[0] and '"Block"' not in named[1]
    assert "Materials: Red" in named[0] and "Materials: Red" not in named[1]
    pixels = [file.channels()["RGB"].pixels[12:30, 22:38] for file in (whole, empty)]
    assert pixels[0][..., 0].mean() > 2 * pixels[0][..., 1].mean()
    assert pixels[1][..., 0].mean() < 1.3 * pixels[1][..., 1].mean()
    keys = {film_key(shot_project(project, shot), shot) for shot in project.hand_over.shots}
    assert len(keys) == 2


def test_the_product_is_put_in_the_middle_of_what_is_kept(blocks, tmp_path):
    """By its alpha, read back: the margin on each side, beyond the picture too; a drawn region keeps its place."""
    project, assets = blocks
    camera = project.view.camera
    aside = camera.with_(target=(camera.target[0] + 60, camera.target[1] + 10, camera.target[2]))
    project = project.with_view(project.view.with_(camera=aside))
    shot = project.hand_over.shots[0].with_(width=120, height=80, samples=2)
    cut = shot.with_(background="transparent", crop=Crop(margin=0.5))
    made = {
        "close": cut,
        "shape": cut.with_(crop=Crop(margin=0.0, keeps_shape=True)),
        "set": shot.with_(crop=Crop(margin=0.5)),
        "drawn": shot.with_(crop=Crop(place=(-18.0, -12.0, 0.0, 0.0))),
        "whole": shot,
    }
    shots = [each.with_(id=name, name=name) for name, each in made.items()]
    project = project.with_shots(shots)
    told, _ = run(project, assets, tmp_path, shots)
    assert {states[-1].kind for states in told.values()} == {"done"}
    read = {name: np.asarray(Image.open(tmp_path / f"{name}.png")).astype(int) for name in made}
    covered = read["close"][..., 3] > 0
    rows, columns = np.nonzero(covered.any(axis=1))[0], np.nonzero(covered.any(axis=0))[0]
    longest = max(np.ptp(rows), np.ptp(columns)) + 1
    left, right = columns[0], covered.shape[1] - 1 - columns[-1]
    top, bottom = rows[0], covered.shape[0] - 1 - rows[-1]
    assert left + right + len(columns) > 120 - 40  # it reaches beyond the picture
    assert {abs(left - right) <= 2, abs(top - bottom) <= 2, abs(left - longest / 2) <= 2} == {True}
    assert abs(read["shape"].shape[1] / read["shape"].shape[0] - 1.5) < 0.05
    assert read["set"].shape[0] <= 80 and (read["set"].sum(axis=2) > 0).all()  # nothing of it was left unrendered
    assert np.array_equal(read["drawn"], read["whole"][:40, :60])


def test_another_form_takes_the_samples_and_more_samples_go_on(blocks, tmp_path, monkeypatch):
    project, assets = blocks
    shot = project.hand_over.shots[0]
    run(project, assets, tmp_path, [shot])
    deep = shot.with_(bits=16)
    told, _ = run(project.with_shots([deep]), assets, tmp_path, [deep])
    assert [state.samples for state in told["a"] if state.kind == "writes"] == [3]
    assert not any(state.kind == "renders" for state in told["a"])
    more = shot.with_(samples=5, kind="exr", bits=32)
    told, _ = run(project.with_shots([more]), assets, tmp_path, [more])
    assert [state.samples for state in told["a"] if state.kind == "renders"] == [3]  # two at once
    fresh = shot.with_(id="f", name="Fresh", samples=5, kind="exr", bits=32)
    monkeypatch.setattr(checkpoint, "render_folder", lambda: tmp_path / "others")
    run(project.with_shots([fresh]), assets, tmp_path, [fresh])
    one, other = (render_file.read_map((tmp_path / f"{name}.exr").read_bytes()) for name in ("As it is", "Fresh"))
    assert one == pytest.approx(other, rel=1e-5)  # the third sample was summed by itself, and not with the fourth


@pytest.mark.long
def test_a_killed_run_goes_on_where_it_was(small_project, tmp_path):
    """Killed by the system while it renders; the picture in the end is that of an unbroken run, bit for bit."""
    project, assets = small_project
    shot = Shot(
        id="s", name="Whole", view=project.current_view, set=project.current_set,
        width=90, height=60, samples=24, kind="exr", bits=32,
    )  # fmt: skip
    project = project.with_shots([shot])
    save_project(tmp_path / "block.matshelf", project, assets)
    program = (
        "from pathlib import Path; from mat_shelf.exchange import checkpoint; from mat_shelf.cli import main;"
        f"checkpoint._EVERY_S = checkpoint._SHARE = 0; films = Path({str(tmp_path)!r}) / 'films';"
        "checkpoint.render_folder = lambda: films;"
        f"main(['render', {str(tmp_path / 'block.matshelf')!r}, '--shots', '-o', {str(tmp_path)!r}])"
    )
    started = subprocess.Popen([sys.executable, "-c", program], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    film = Checkpoint(film_key(shot_project(project, shot), shot))
    ends = time.monotonic() + 120
    while film.samples < 3 and time.monotonic() < ends and started.poll() is None:
        time.sleep(0.02)
    os.kill(started.pid, signal.SIGKILL)
    started.wait()
    kept = film.samples
    assert 3 <= kept < 24 and not (tmp_path / "Whole.exr").exists()
    state = kept_state(project, shot, tmp_path / "Whole.exr")
    assert (state.kind, state.samples) == ("stopped", kept)
    told, done = run(project, assets, tmp_path)
    assert done and told["s"][1].samples == kept
    whole = render_file.read_map((tmp_path / "Whole.exr").read_bytes())
    unbroken = shot.with_(id="u", name="Unbroken")
    (tmp_path / "films").rename(tmp_path / "gone")
    run(project.with_shots([unbroken]), assets, tmp_path)
    assert (whole == render_file.read_map((tmp_path / "Unbroken.exr").read_bytes())).all()


@pytest.mark.long
def test_stopped_in_the_middle_of_a_sample_nothing_is_lost(small_project, tmp_path):
    project, assets = small_project
    shot = Shot(
        id="s", name="Stop", view=project.current_view, set=project.current_set,
        width=240, height=180, samples=4, kind="exr", bits=32,
    )  # fmt: skip
    project = project.with_shots([shot])
    asked = [0]

    def is_stopped() -> bool:
        asked[0] += 1
        return asked[0] > 12

    told, done = run(project, assets, tmp_path, is_stopped=is_stopped)
    assert not done and told["s"][-1].kind in ("stopped", "waits") and not (tmp_path / "Stop.exr").exists()
    told, done = run(project, assets, tmp_path)
    assert done
    whole = render_file.read_map((tmp_path / "Stop.exr").read_bytes())
    (tmp_path / "films").rename(tmp_path / "gone")
    (tmp_path / "Stop.exr").unlink()
    run(project, assets, tmp_path)
    assert (whole == render_file.read_map((tmp_path / "Stop.exr").read_bytes())).all()


def test_damaged_films_are_rendered_anew(blocks, tmp_path):
    project, assets = blocks
    shot = project.hand_over.shots[0]
    run(project, assets, tmp_path, [shot])
    path = Checkpoint(film_key(shot_project(project, shot), shot)).path
    whole = path.read_bytes()
    right = (tmp_path / "As it is.png").read_bytes()
    for damaged in (
        b"",
        whole[: len(whole) // 2],
        b"PK" + os.urandom(500),
        whole[:3000] + os.urandom(64) + whole[3064:],
    ):
        path.write_bytes(damaged)
        path.with_suffix(".json").write_bytes(b"[1, 2")
        told, done = run(project, assets, tmp_path, [shot])
        assert done and told["a"][-1].kind == "done"
        assert (tmp_path / "As it is.png").read_bytes() == right


def test_one_that_fails_leaves_the_others(blocks, tmp_path, monkeypatch):
    project, assets = blocks
    write = render_file.write_image

    def full_once(path, *arguments):
        if path.name == "As it is.png":
            raise WriteError(f"{path.name} could not be written: the disk is full; free some space")
        return write(path, *arguments)

    monkeypatch.setattr(render_file, "write_image", full_once)
    told, done = run(project, assets, tmp_path)
    assert done and told["a"][-1].kind == "failed" and "disk is full" in told["a"][-1].words
    assert (
        told["b"][-1].kind == "done" and (tmp_path / "Green.png").exists() and not (tmp_path / "As it is.png").exists()
    )
    monkeypatch.undo()
    monkeypatch.setattr(checkpoint, "render_folder", lambda: tmp_path / "films")
    told, _ = run(project, assets, tmp_path)  # the samples are there; it is written once there is room
    assert told["a"][-1].kind == "done" and not any(state.kind == "renders" for state in told["a"])


def test_what_cannot_be_is_said_before_anything_is_rendered(blocks, tmp_path):
    project, assets = blocks
    shot = project.hand_over.shots[0]
    for changed, words in (
        ({"kind": "jpg", "background": "transparent"}, "JPEG has neither alpha"),
        ({"kind": "webp", "bits": 16}, "at most 8 bits"),
        ({"width": 16384, "height": 16384}, "GB of memory"),
    ):
        with pytest.raises(ImageError, match=words):
            wrong = shot.with_(**changed)
            run(project.with_shots([wrong]), assets, tmp_path, [wrong], memory=8 << 30)
    with pytest.raises(ImageError, match="nowhere does not exist; choose another"):
        run(project, assets, tmp_path / "nowhere")
    with pytest.raises(ImageError, match="several shots would be written to Side"):
        twin = project.with_(hand_over=project.hand_over.with_(pattern="Side"))
        run(twin, assets, tmp_path)
    with pytest.raises(ImageError, match=r"cannot hold \{nonsense\}"):
        shot_name(project.with_(hand_over=project.hand_over.with_(pattern="{nonsense}")), shot, 1)
    gone = shot.with_(swap=Swap(material="red", variant="nobody"))
    told, _ = run(project.with_shots([gone]), assets, tmp_path, [gone])
    assert told["a"][-1].kind == "failed" and "no longer in the project" in told["a"][-1].words
    assert not list(tmp_path.glob("*.png"))


def test_names_stay_in_their_folder(blocks):
    project, _ = blocks
    shot = project.hand_over.shots[0]
    for name, pattern in (
        ("../../etc/passwd", "{shot}"),
        ("a\x00b\n", "{shot}"),
        ("x" * 119, "{shot}" * 20),
        ("...", "{shot}"),
    ):
        named = project.with_(hand_over=project.hand_over.with_(pattern=pattern))
        made = shot_name(named, shot.with_(name=name), 1)
        assert "/" not in made and "\x00" not in made and len(made.encode()) < 255 and made.endswith(".png")
        assert not made.startswith(".") and Path(made).name == made
    every = project.with_(
        hand_over=project.hand_over.with_(pattern="{product} {view} {set} {variant} {number} {width}x{height}")
    )
    words = shot_name(every, project.hand_over.shots[1], 2)
    assert words == f"Block {project.view.name} {project.set.name} Green 02 60x40.png"


def test_files_of_others_are_told_apart(blocks, tmp_path):
    project, assets = blocks
    (tmp_path / "Green.png").write_bytes(b"mine")
    assert foreign_files(project, project.hand_over.shots, tmp_path) == [tmp_path / "Green.png"]
    check_shot(project.hand_over.shots[0], tmp_path / "a.png")


def test_commands_add_change_and_remove_shots(demo, tmp_path):
    project, assets = demo
    session = Session(project, assets, Library(tmp_path / "shelf"))
    work = HandOverCommands(session)
    views, sets = [v.id for v in project.views], [s.id for s in project.sets[:2]]
    work.add_shots(views, sets, size=SIZES["A4 across, 300 dpi"], kind="tiff")
    assert len(work.shots) == 2 * len(views) and len({shot.name for shot in work.shots}) == len(work.shots)
    assert (work.shot.width, work.shot.height, work.shot.dpi) == (3508, 2480, 300)  # ISO 216: 297 x 210 mm
    work.choose_shot(work.shots[1].id)
    work.change_shot("Samples of the shot", samples=7)
    work.move_shot(-1)
    assert work.shots[0].samples == 7
    work.duplicate_shot()
    work.remove_shot()
    session.use_set(sets[1])
    count = len(session.project.hand_over.shots)
    session.remove_set()
    assert len(session.project.hand_over.shots) == count - len(views)
    session.undo()
    assert len(session.project.hand_over.shots) == count
    work.add_masked("part", "tray")
    work.add_masked("part", "tray")
    assert len(session.project.finish.masked) == 1
    save_project(tmp_path / "a.matshelf", session.project, assets)
    assert read_project(tmp_path / "a.matshelf")[0].hand_over == session.project.hand_over


def test_the_command_renders_every_view_and_variant(blocks, tmp_path, capsys):
    project, assets = blocks
    second = project.view.with_(id="second", name="Second")
    save_project(tmp_path / "block.matshelf", project.with_view(second), assets)
    size = ["--width", "48", "--height", "32", "--samples", "1"]
    out = str(tmp_path / "{view} {variant}.jpg")
    assert (
        main(["render", str(tmp_path / "block.matshelf"), "-o", out, "--view", "all", "--variant", "red/all", *size])
        == 0
    )
    names = {path.name for path in tmp_path.glob("*.jpg")}
    assert names == {f"{project.view.name} Green.jpg", "Second Green.jpg"}
    assert main(["render", str(tmp_path / "block.matshelf"), "-o", str(tmp_path), "--shots"]) == 0
    assert (tmp_path / "Green.png").exists()
    capsys.readouterr()
    assert main(["render", str(tmp_path / "block.matshelf"), "-o", out, "--variant", "Nobody"]) == 2
    assert "no variant called 'Nobody'" in capsys.readouterr().err
    for option, words in (
        (["--seed", "3"], "--seed is of one render"),
        (["--passes", "shine"], "no pass 'shine'"),
        (["--cryptomatte"], "need an EXR"),
    ):
        assert main(["render", str(tmp_path / "block.matshelf"), "-o", out, "--view", "all", *size, *option]) == 2
        assert words in capsys.readouterr().err
    (tmp_path / "mine Second.png").write_bytes(b"of another hand")
    mine = str(tmp_path / "mine {view}.png")
    assert main(["render", str(tmp_path / "block.matshelf"), "-o", mine, "--view", "all", *size]) == 2
    assert "not from these shots" in capsys.readouterr().err
    assert (tmp_path / "mine Second.png").read_bytes() == b"of another hand"
    assert (
        main(["render", str(tmp_path / "block.matshelf"), "-o", str(tmp_path / "one.png"), "--view", "all", *size]) == 2
    )
    assert "several shots would be written to one.png" in capsys.readouterr().err
