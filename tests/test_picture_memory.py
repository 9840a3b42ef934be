"""Pictures that there is not enough memory for: coarser in patterns, told once, whole in files."""

import io

import numpy as np
import pytest
from PIL import Image

from mat_shelf.cli import main
from mat_shelf.document.image import ImageRef
from mat_shelf.document.mark import Mark
from mat_shelf.document.pattern import Feed, Pattern
from mat_shelf.exchange import picture_memory
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.project_file import read_project, save_project
from mat_shelf.patterns.mipmap import Mipmap
from mat_shelf.patterns.sources import Pictured

GIB = 1 << 30


def png(side: int, seed: int = 1) -> bytes:
    """A picture of smooth blots, of side x side / 2 pixels, half clear."""
    rough = np.random.default_rng(seed).integers(0, 256, (6, 8, 4), dtype=np.uint8)
    out = io.BytesIO()
    Image.fromarray(rough).resize((side, side // 2), Image.Resampling.BICUBIC).save(out, "PNG")
    return out.getvalue()


def bytes_of(mipmap: Mipmap) -> int:
    return sum(level.nbytes for level in mipmap.levels)


@pytest.fixture
def free(monkeypatch):
    """A function that leaves so much memory free, in bytes beside what is kept for all else."""
    return lambda count: monkeypatch.setattr(picture_memory, "usable_memory", lambda: GIB + count)


@pytest.fixture
def textured(small_project):
    """The block with a picture of 256 x 128 pixels, and a label of it, which this machine has room for."""
    project, assets = small_project
    kept, data = Assets(), png(256)
    kept.take(assets)
    digest, kind = kept.add_map(data)
    picture = ImageRef(name="blots.png", digest=digest, kind=kind)
    pattern = Pattern(id="p", name="P", steps=(Pictured(picture=picture),), placement=Pictured.usual)
    recipe = project.material("red").recipe.with_(patterns=(pattern,))
    recipe = recipe.with_feed(Feed(input="base_color", pattern="p", low=(0, 0, 0), high=(1, 1, 1)))
    mark = Mark(
        id="m", name="Label", part="block", point=(0, 20, 15), facing=(0, 0, 1), art=picture, width=20.0, height=10.0
    )
    project = project.with_material(project.material("red").with_(recipe=recipe)).with_(marks=(mark,))
    assert kept.pictures[digest].left_out == 0
    return project, kept, digest, data


@pytest.mark.parametrize("most", [None, 10**6, 50_000, 12_000, 0])
def test_what_is_left_out_is_the_finest(most):
    """Beside Pillow's own means over blocks; what one looks up in the distance is bit for bit the same."""
    pixels = np.asarray(Image.open(io.BytesIO(png(256))))
    whole, made = Mipmap(pixels), Mipmap(pixels, most)
    assert (made.width, made.height, made.channels) == (256, 128, 4)
    assert made.left_out == {None: 0, 10**6: 0, 50_000: 1, 12_000: 2, 0: 5}[most]
    assert most in (None, 0) or bytes_of(made) <= most
    factor = 2**made.left_out
    expected = np.asarray(Image.merge("RGBA", [Image.fromarray(pixels[..., k]).reduce(factor) for k in range(4)]))
    assert np.abs(made.levels[0].astype(int) - expected).max() <= made.left_out
    for texel in (factor, 2 * factor, 100):
        assert (made.level(texel) == whole.level(texel)).all()
    assert made.level(0.1).shape == made.levels[0].shape


def test_many_pictures_never_take_all_memory(monkeypatch):
    """Each takes at most half of what the others have left, beside a gibibyte for all else."""
    assets, whole = Assets(), 4_000_000
    left = [whole]
    monkeypatch.setattr(picture_memory, "usable_memory", lambda: GIB + left[0])
    for seed in range(24):
        assets.add_map(png(512, seed))
        left[0] = whole - sum(map(bytes_of, assets.pictures.values()))
    kept = [mipmap.left_out for mipmap in assets.pictures.values()]
    assert left[0] > 0 and kept[0] == kept[1] == 0 and max(kept) >= 1 and kept == sorted(kept)
    monkeypatch.setattr(picture_memory, "usable_memory", lambda: None)  # where nothing tells
    assert assets.pictures[assets.add_map(png(640))[0]].left_out == 0
    monkeypatch.setattr(picture_memory, "usable_memory", lambda: 0)
    assert max(assets.pictures[assets.add_map(png(768))[0]].levels[0].shape[:2]) < 16


def test_files_keep_what_memory_does_not(textured, free, tmp_path, capsys):
    project, assets, digest, data = textured
    save_project(tmp_path / "a.matshelf", project, assets)
    free(40_000)
    again, coarse = read_project(tmp_path / "a.matshelf")
    assert coarse.pictures[digest].levels[0].shape == (32, 64, 4) and coarse.data(digest) == data
    save_project(tmp_path / "b.matshelf", again, coarse)
    render = ["--width", "48", "--height", "32", "--samples", "1"]
    assert main(["render", str(tmp_path / "b.matshelf"), "-o", str(tmp_path / "b.png"), *render]) == 0
    said = capsys.readouterr().err
    assert "'blots.png': it is shown at 64 × 32 instead of 256 × 128" in said and "Saved files keep it whole" in said
    assert said.count("not enough memory") == 1 and (tmp_path / "b.png").exists()
    free(GIB)
    same = read_project(tmp_path / "b.matshelf")[1]
    assert same.pictures[digest].left_out == 0 and same.data(digest) == data


def test_the_window_tells_of_it_once_and_splits_no_coarse_artwork(textured, free, tmp_path, open_window):
    project, assets, digest, _ = textured
    save_project(tmp_path / "a.matshelf", project, assets)
    free(40_000)
    window = open_window(*read_project(tmp_path / "a.matshelf"))
    words = "'blots.png': it is shown at 64 × 32 instead of 256 × 128"

    def told() -> int:
        return sum(words in text for _, text in window.notice.messages)

    assert told() == 1 and words in window.notice.text.text()
    window.workshop.edit("Rename", window.workshop.project.with_(name="Other"))
    assert told() == 1  # not at each edit
    window.marks.cut_apart(window.workshop.project.marks[0])
    assert told() == 2 and len(window.workshop.project.marks) == 1
    assert "was not split" in window.notice.text.text()
    window.workshop.replace(*read_project(tmp_path / "a.matshelf"), None)
    assert told() == 3  # there was still none
    free(GIB)
    window.workshop.replace(*read_project(tmp_path / "a.matshelf"), None)
    assert told() == 3 and window.workshop.assets.pictures[digest].left_out == 0


def test_a_project_given_at_the_start_tells_what_is_missing(textured, open_window):
    project, assets, digest, _ = textured
    without = Assets()
    without.take(assets)
    del without.pictures[digest]
    window = open_window(project, without)
    assert "An image is missing: blots.png" in window.notice.text.text() and window.notice.is_asking
