"""Project and swatch files: round trips, damage, hostility, and being killed."""

import fcntl
import json
import os
import time
import zipfile
from pathlib import Path

import numpy as np
import pytest
from kill_while_saving import kill_once
from PIL import Image

from mat_shelf.document.project import SCHEMA
from mat_shelf.document.swatch import Swatch
from mat_shelf.exchange.package import PackageError
from mat_shelf.exchange.project_file import read_project, save_project
from mat_shelf.exchange.swatch_file import open_swatch, save_swatch
from mat_shelf.library.library import Library
from mat_shelf.library.shipped import SHIPPED
from mat_shelf.library.thumbnails import SHIPPED_THUMBNAILS, recipe_key, thumbnail_path
from mat_shelf.optics.color import RGB_FROM_XYZ
from mat_shelf.system import file_writer
from mat_shelf.system.file_writer import sweep, write_file


@pytest.fixture
def saved(demo, tmp_path):
    path = tmp_path / "desk.matshelf"
    save_project(path, *demo)
    return path


def test_a_project_comes_back_as_it_was(demo, saved):
    project, meshes = read_project(saved)
    assert project == demo[0]
    for part in project.product.parts:
        assert (meshes.meshes[part.mesh].vertices == demo[1].meshes[part.mesh].vertices).all()
    names = zipfile.ZipFile(saved).namelist()
    meshes_, pictures = {part.mesh for part in project.product.parts}, {p.digest for p in project.pictures()}
    assert "project.json" in names and len(names) == 1 + len(meshes_) + len(pictures)


def test_the_previous_save_stays(demo, saved):
    first = saved.read_bytes()
    project = demo[0].with_(name="Second")
    save_project(saved, project, demo[1])
    assert saved.with_name("desk.matshelf~").read_bytes() == first
    assert read_project(saved)[0].name == "Second"


def rewritten(saved, changes):
    with zipfile.ZipFile(saved) as package:
        entries = {name: package.read(name) for name in package.namelist()}
    entries |= changes
    with zipfile.ZipFile(saved, "w") as package:
        for name, data in entries.items():
            if data is not None:
                package.writestr(name, data)
    return saved


def text_of(saved) -> bytes:
    return zipfile.ZipFile(saved).read("project.json")


@pytest.mark.parametrize(
    ("damage", "says"),
    [
        (lambda p: p.write_bytes(b"no zip at all"), "is no Mat Shelf project"),
        (lambda p: p.write_bytes(p.read_bytes()[: p.stat().st_size // 2]), "damaged"),
        (lambda p: p.write_bytes(b""), "is no Mat Shelf project"),
        (lambda p: p.unlink(), "is not there"),
        (lambda p: (p.unlink(), p.mkdir()), "is a folder"),
        (lambda p: rewritten(p, {"project.json": b"{"}), "text cannot be read"),
        (lambda p: rewritten(p, {"project.json": b"[" * 100_000}), "text cannot be read"),
        (lambda p: rewritten(p, {"project.json": b'{"schema_version": 99}'}), "newer Mat Shelf"),
        (
            lambda p: rewritten(p, {"project.json": text_of(p).replace(b'"specular_ior":', b'"specular_ior":9', 1)}),
            "cannot be",
        ),
    ],
)
def test_what_cannot_be_opened_says_why(saved, damage, says):
    damage(saved)
    with pytest.raises(PackageError, match=says) as fault:
        read_project(saved)
    assert "\n" not in str(fault.value) and len(str(fault.value)) < 400


def test_projects_of_the_first_schema_open(demo, saved):
    """Schema 1 kept the camera in each set; it becomes the final view."""
    fields = json.loads(text_of(saved))
    camera = fields["views"][0]["camera"] | {"focus": None}
    for studio in fields["sets"]:
        studio["camera"] = camera
    del fields["views"], fields["current_view"]
    rewritten(saved, {"project.json": json.dumps(fields | {"schema_version": 1}).encode()})
    project = read_project(saved)[0]
    assert project.view.name == "Final" and project.view.camera == demo[0].views[0].camera
    assert project.schema_version == SCHEMA and len(project.views) == len(project.sets)


def test_missing_and_exchanged_meshes_are_named(demo, saved):
    part = demo[0].part("collar")
    name = f"meshes/{part.mesh}.glb"
    rewritten(saved, {name: demo[1].data(demo[0].part("barrel").mesh)})
    with pytest.raises(PackageError, match="mesh of part 'Collar' is damaged"):
        read_project(saved)
    rewritten(saved, {name: None})
    with pytest.raises(PackageError, match="the mesh of part 'Collar' is missing"):
        read_project(saved)


def test_a_file_that_unpacks_to_gigabytes_is_refused(saved):
    with zipfile.ZipFile(saved, "a", zipfile.ZIP_DEFLATED) as package, package.open("x", "w") as _:
        pass
    zeros = b"\0" * (1 << 20)
    with (
        zipfile.ZipFile(saved, "w", zipfile.ZIP_DEFLATED) as package,
        package.open("project.json", "w", force_zip64=True) as out,
    ):
        for _ in range(80):
            out.write(zeros)
    with pytest.raises(PackageError, match="claims to hold more"):
        read_project(saved)


def test_paths_that_leave_the_package_are_never_followed(saved, tmp_path):
    rewritten(saved, {"../outside.txt": b"x", "meshes/../../outside.glb": b"x", "/etc/outside": b"x"})
    read_project(saved)
    assert not [name for name in ("outside", "outside.txt", "outside.glb") if (tmp_path.parent / name).exists()]


def test_random_damage_never_ends_in_anything_but_a_message(saved):
    data = saved.read_bytes()
    rng = np.random.default_rng(2)
    for _ in range(20):
        broken = bytearray(data)
        # The directory at the end is where damage is most interesting.
        for place in np.concatenate([rng.integers(0, len(data), 3), len(data) - rng.integers(1, 2500, 3)]):
            broken[place] = rng.integers(0, 256)
        saved.write_bytes(broken)
        try:
            read_project(saved)
        except PackageError as fault:
            assert str(fault)


def test_a_full_disk_leaves_the_old_file(tmp_path, monkeypatch):
    path = tmp_path / "kept.png"
    path.write_text("old")

    def full(handle, block):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(file_writer.os, "write", full)
    with pytest.raises(OSError, match="kept.png could not be written: the disk is full; free some space"):
        write_file(path, b"new")
    assert path.read_text() == "old" and [p.name for p in tmp_path.iterdir()] == ["kept.png"]


@pytest.mark.skipif(not os.path.exists("/proc/self/fd"), reason="needs a file system that refuses writes")
def test_a_folder_that_cannot_be_written_says_so(demo):
    with pytest.raises(OSError, match="choose another"):
        save_project("/proc/desk.matshelf", *demo)
    with pytest.raises(OSError, match="does not exist"):
        save_project("/nowhere/at/all/desk.matshelf", *demo)


def test_being_killed_while_saving_leaves_a_whole_file(saved):
    """A few kills, later and later until one came after a save; the script does fifty."""
    names = [kill_once(saved, wait) for wait in (0.02, 0.1)]
    for wait in (0.4, 0.8, 1.6, 3.2):
        names.append(kill_once(saved, wait))
        if names[-1].startswith("Save"):
            break
    assert names[-1].startswith("Save")


def test_what_killed_programs_left_is_swept_away(saved):
    old, fresh, held = (saved.with_name(f".ms-{word}.part") for word in ("old", "fresh", "held"))
    other = saved.with_name(f".other{saved.suffix}")
    for left in (old, fresh, held, other):
        left.write_bytes(b"half")
    for left in (old, held, other):
        os.utime(left, (0, 0))
    with held.open("rb") as writing:
        fcntl.flock(writing, fcntl.LOCK_EX)  # as a program does that is still at it
        assert sweep(saved.parent) == 1
    assert not old.exists() and fresh.exists() and held.exists() and other.exists()


def test_a_swatch_comes_back_as_it_was(tmp_path):
    path = tmp_path / "brass.swatch"
    save_swatch(path, SHIPPED[0])
    assert open_swatch(path) == SHIPPED[0]


def test_the_library_outlives_the_program(tmp_path):
    library = Library(tmp_path / "shelf")
    assert {e.name for e in library.entries()} == {s.name for s in SHIPPED} and len(SHIPPED) >= 24
    library.add(Swatch(id="mine", name="My lacquer", family="Lacquer"))
    again = Library(tmp_path / "shelf")
    assert "My lacquer" in [e.name for e in again.entries()] and not again.name_is_free("my LACQUER ")


def test_a_damaged_index_is_made_again(tmp_path):
    library = Library(tmp_path / "shelf")
    (tmp_path / "shelf" / "index.sqlite").write_bytes(b"this is no database, however long it may be" * 100)
    assert len(Library(tmp_path / "shelf").entries()) == len(SHIPPED)
    library.rebuild()
    assert len(library.entries()) == len(SHIPPED)


def test_new_shipped_swatches_reach_an_old_library_and_deleted_ones_stay_out(tmp_path):
    folder = tmp_path / "shelf"
    Library(folder)
    (folder / "copper.swatch").unlink()
    given = folder / "shipped.txt"
    given.write_text("\n".join(key for key in given.read_text().split() if key != "chrome"))
    (folder / "chrome.swatch").unlink()
    ids = {swatch.id for swatch in Library(folder).entries()}
    assert "chrome" in ids and "copper" not in ids


def test_a_broken_swatch_is_named_and_the_others_stay(tmp_path):
    Library(tmp_path / "shelf")
    (tmp_path / "shelf" / "torn.swatch").write_bytes(b"PK\x03\x04 torn")
    (tmp_path / "shelf" / "polished-brass.swatch").unlink()
    library = Library(tmp_path / "shelf")
    assert len(library.entries()) == len(SHIPPED) - 1
    assert len(library.problems) == 1 and "torn.swatch" in library.problems[0]


def test_search_finds_beginnings_of_words_and_takes_any_text(tmp_path):
    library = Library(tmp_path / "shelf")
    assert set(library.search("bra")) == {"polished-brass", "turned-brass"}
    assert set(library.search("glass fros")) == {"frosted-glass", "icy-glass"}  # a name, and a note
    assert "spirit" in library.search("ethanol")  # in its note
    assert len(library.search("  ")) == len(SHIPPED)
    for text in ('"', "NEAR(", "a OR b", "name:brass", "*", "x' --", "\0", "blue-black", "ä" * 500):
        library.search(text)
    assert library.search("blue-black") == ["blue-black-ink"]


def test_metal_swatches_follow_published_n_and_k():
    """Johnson and Christy 1972 (Ag, Au, Cu), Rakic 1995 (Al), Palik 1985 (the others): the n,k files that `mitsuba`
    carries, through its CIE 1931 observer and D65. Edge tint: exact Fresnel at cos = 1/7 over Schlick's value."""
    mi = pytest.importorskip("mitsuba")
    mi.set_variant("scalar_spectral")
    folder = Path(mi.__file__).parent / "data" / "ior"
    waves = np.arange(380, 781, 5.0)
    white, surface = mi.load_dict({"type": "d65"}), mi.SurfaceInteraction3f()

    def daylight(wave: float) -> float:
        surface.wavelengths = [wave] * 4
        return float(white.eval(surface)[0])

    weights = np.array([[float(c) for c in mi.cie1931_xyz(float(w))] for w in waves])
    weights *= np.array([daylight(float(w)) for w in waves])[:, None]

    def rgb(reflectance):
        xyz = (weights * reflectance[:, None]).sum(axis=0) / weights[:, 1].sum()
        return RGB_FROM_XYZ @ xyz

    def table(name):
        rows = [line.split()[:2] for line in (folder / name).read_text().splitlines() if line and line[0] != "#"]
        return np.interp(waves, *np.array([r for r in rows if len(r) == 2], float).T)

    def fresnel(n, k, c):
        """Born and Wolf 14.2, for a conductor."""
        s = 1 - c * c
        inner = n * n - k * k - s
        ab = np.sqrt(inner * inner + 4 * n * n * k * k)
        a = np.sqrt((ab + inner) / 2)
        across = (ab + c * c - 2 * c * a) / (ab + c * c + 2 * c * a)
        along = across * (c * c * ab + s * s - 2 * c * a * s) / (c * c * ab + s * s + 2 * c * a * s)
        return (across + along) / 2

    names = {
        "sterling-silver": "Ag",
        "nib-gold": "Au",
        "copper": "Cu",
        "bright-aluminium": "Al",
        "chrome": "Cr",
        "tungsten": "W",
        "nickel": "Ni_palik",
        "rhodium-plate": "Rh",
        "nitride-gold": "TiN",
    }
    swatches = {swatch.id: swatch.recipe for swatch in SHIPPED}
    for key, symbol in names.items():
        n, k = table(f"{symbol}.eta.spd"), table(f"{symbol}.k.spd")
        straight, grazing = rgb(fresnel(n, k, 1.0)), rgb(fresnel(n, k, 1 / 7))
        schlick = straight + (1 - straight) * (6 / 7) ** 5
        assert swatches[key].base_color == pytest.approx(np.clip(straight, 0, 1), abs=0.01), key
        assert swatches[key].specular_color == pytest.approx(np.clip(grazing / schlick, 0, 1), abs=0.01), key


def test_shipped_swatches_have_their_pictures():
    """Each that of its very recipe, and none is left of another; `scripts/swatch_thumbnails.py` renders them anew."""
    keys = {recipe_key(swatch.recipe) for swatch in SHIPPED}
    assert {path.stem for path in SHIPPED_THUMBNAILS.iterdir()} == keys
    assert all(thumbnail_path(key).parent == SHIPPED_THUMBNAILS for key in keys)


@pytest.mark.long
@pytest.mark.parametrize("name", ["copper", "opal-glass", "saddle-leather", "worn-enamel", "honey"])
def test_shipped_pictures_show_what_their_recipes_are(name, tmp_path, monkeypatch):
    from mat_shelf.library import thumbnails

    recipe = next(swatch.recipe for swatch in SHIPPED if swatch.id == name)
    with Image.open(thumbnail_path(recipe_key(recipe))) as file:
        shipped = np.asarray(file.convert("RGB"), float)
    monkeypatch.setattr(thumbnails, "SHIPPED_THUMBNAILS", tmp_path)
    monkeypatch.setattr(thumbnails, "cache_root", lambda: tmp_path)
    with Image.open(thumbnails.make_thumbnail(recipe)) as file:
        assert np.abs(shipped - np.asarray(file.convert("RGB"), float)).mean() < 3


@pytest.mark.renders
def test_swatches_are_pictured_and_told_apart(tmp_path, monkeypatch):
    """Two swatches of one family, pictured by the worker that the window uses."""
    from mat_shelf.app.library.thumbnail_worker import ThumbnailWorker
    from mat_shelf.library import thumbnails

    monkeypatch.setattr(thumbnails, "cache_root", lambda: tmp_path)
    monkeypatch.setattr(thumbnails, "THUMBNAIL_SAMPLES", 4)
    worker = ThumbnailWorker()
    shipped = [next(s.recipe for s in SHIPPED if s.id == name) for name in ("copper", "satin-steel")]
    recipes = [recipe.with_(specular_roughness=0.31) for recipe in shipped]
    for recipe in recipes:
        worker.want(thumbnails.recipe_key(recipe), recipe, {})
    paths = [thumbnails.thumbnail_path(thumbnails.recipe_key(recipe)) for recipe in recipes]
    for _ in range(1200):
        if all(path.exists() for path in paths):
            break
        time.sleep(0.1)
    worker.close()
    one, other = (np.asarray(Image.open(path).convert("RGB")).astype(int) for path in paths)
    assert one.shape == (thumbnails.THUMBNAIL_SIZE, thumbnails.THUMBNAIL_SIZE, 3)
    assert (one - other)[30:60, 40:70, 0].mean() - (one - other)[30:60, 40:70, 2].mean() > 10  # copper is the warmer
