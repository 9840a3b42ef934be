"""Pictures that patterns show, against other readers and against geometry."""

import io

import numpy as np
import OpenEXR
import pytest
import tifffile
from PIL import Image

from mat_shelf.document.image import ImageRef
from mat_shelf.document.pattern import Pattern, Placement, Relief
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.image_reading import ImageError, read_map
from mat_shelf.exchange.project_file import read_project, save_project
from mat_shelf.exchange.texture_set import picture_size, points_down, recognised, with_set
from mat_shelf.geometry.mesh import checked
from mat_shelf.library.library import Library
from mat_shelf.library.shipped import SHIPPED
from mat_shelf.patterns.evaluation import evaluate
from mat_shelf.patterns.mipmap import Mipmap
from mat_shelf.patterns.points import Points, flat_points, part_frames
from mat_shelf.patterns.sources import Pictured
from mat_shelf.patterns.step import PatternContext
from mat_shelf.scene.material_evaluation import bent_normals

DIGEST = "0" * 64


def bytes_of(pixels, kind="PNG") -> bytes:
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, kind)
    return out.getvalue()


def shown(pyramid, name="map.png", **fields) -> tuple[Pattern, PatternContext]:
    picture = ImageRef(name=name, digest=DIGEST, kind="png")
    made = Pattern(
        id="p",
        name="P",
        steps=(Pictured(picture=picture, **fields),),
        placement=Placement(projection="planar", axis="z", size=10.0),
    )
    return made, PatternContext({"p": made}, {DIGEST: pyramid})


@pytest.mark.parametrize("depth", ["uint8", "uint16", "float32"])
def test_pictures_are_read_as_other_readers_do(depth, tmp_path):
    rng = np.random.default_rng(1)
    if depth == "uint8":
        pixels = rng.integers(0, 256, (24, 32, 3), dtype=np.uint8)
        data, scale = bytes_of(pixels), 255
    elif depth == "uint16":
        pixels = rng.integers(0, 65536, (24, 32), dtype=np.uint16)
        data, scale = bytes_of(pixels), 65535
    else:
        pixels = rng.random((24, 32, 3), np.float32)
        tifffile.imwrite(tmp_path / "a.tif", pixels, photometric="rgb")
        data, scale = (tmp_path / "a.tif").read_bytes(), 1
    read = read_map(data)
    assert read.dtype.name == depth
    made, context = shown(Mipmap(read), space="plain")
    points = flat_points(10.0, 32, 24)
    points.footprint = 0.0
    values = evaluate(made, points, context).reshape(24, 32, -1)
    assert values == pytest.approx(pixels.reshape(24, 32, -1) / scale, abs=2e-5)


def test_colors_are_decoded_and_alpha_stays_beside_them():
    pixels = np.zeros((8, 8, 4), np.uint8)
    pixels[:] = (128, 64, 255, 51)
    pyramid = Mipmap(read_map(bytes_of(pixels)))
    made, context = shown(pyramid)
    # IEC 61966-2-1, values from memory of its table
    assert evaluate(made, flat_points(10, 4, 4), context)[5] == pytest.approx([0.21586, 0.05126, 1.0], abs=1e-4)
    made, context = shown(pyramid, shown="alpha", space="plain")
    assert evaluate(made, flat_points(10, 4, 4), context) == pytest.approx(0.2, abs=1e-3)


def test_300_pixels_at_300_per_inch_are_an_inch():
    assert picture_size(Mipmap(np.zeros((10, 300, 1), np.uint8)), 300) == pytest.approx(25.4)


def bumps(size=128):
    """A smooth height that repeats, (size, size), rows from the top, and its slopes per pixel, x right and y up."""
    t = np.arange(size) / size * 2 * np.pi
    height = 4 * (np.sin(2 * t)[None, :] * np.cos(3 * t)[:, None] + 0.5 * np.sin(t[None, :] + 2 * t[:, None]))
    x = (np.roll(height, -1, 1) - np.roll(height, 1, 1)) / 2
    y = -(np.roll(height, -1, 0) - np.roll(height, 1, 0)) / 2
    return height, x, y


def normals_of(x, y, down=False):
    n = np.stack([-x, y if down else -y, np.ones_like(x)], axis=2)
    n /= np.linalg.norm(n, axis=2, keepdims=True)
    return np.round((n + 1) / 2 * 255).astype(np.uint8)


@pytest.mark.parametrize("down", [False, True])
def test_the_way_green_points_is_found_by_the_slopes(down):
    _, x, y = bumps()
    picture = normals_of(x, y, down)
    assert points_down(Mipmap(picture)) == down
    noise = np.random.default_rng(1).integers(-2, 3, picture.shape)
    noisy = np.clip(picture + noise, 0, 255).astype(np.uint8)
    assert points_down(Mipmap(noisy)) == down
    assert points_down(Mipmap(np.full((64, 64, 3), (128, 128, 255), np.uint8))) is None


@pytest.mark.parametrize("turn", [0.0, 90.0, 37.0])
@pytest.mark.parametrize("down", [False, True])
def test_pictured_normals_bend_as_their_height_does(turn, down):
    height, x, y = bumps()
    rise = 1.0  # mm a pixel of height
    size = float(height.shape[1])  # one pixel is a millimetre
    placement = Placement(projection="planar", axis="z", size=size, turn=turn)
    low, high = height.min(), height.max()
    grey = ((height - low) / (high - low)).astype(np.float32)[..., None]
    one, other = "1" * 64, "2" * 64
    sources = {
        "h": Pictured(picture=ImageRef(name="h.png", digest=one, kind="png"), space="plain"),
        "n": Pictured(picture=ImageRef(name="n.png", digest=other, kind="png"), space="plain"),
    }
    patterns = {k: Pattern(id=k, name=k, steps=(s,), placement=placement) for k, s in sources.items()}
    context = PatternContext(patterns, {one: Mipmap(grey), other: Mipmap(normals_of(x * rise, y * rise, down))})
    rng = np.random.default_rng(4)
    flat = rng.uniform(-40, 40, (2000, 3)) * (1, 1, 0)
    mesh = checked([[-50, -50, 0], [50, -50, 0], [50, 50, 1e-3]], [[0, 1, 2]])
    frames = part_frames([mesh], [(np.eye(3), np.zeros(3), 1.0)], [1])
    up = np.tile(np.float32([0, 0, 1]), (2000, 1))

    def bent(row):
        points = Points(flat.astype(np.float32), up, np.zeros(2000, np.int32), frames)
        return bent_normals((row,), points, context)

    by_height = bent(Relief(id="r", pattern="h", height=float(high - low)))
    by_normal = bent(Relief(id="r", pattern="n", kind="normal, green down" if down else "normal"))
    degrees = np.degrees(np.arccos(np.clip((by_height * by_normal).sum(1), -1, 1)))
    tilt = np.degrees(np.arccos(by_height[:, 2]))
    assert np.median(tilt) > 8 and np.median(degrees) < 1.0


@pytest.mark.parametrize(
    ("name", "role"),
    [
        ("saddle_BaseColor.png", "color"),
        ("saddle-diff-2k.jpg", "color"),
        ("Saddle Roughness.tif", "roughness"),
        ("saddle_gloss.png", "gloss"),
        ("saddleMetallic.png", "metal"),
        ("saddle_height_16.tif", "height"),
        ("saddle_AO.png", "occlusion"),
        ("normal_saddle_rough.png", "roughness"),  # the last word counts
    ],
)
def test_files_of_a_set_are_known_by_their_names(name, role):
    pyramid = Mipmap(np.random.default_rng(1).integers(0, 256, (32, 32, 3), dtype=np.uint8))
    assert recognised(ImageRef(name=name, digest=DIGEST, kind="png"), pyramid).role == role


def test_files_without_a_telling_name_are_known_by_what_is_in_them():
    _, x, y = bumps()
    rng = np.random.default_rng(2)
    grey = np.repeat(rng.integers(0, 256, (32, 32, 1), dtype=np.uint8), 3, axis=2)
    for pixels, role in (
        (normals_of(x, y), "normal"),
        (normals_of(x, y, down=True), "normal down"),
        (grey, "height"),
        (rng.integers(0, 256, (32, 32, 3), dtype=np.uint8), "color"),
    ):
        assert recognised(ImageRef(name="IMG_0042.png", digest=DIGEST, kind="png"), Mipmap(pixels)).role == role
    lying = recognised(ImageRef(name="saddle_normal.png", digest=DIGEST, kind="png"), Mipmap(grey))
    assert lying.role == "none" and "no normals" in lying.reason


def a_set(assets):
    """Five pictures of a surface, in the assets."""
    height, x, y = bumps()
    rng = np.random.default_rng(3)
    grey = ((height - height.min()) / np.ptp(height) * 255).astype(np.uint8)
    files = {
        "hide_color.png": rng.integers(60, 90, (*height.shape, 3), dtype=np.uint8),
        "hide_gloss.png": grey,
        "hide_normal.png": normals_of(x / 4, y / 4),
        "hide_height.png": grey // 2,
        "hide_metallic.png": np.zeros_like(grey),
    }
    taken = []
    for name, pixels in files.items():
        key, kind = assets.add_map(bytes_of(pixels))
        taken.append(recognised(ImageRef(name=name, digest=key, kind=kind), assets.pictures[key]))
    return taken


def test_a_set_feeds_what_it_should():
    taken = a_set(Assets())
    assert [t.role for t in taken] == ["color", "gloss", "normal", "height", "metal"]
    recipe = with_set(Recipe(), taken, Placement(projection="box", size=40.0))
    assert {feed.input for feed in recipe.feeds} == {"base_color", "specular_roughness", "base_metalness"}
    gloss = recipe.pattern(recipe.feed("specular_roughness").pattern)
    assert [step.kind for step in gloss.steps] == ["picture", "invert"]
    assert [row.kind for row in recipe.relief] == ["normal", "height"]


@pytest.mark.parametrize(
    "data",
    [
        b"",
        b"not a picture",
        b"\x89PNG\r\n\x1a\n" + b"\0" * 40,
        b"8BPS" + b"\xff" * 60,
        b"II*\0" + b"\xff" * 60,
        b"\x76\x2f\x31\x01" + b"\xff" * 80,
        b"RIFF\xff\xff\xff\xffWEBPVP8 ",
        bytes_of(np.zeros((64, 64, 3), np.uint8))[:-60],
    ],
)
def test_broken_pictures_are_refused_in_words(data):
    with pytest.raises(ImageError) as fault:
        Assets().add_map(data)
    assert 10 < len(str(fault.value)) < 120


def test_hostile_sizes_and_values_are_refused(tmp_path):
    bomb = bytearray(bytes_of(np.zeros((8, 8), np.uint8)))
    bomb[16:24] = (60000).to_bytes(4, "big") * 2
    import zlib

    bomb[29:33] = zlib.crc32(bytes(bomb[12:29])).to_bytes(4, "big")
    with pytest.raises(ImageError):
        read_map(bytes(bomb))
    pixels = np.full((8, 8, 3), np.nan, np.float32)
    with OpenEXR.File({}, {"RGB": pixels}) as file:
        file.write(str(tmp_path / "nan.exr"))
    with pytest.raises(ImageError, match="not numbers"):
        read_map((tmp_path / "nan.exr").read_bytes())


def test_damaged_pictures_never_end_the_program():
    rng = np.random.default_rng(7)
    whole = (
        bytes_of(rng.integers(0, 256, (40, 40, 3), dtype=np.uint8)),
        bytes_of(rng.integers(0, 256, (40, 40, 3), dtype=np.uint8), "TIFF"),
    )
    for k in range(200):
        data = bytearray(whole[k % 2])
        for place in rng.integers(0, len(data), 6):
            data[place] = rng.integers(0, 256)
        try:
            pixels = read_map(bytes(data[: rng.integers(20, len(data) + 1)]))
            assert pixels.ndim == 3
        except ImageError as fault:
            assert "\n" not in str(fault)


def pictured_project(small_project):
    project, assets = small_project
    kept = Assets()
    kept.take(assets)
    recipe = with_set(Recipe(), a_set(kept), Placement(projection="box", size=40.0))
    return project.with_material(project.materials[0].with_(recipe=recipe)), kept


def test_pictures_travel_with_projects_and_keep_their_place_when_lost(small_project, tmp_path):
    project, assets = pictured_project(small_project)
    path = tmp_path / "a.matshelf"
    save_project(path, project, assets)
    again, found = read_project(path)
    assert again == project and set(found.pictures) == {p.digest for p in project.map_pictures()}
    lost = project.map_pictures()[0].digest
    found._data.pop(lost)
    save_project(path, again, found)
    again, found = read_project(path)
    assert again == project and lost not in found.pictures
    save_project(path, again, found)  # and it can be saved again so


def test_pictures_travel_with_swatches(small_project, tmp_path):
    project, assets = pictured_project(small_project)
    library = Library(tmp_path / "shelf")
    recipe = project.materials[0].recipe
    swatch = SHIPPED[0].with_(id="hide", name="Hide", recipe=recipe)
    wanted = {picture.digest for picture in recipe.pictures()}
    library.add(swatch, {key: assets.data(key) for key in wanted})
    assert set(library.pictures(library.swatch("hide"))) == wanted
    library.add(swatch.with_(note="described later"))
    assert set(Library(tmp_path / "shelf").pictures(swatch)) == wanted
