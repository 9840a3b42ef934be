"""Pictures rendered by workers: the same bit for bit, whoever ends in between."""

import os
import signal
import threading

import numpy as np
import pytest

from mat_shelf.cli import main
from mat_shelf.document.shot import Shot
from mat_shelf.exchange import band_rendering, checkpoint, cluster
from mat_shelf.exchange.checkpoint import Checkpoint
from mat_shelf.exchange.cluster import check_cluster, connect, crew_at
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.image_reading import read_map
from mat_shelf.exchange.project_file import save_project
from mat_shelf.exchange.shot_files import film_key, shot_project
from mat_shelf.exchange.shot_queue import render_shots
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.rendering.region import PictureRegion

SIZE = 120, 80


@pytest.fixture(autouse=True, scope="module")
def no_broken_pipes():
    """As Python itself has it: gmsh, by which other tests make models, lets a closed connection end the process."""
    signal.signal(signal.SIGPIPE, signal.SIG_IGN)


@pytest.fixture(scope="module")
def crew(no_broken_pipes):
    with crew_at("local:2") as found:
        yield found


@pytest.fixture(autouse=True)
def small_bands(monkeypatch, tmp_path):
    monkeypatch.setattr(cluster, "_LEAST_PIXELS", 500)
    monkeypatch.setattr(checkpoint, "render_folder", lambda: tmp_path / "films")


@pytest.mark.long
def test_workers_render_the_same_picture(crew, small_project):
    told = []
    alone = render_picture(*small_project, *SIZE, 4, denoise=False)
    made = render_picture(
        *small_project, *SIZE, 4, denoise=False, crew=crew.of(*small_project),
        progress=lambda *counts: told.append(counts) or True,
    )  # fmt: skip
    assert (made.light == alone.light).all() and (made.film.sums.met == alone.film.sums.met).all()
    assert len(told) > 2 and told[-1] == (4, 4)
    region = PictureRegion(20, 10, 70, 50)
    parts = [
        render_picture(*small_project, *SIZE, 2, region=region, crew=c).light for c in (None, crew.of(*small_project))
    ]
    assert (parts[0] == parts[1]).all()


@pytest.mark.long
def test_lights_apart_and_photons_and_a_cut_out(crew, small_project):
    project, assets = small_project
    lamp = next(studio for studio in project.sets if studio.id == "hard-lamp")
    lit = project.with_(current_set=lamp.id)
    mirror = lit.material("red")
    mirror = mirror.with_(recipe=mirror.recipe.with_(base_metalness=1.0, specular_roughness=0.0))
    for shown, options in ((project, {"keeps_apart": True}), (lit.with_material(mirror), {"cut_out": True})):
        made = [
            render_picture(shown, assets, *SIZE, 3, denoise=False, crew=c, **options)
            for c in (None, crew.of(shown, assets))
        ]
        assert (made[0].light == made[1].light).all()
        assert (made[0].film.sums.light == made[1].film.sums.light).all()


@pytest.mark.long
def test_what_one_process_began_workers_end(crew, small_project):
    """And the other way round."""
    whole = render_picture(*small_project, *SIZE, 9, denoise=False)
    for first, second in ((None, crew.of(*small_project)), (crew.of(*small_project), None)):
        key = f"film-{first is None}"
        render_picture(*small_project, *SIZE, 4, denoise=False, crew=first, keeper=Checkpoint(key))
        ended = render_picture(*small_project, *SIZE, 9, denoise=False, crew=second, keeper=Checkpoint(key))
        assert (ended.light == whole.light).all()


@pytest.mark.long
def test_a_killed_worker_costs_its_band_alone(crew, small_project):
    alone = render_picture(*small_project, *SIZE, 20, denoise=False)
    pids = list(crew.client.run(os.getpid).values())
    assert len(set(pids)) == 2
    killed = threading.Timer(0.3, lambda: os.kill(pids[0], signal.SIGKILL))
    killed.start()
    made = render_picture(*small_project, *SIZE, 20, denoise=False, crew=crew.of(*small_project))
    killed.join()
    with pytest.raises(ProcessLookupError):
        os.kill(pids[0], 0)
    assert (made.light == alone.light).all()


def test_other_users_of_the_machine_cannot_join(crew):
    """Without the certificate of the run nobody is spoken to."""
    address = crew.client.scheduler.address
    assert address.startswith("tls://127.0.0.1:")
    for wrong in (address, address.replace("tls://", "tcp://")):
        with pytest.raises((OSError, TypeError, ValueError)):
            connect(wrong, 2)


@pytest.mark.long
def test_cancelled_bands_that_are_done_stay(crew, small_project):
    calls = []
    with pytest.raises(InterruptedError):
        render_picture(
            *small_project, *SIZE, 8, denoise=False, crew=crew.of(*small_project), keeper=Checkpoint("half"),
            progress=lambda *_: calls.append(0) or len(calls) < 3,
        )  # fmt: skip
    assert Checkpoint("half").path.exists()
    told = []
    again = render_picture(
        *small_project, *SIZE, 8, denoise=False, crew=crew.of(*small_project), keeper=Checkpoint("half"),
        progress=lambda *counts: told.append(counts) or True,
    )  # fmt: skip
    assert (again.light == render_picture(*small_project, *SIZE, 8, denoise=False).light).all()
    with pytest.raises(InterruptedError):
        render_picture(*small_project, *SIZE, 8, crew=crew.of(*small_project), is_stopped=lambda: True)


@pytest.mark.long
def test_files_are_sent_once(crew, small_project, monkeypatch):
    project, assets = small_project
    sent, scatter = [], crew.client.scatter
    monkeypatch.setattr(crew.client, "scatter", lambda data, **o: sent.append(len(data)) or scatter(data, **o))
    for name in ("One", "Other", "One"):  # another project with the same mesh
        shown = project.with_(name=name)
        render_picture(shown, assets, *SIZE, 1, denoise=False, crew=crew.of(shown, assets))
    mesh = len(assets.data(project.product.parts[0].mesh))
    # What a picture does not need is held no more, so the project goes out each time that it is another one.
    assert sent.count(mesh) == 1 and len(sent) == 4


def test_another_version_is_told(small_project):
    project, assets = small_project
    with pytest.raises(ImageError, match="another version"):
        band_rendering.render_band("other", b"", {}, None, np.zeros(1, np.int32), 1, None, 1)


@pytest.mark.parametrize(
    ("address", "words"),
    [
        ("local:0", "number of workers"), ("local:999", "number of workers"), ("localhost", "number of workers"),
        ("tls://a:b", "address"),
        ("tcp://10.1.2.3:8786", "encrypted"), ("http://render:80", "no"), ("render", "address"),
    ],
)  # fmt: skip
def test_addresses_that_cannot_be(address, words):
    with pytest.raises(ImageError, match=words):
        check_cluster(address)


def test_a_scheduler_that_is_not_there(monkeypatch):
    monkeypatch.setattr(cluster, "_CONNECT_S", 1)
    with pytest.raises(ImageError, match="cannot be reached"), crew_at("tcp://127.0.0.1:9"):
        pass


@pytest.mark.long
def test_the_command_renders_shots_with_workers(scheduler, small_project, tmp_path, capsys):
    project, assets = small_project
    shot = Shot(
        id="s", name="Whole", view=project.current_view, set=project.current_set,
        width=64, height=48, samples=4, kind="exr", bits=32,
    )  # fmt: skip
    project = project.with_shots([shot])
    save_project(tmp_path / "block.matshelf", project, assets)
    (tmp_path / "out").mkdir()
    asked = ["render", str(tmp_path / "block.matshelf"), "--shots", "-o", str(tmp_path / "out")]
    assert main([*asked, "--cluster", scheduler]) == 0
    made = read_map((tmp_path / "out" / "Whole.exr").read_bytes())
    Checkpoint(film_key(shot_project(project, shot), shot)).path.unlink()
    (tmp_path / "alone").mkdir()
    render_shots(project, assets, [shot], tmp_path / "alone", lambda *_: None)
    assert (made == read_map((tmp_path / "alone" / "Whole.exr").read_bytes())).all()
    capsys.readouterr()
    one = ["render", str(tmp_path / "block.matshelf"), "-o", str(tmp_path / "a.png"), "--cluster"]
    for more, words in ((["local:1", "--noise", "good"], "noise"), (["nowhere"], "address")):
        assert main([*one, *more]) == 2
        said = capsys.readouterr().err
        assert words in said and "Traceback" not in said
    assert not (tmp_path / "a.png").exists()
