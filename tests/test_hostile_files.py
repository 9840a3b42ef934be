"""Files from strangers end in a message, in little time and memory, whatever they hold.

What each one is about is in `hostile`; times and memory are measured by ``scripts/fuzz_packages.py`` and
``scripts/fuzz_pictures.py``, here only the end of each matters.
"""

import copy
import io
import json
import operator
import os
import subprocess
import sys
import time

import hostile
import numpy as np
import pytest
from PIL import Image

from mat_shelf.document.light import Light
from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.image_reading import (
    ImageError,
    read_artwork,
    read_image,
    read_map,
    read_page,
    read_svg,
)
from mat_shelf.exchange.models.import_process import import_model
from mat_shelf.exchange.models.mesh_glb import read_glb
from mat_shelf.exchange.package import PackageError
from mat_shelf.exchange.project_file import read_project, save_project
from mat_shelf.geometry.mesh import MeshError
from mat_shelf.system import bounded
from mat_shelf.system.bounded import FaultError, LimitError, Limits, TooLongError, run_bounded


@pytest.fixture(scope="module")
def described(small_project):
    """The text of a sound project as a dict, and its entries."""
    project, assets = small_project
    mesh = project.product.parts[0].mesh
    return json.loads(project.model_dump_json()), {f"meshes/{mesh}.glb": assets.data(mesh)}


def refused(path, text, entries) -> str:
    """What is said of a package."""
    with pytest.raises(PackageError) as told:
        read_project(hostile.packed(path, text, entries))
    assert len(str(told.value)) < 900
    return str(told.value)


SLOW = "60,000 nodes in a row", "60,000 nodes beside each other", "a matrix of no numbers", "a description of 8 MB"


@pytest.mark.parametrize(
    "what", [pytest.param(what, marks=[pytest.mark.long] * (what in SLOW)) for what in hostile.hostile_glbs()]
)
def test_a_mesh_that_is_made_to_harm(what, described, tmp_path):
    data = hostile.hostile_glbs()[what]
    try:
        meshes = read_glb(data)
        assert what == "nodes in a circle" and len(meshes[0].mesh.triangles) == 1
    except MeshError as fault:
        assert len(str(fault)) < 400
    text, _ = described
    text = json.loads(json.dumps(text))
    text["product"]["parts"][0]["mesh"] = hostile.sha(data)
    path = hostile.packed(tmp_path / "a.matshelf", text, {f"meshes/{hostile.sha(data)}.glb": data})
    if what != "nodes in a circle":
        with pytest.raises(PackageError, match="mesh of part 'Block'"):
            read_project(path)
    (tmp_path / "model.glb").write_bytes(data)
    try:
        import_model(tmp_path / "model.glb", seconds=4)
    except MeshError as fault:
        assert 10 < len(str(fault)) < 400


def test_zones_that_claim_billions_of_faces(described, tmp_path):
    text, entries = described
    text = json.loads(json.dumps(text))
    for runs in ([(0, 0xFFFFFFFF)], [(0xFFFFFFFF, 1)], [(0, 1)] * 20_000):
        data = np.array(runs, "<u4").tobytes()
        zone = {"id": "z", "name": "Z", "faces": hostile.sha(data)}
        text["product"]["parts"][0]["zones"] = [zone]
        told = refused(tmp_path / "a.matshelf", text, entries | {f"zones/{zone['faces']}.faces": data})
        assert "the faces of zone 'Z'" in told


@pytest.mark.long
def test_texts_that_claim_millions_of_values(described, tmp_path):
    text, entries = described
    many = b"[" + b"0," * 20_000_000 + b"0]"
    whole = json.dumps(text).encode()
    told = refused(tmp_path / "a.matshelf", whole[:-1] + b', "unknown": ' + many + b"}", entries)
    assert "more" in told and "not opened" in told
    long_key = whole[:-1] + b', "' + b"k" * 30_000_000 + b'": 1}'
    assert "cannot be" in refused(tmp_path / "a.matshelf", long_key, entries)
    deep = whole[:-1] + b', "unknown": ' + b"[" * 100_000 + b"]" * 100_000 + b"}"
    assert "damaged" in refused(tmp_path / "a.matshelf", deep, entries)
    wrong = text | {"materials": [7] * 500_000}
    assert "materials" in refused(tmp_path / "a.matshelf", wrong, entries)


@pytest.mark.parametrize("version", [True, -7, 0, "7", 2.5, [7], 10**40])
def test_formats_that_are_no_number_of_a_format(version, described, tmp_path):
    text, entries = described
    assert "format" in refused(tmp_path / "a.matshelf", text | {"schema_version": version}, entries)


def test_a_thousand_variants_above_each_other(described, tmp_path):
    text, entries = described
    recipe = text["materials"][0]["recipe"]
    chain = [{"id": "red", "name": "m", "recipe": recipe}]
    chain += [
        {"id": f"m{k}", "name": f"m{k}", "recipe": recipe, "parent": f"m{k - 1}" if k else "red"} for k in range(1000)
    ]
    for materials in (chain, chain[:1] + chain[:0:-1]):
        told = refused(tmp_path / "a.matshelf", text | {"materials": materials}, entries)
        assert "parents above each other" in told


def test_values_that_are_no_numbers_are_refused_before_they_are_saved(described, small_project, tmp_path):
    text, entries = described
    mark = {"id": "m", "name": "M", "part": "block", "point": [0, 0, 0], "facing": [0, 1, 0]}
    for name, value in (("point", [float("nan"), 0, 0]), ("facing", [0, float("inf"), 0]), ("point", [1e30, 0, 0])):
        with pytest.raises(ValueError, match="finite|less than"):
            Project.model_validate(text | {"marks": [mark | {name: value}]})
        refused(tmp_path / "a.matshelf", text | {"marks": [mark | {name: value}]}, entries)
    with pytest.raises(ValueError, match="a light stands on the point"):
        Light(position=(0, 25, 0), target=(0, 25, 0))


@pytest.mark.long
def test_packages_that_claim_more_than_they_weigh(described, tmp_path):
    text, entries = described
    told = refused(tmp_path / "a.matshelf", text, entries | {"meshes/bomb": b"\0" * (300 << 20)})
    assert "claims to hold more" in told
    os.mkfifo(tmp_path / "pipe.matshelf")
    for path, words in (
        (tmp_path / "pipe.matshelf", "no ordinary file"),
        (tmp_path, "folder"),
        (tmp_path / "none.matshelf", "is not there"),
    ):
        with pytest.raises(PackageError, match=words):
            read_project(path)


def test_pictures_that_decode_to_gigabytes_say_how_many():
    for read, data in (
        (read_map, hostile.empty_png(20_000, 20_000, 8, 6)),
        (read_map, hostile.wide_exr()),
        (read_image, hostile.empty_png(16_384, 12_000, 8, 2, rows=4)),
    ):
        with pytest.raises(ImageError, match=r"would take [0-9.]+ (GB|MB) of memory.*make it smaller"):
            read(data)


@pytest.mark.long
def test_sound_art_of_14000_squared_pixels_is_taken():
    out = io.BytesIO()
    Image.new("L", (14_000, 14_000), 77).save(out, "PNG", compress_level=1)
    pixels = read_map(read_artwork(out.getvalue()))
    assert pixels.shape[:2] == (14_000, 14_000) and (pixels[::1000, ::1000] == 77).all()


def test_drawings_that_never_end_or_reach_out_are_refused(monkeypatch, tmp_path):
    with pytest.raises(ImageError, match="nodes limit"):
        read_svg(hostile.nested_drawing())
    with pytest.raises(ImageError, match="asks for more than it may|memory"):
        read_svg(hostile.blurred_drawing())
    inner = tmp_path / "inner.png"
    Image.new("RGB", (4, 4), (255, 0, 0)).save(inner)
    head = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 8 8"'
    for body in (
        f'><image href="{inner}" width="8" height="8"/></svg>',
        f'><image xlink:href="file://{inner}" width="8" height="8"/></svg>',
        f'><image HREF="&#x2F;{str(inner)[1:]}" width="8" height="8"/></svg>',
        f'><rect width="8" height="8" style="fill:url({inner})"/></svg>',
        "><style>@import 'a.css';</style></svg>",
        '><image href="data:image/svg+xml;base64,PHN2Zy8+" width="8" height="8"/></svg>',
    ):
        with pytest.raises(ImageError, match="another file|another drawing"):
            read_svg((head + body).encode())
    for whole in (
        b'<!DOCTYPE svg [<!ENTITY a "b">]>' + (head + "/>").encode(),
        (head + "><script>1</script></svg>").encode(),
        b"no drawing",
        b'<svg xmlns="http://www.w3.org/2000/svg"/>',
        b'<svg xmlns="http://www.w3.org/2000/svg" width="1" height="1000000"/>',
    ):
        with pytest.raises(ImageError):
            read_svg(whole)


def test_a_drawing_keeps_its_proportions_and_its_clear_ground():
    head = '<svg xmlns="http://www.w3.org/2000/svg" '
    body = '><circle cx="10" cy="20" r="9" fill="#00f"/></svg>'
    for size in ('width="20mm" height="40mm" viewBox="0 0 20 40"', 'viewBox="0 0 20 40"', 'width="20" height="40px"'):
        picture = Image.open(io.BytesIO(read_svg((head + size + body).encode())))
        assert picture.size == (2048, 4096)
        pixels = np.asarray(picture.convert("RGBA"))
        assert tuple(pixels[2048, 1024]) == (0, 0, 255, 255) and pixels[20, 20, 3] == 0


def test_a_page_that_never_ends_is_given_up(monkeypatch):
    monkeypatch.setattr("mat_shelf.exchange.image_reading._SECONDS", 2.0)
    with pytest.raises(ImageError, match="longer than|asks for more|memory"):
        read_page(hostile.nested_forms(), 0)


def test_a_process_with_bounds_keeps_them():
    sent = ["text", None, 7, [1.5, {"a": b"bytes"}], np.arange(6, dtype=np.int16).reshape(2, 3), np.zeros((0, 3))]
    came = run_bounded(copy.copy, sent)
    assert came[:3] == sent[:3] and came[3][1]["a"] == b"bytes"
    assert np.array_equal(came[4], sent[4]) and came[5].shape == (0, 3)
    came[4][0, 0] = 99  # and may be written to
    small = Limits(memory=64 << 20, output=16 << 20, seconds=20)
    with pytest.raises(LimitError, match="memory"):
        run_bounded(bytes, 512 << 20, limits=small)
    with pytest.raises(LimitError, match="16 MB"):
        run_bounded(bytes, 32 << 20, limits=small)
    with pytest.raises(LimitError):
        run_bounded(os.abort)
    with pytest.raises(TooLongError):
        run_bounded(time.sleep, 60, limits=Limits(seconds=0.1))
    with pytest.raises(InterruptedError):
        run_bounded(time.sleep, 60, progress=lambda text: False)
    with pytest.raises(FaultError, match="what is wrong") as told:
        run_bounded(operator.getitem, {}, "what is wrong")
    assert told.value.kind == "KeyError"
    assert run_bounded(copy.copy, [1]) == [1]


def test_readers_are_kept_however_large_the_program_is():
    held = np.ones(1 << 27)  # 1 GB, which a child's own figures begin with
    bounded.close()
    run_bounded(copy.copy, [1])
    (first,) = bounded._idle
    run_bounded(copy.copy, [1])
    assert bounded._idle == [first] and held[0] == 1


def test_readers_end_with_the_program_even_if_it_is_killed():
    code = "import time; from mat_shelf.system.bounded import prepare, _idle; prepare(); "
    code += "print(*[c.process.pid for c in _idle], flush=True); time.sleep(60)"
    program = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True)
    children = [int(word) for word in program.stdout.readline().split()]
    assert len(children) == bounded.KEPT
    program.kill()
    program.wait()
    for child in children:
        _wait_for_end(child)


def _wait_for_end(process: int, seconds: float = 20.0) -> None:
    ends = time.monotonic() + seconds
    while time.monotonic() < ends:
        try:
            with open(f"/proc/{process}/stat") as file:
                if file.read().rpartition(")")[2].split()[0] == "Z":
                    return
        except FileNotFoundError:
            return
        time.sleep(0.05)
    raise AssertionError("a reader outlived its program")


def test_opening_needs_no_folder_for_temporary_files(small_project, tmp_path, monkeypatch):
    project, assets = small_project
    path = tmp_path / "block.matshelf"
    save_project(path, project, assets)
    monkeypatch.setattr("tempfile.tempdir", "/nowhere/at/all")
    assert read_project(path)[0] == project
    out = io.BytesIO()
    Image.new("RGB", (8, 8), (1, 2, 3)).save(out, "PNG")
    assert Assets().add_map(out.getvalue())[1] == "png"
