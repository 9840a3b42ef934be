"""Layered pictures: opened as the specification says, by what knows nothing of the program."""

import io
import zipfile
from xml.etree import ElementTree

import numpy as np
import pytest
from PIL import Image

from mat_shelf.cli import main
from mat_shelf.document.shot import Shot
from mat_shelf.exchange.project_file import save_project
from mat_shelf.exchange.shot_queue import render_shots


@pytest.fixture(scope="module")
def block(small_project, tmp_path_factory):
    path = tmp_path_factory.mktemp("layers") / "block.matshelf"
    save_project(path, *small_project)
    return path


def rendered(block, *more):
    """The stack and the layers of a rendered file, by name, and the merged picture."""
    out = block.with_name("out.ora")
    size = ["--width", "60", "--height", "40", "--samples", "8"]
    assert main(["render", str(block), "-o", str(out), *size, *more]) == 0
    package = zipfile.ZipFile(out)
    assert package.testzip() is None
    first = package.infolist()[0]
    assert first.filename == "mimetype" and first.compress_type == zipfile.ZIP_STORED
    assert package.read("mimetype") == b"image/openraster"
    image = ElementTree.fromstring(package.read("stack.xml"))
    assert image.tag == "image" and (image.get("w"), image.get("h")) == ("60", "40")
    layers = {}
    for layer in image.iter("layer"):
        assert layer.get("src") in package.namelist()
        pixels = Image.open(io.BytesIO(package.read(layer.get("src"))))
        layers[layer.get("name")] = layer, pixels
    merged = Image.open(io.BytesIO(package.read("mergedimage.png")))
    assert max(Image.open(io.BytesIO(package.read("Thumbnails/thumbnail.png"))).size) <= 256
    return image, layers, merged


def over(layers):
    """What is shown of them, the last the lowest."""
    made = Image.new("RGBA", (60, 40))
    for layer, pixels in reversed(list(layers.values())):
        if layer.get("visibility") == "visible":
            made = Image.alpha_composite(made, pixels.convert("RGBA"))
    return np.asarray(made).astype(int)


def test_layers_are_the_picture_its_masks_and_passes(block):
    image, layers, merged = rendered(block, "--passes", "albedo,normal,depth", "--dpi", "300")
    assert [group.get("name") for group in image.iter("stack")] == [None, "Parts", "Materials", "Passes"]
    wanted = {"Block", "Backdrop", "Red", "Albedo", "Normal", "Depth", "Product alone", "Picture"}
    assert wanted <= set(layers) and list(layers)[-1] == "Picture"
    assert image.get("xres") == "300" and merged.info["dpi"][0] == pytest.approx(300, abs=0.5)
    assert (over(layers)[..., :3] == np.asarray(merged.convert("RGB"))).all()
    masks = [
        np.asarray(layers[layer.get("name")][1])[..., 3].astype(int)
        for layer in next(group for group in image.iter("stack") if group.get("name") == "Parts")
    ]
    assert (np.abs(sum(masks) - 255) <= len(masks)).all()
    # Switched on alone, the product lies over itself: nothing changes; over green its edges let it through.
    alone = layers["Product alone"][1]
    assert (np.abs(np.asarray(Image.alpha_composite(merged.convert("RGBA"), alone)).astype(int)[..., :3]
                   - np.asarray(merged.convert("RGB"))) <= 1).all()  # fmt: skip
    block_mask = np.asarray(layers["Block"][1])[..., 3]
    assert (np.asarray(alone)[..., 3] == block_mask).all() and block_mask.max() == 255 and block_mask.min() == 0
    red = np.asarray(layers["Albedo"][1]).astype(int)[block_mask == 255]
    assert (red[:, 0] > red[:, 1] + 80).all()


def test_a_cut_out_and_one_on_white(block):
    _, layers, merged = rendered(block, "--white", "--bits", "16")
    alone, white = (np.asarray(layers[name][1]).astype(int) for name in ("Product alone", "Picture"))
    assert alone.shape[2] == 4 and white.shape[2] == 3 and merged.mode == "RGB"
    assert (over(layers)[..., :3] == np.asarray(merged)).all()
    assert (white[alone[..., 3] == 0] == 255).all()
    inside = alone[..., 3] == 255
    assert inside.any() and (np.abs(white[inside] - alone[inside][:, :3]) <= 1).all()
    _, layers, merged = rendered(block, "--cut-out")
    assert layers["Picture"][1].mode == merged.mode == "RGBA" and "Product alone" not in layers


def test_what_it_has_no_room_for_is_said_before_the_render(block, capsys):
    out = block.with_name("never.ora")
    for more, words in ((["--passes", "lights"], "lights"), (["--bits", "32"], "16"), (["--cryptomatte"], "EXR")):
        assert main(["render", str(block), "-o", str(out), *more]) == 2
        assert words in capsys.readouterr().err and not out.exists()


def test_a_shot_is_written_so(small_project, tmp_path):
    project, assets = small_project
    shot = Shot(
        id="s", name="Retouch", view=project.current_view, set=project.current_set, width=48, height=32,
        samples=2, kind="ora", passes=("albedo", "lights"),
    )  # fmt: skip
    told = []
    render_shots(project.with_shots([shot]), assets, [shot], tmp_path, lambda _, state: told.append(state))
    assert told[-1].kind == "done"
    with zipfile.ZipFile(tmp_path / "Retouch.ora") as package:
        names = [layer.get("name") for layer in ElementTree.fromstring(package.read("stack.xml")).iter("layer")]
    assert "Albedo" in names and "Block" in names and names[-1] == "Picture"
