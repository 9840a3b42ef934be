"""Proof sheets: what is on them, read back by an independent library; and what cannot be printed."""

import io

import numpy as np
import pypdfium2
import pytest
from PIL import Image

from mat_shelf.cli import main
from mat_shelf.document.material import Material
from mat_shelf.document.pattern import Feed, Pattern, Placement, Relief
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.shot import Swap
from mat_shelf.document.swatch import Swatch
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.project_file import save_project
from mat_shelf.exchange.swatch_file import save_swatch
from mat_shelf.optics.measurements import measure
from mat_shelf.patterns.sources.noise import Noise
from mat_shelf.sheets import pictures
from mat_shelf.sheets.printing import make_sheet
from mat_shelf.sheets.shapes import STEPS_MM, bounds_of, own_part, shape_scene
from mat_shelf.sheets.sheet import Paper, Sheet
from mat_shelf.sheets.words import pattern_in_words, values_in_words, worn_by

SAMPLES = 4


@pytest.fixture(scope="module")
def dressed(small_project):
    """The red block with a green variant and a grained grey that nothing wears."""
    project, assets = small_project
    green = Material(
        id="green", name="Green", recipe=Recipe(base_color=(0.05, 0.5, 0.05)), parent="red", own=("base_color",)
    )
    grain = Recipe(
        base_color=(0.2, 0.2, 0.2),
        patterns=(Pattern(id="p", name="Fine grain", steps=(Noise(),), placement=Placement(size=2.5)),),
        feeds=(Feed(input="specular_roughness", pattern="p", low=0.2, high=0.6),),
        relief=(Relief(id="r", pattern="p", height=0.05),),
    )
    return project.with_material(green).with_material(Material(id="grey", name="Grained grey", recipe=grain)), assets


def read(path):
    """Text and size of each page of a PDF, mm, and its boxes of text."""
    document = pypdfium2.PdfDocument(path)
    pages = []
    for page in document:
        text = page.get_textpage()
        boxes = [text.get_charbox(k) for k in range(text.count_chars())]
        pages.append((text.get_text_range(), tuple(x / 72 * 25.4 for x in page.get_size()), boxes))
    document.close()
    return pages


@pytest.mark.long
def test_a_grid_has_names_readings_and_pictures(dressed, tmp_path):
    project, assets = dressed
    sets = tuple(studio.id for studio in project.sets[:2])
    sheet = Sheet("grid", ("red", "grey"), sets, ("bowl", "sphere"), samples=SAMPLES)
    path, told = tmp_path / "sheet.pdf", []
    made = make_sheet(project, assets, sheet, Paper(dpi=50), path, lambda *said: told.append(said) or True)
    assert made == [path] and told[-1] == ("Picture", 7, 8)
    pages = read(path)
    words = "\n".join(page[0] for page in pages)
    for name in ("Block", "Red", "Grained grey", "Bowl", "Sphere", *(studio.name for studio in project.sets[:2])):
        assert name in words
    gloss = measure(project.material("red").recipe).gloss
    assert " · ".join(f"{gloss[angle]:.0f}" for angle in (20, 60, 85)) in words.replace("\xa0", " ")
    for _, size, boxes in pages:
        assert size == pytest.approx((210, 297), abs=0.1)
        for left, bottom, right, top in boxes:  # within the margins of 14 mm
            assert left > 13.5 / 25.4 * 72 - 1 and right < (210 - 13.5) / 25.4 * 72 + 1
            assert bottom > 13 / 25.4 * 72 - 1 and top < (297 - 13.5) / 25.4 * 72 + 1
    document = pypdfium2.PdfDocument(path)
    shown = np.asarray(document[0].render(scale=1).to_pil().convert("RGB")).astype(int)
    red = (shown[..., 0] > shown[..., 1] + 40) & (shown[..., 0] > shown[..., 2] + 40)
    assert 0.002 < red.mean() < 0.2


@pytest.mark.long
def test_a_product_s_list_has_parts_values_and_patterns(dressed, tmp_path):
    project, assets = dressed
    sheet = Sheet("product", ("red", "grey"), (project.current_set,), samples=SAMPLES)
    make_sheet(project, assets, sheet, Paper(size="Letter", is_wide=True, dpi=50), tmp_path / "a.pdf")
    pages = read(tmp_path / "a.pdf")
    words = "\n".join(page[0] for page in pages).replace("\r", "")
    assert pages[0][1] == pytest.approx((279.4, 215.9), abs=0.1)
    for name in ("On Block", "Not worn", "Base colour", "Fine grain", "2.50 mm", "relief 0.05 mm", "CIELAB"):
        assert name in words
    assert "#BC3F3F" in words.upper()  # linear 0.5, 0.05, 0.05 by the sRGB curve: 187.5, 63.2, 63.2


def test_words_of_a_recipe(dressed):
    project, _ = dressed
    grey = project.material("grey").recipe
    values = dict(values_in_words(grey))
    assert values["Specular roughness"] == "0.20 – 0.60, fed by Fine grain" and "Base weight" not in values
    assert pattern_in_words(grey, grey.patterns[0]) == "Noise, 2.50 mm, specular roughness, relief 0.05 mm"
    assert worn_by(project, "red") == "Block" and worn_by(project, "grey") == ""


@pytest.mark.long
def test_variants_are_what_is_shown(dressed, tmp_path):
    project, assets = dressed
    sheet = Sheet(
        "variants", sets=(project.current_set,), swaps=(None, Swap(material="red", variant="green")), samples=SAMPLES
    )
    make_sheet(project, assets, sheet, Paper(dpi=72), tmp_path / "v.png")
    shown = np.asarray(Image.open(tmp_path / "v.png").convert("RGB")).astype(int)
    assert abs(shown.shape[1] / shown.shape[0] - 210 / 297) < 0.01
    red = (shown[..., 0] > 1.5 * shown[..., 1]) & (shown[..., 0] > 60)
    green = (shown[..., 1] > 1.5 * shown[..., 0]) & (shown[..., 1] > 60)
    middle = shown.shape[1] // 2
    assert red[:, :middle].sum() > 200 > 5 > green[:, :middle].sum()
    assert green[:, middle:].sum() > 200 > 5 > red[:, middle:].sum()


@pytest.mark.long
def test_many_pages_are_numbered_files(dressed, tmp_path):
    project, assets = dressed
    sheet = Sheet("grid", ("red",) * 3, (project.current_set,), ("steps", "sphere"), samples=1)
    made = make_sheet(project, assets, sheet, Paper(dpi=50, is_wide=True), tmp_path / "s.png")
    assert [path.name for path in made] == [f"s-{k}.png" for k in range(1, len(made) + 1)] and len(made) > 1
    assert Image.open(made[1]).info["dpi"][0] == pytest.approx(50, abs=0.1)


def test_shapes_stand_on_the_floor_and_steps_have_their_thickness(dressed):
    project, assets = dressed
    for shape in ("bowl", "sphere", "steps", "part"):
        scene, held = shape_scene(project, assets, "red", project.sets[0], shape)
        shown = [part for part in scene.product.parts if not part.is_hidden]
        low, high = bounds_of(shown, held)
        assert abs(low[1]) < 0.02 and own_part(scene, "red") is not None and len(scene.sets) == 1
        if shape == "steps":
            mesh = held.meshes[shown[0].mesh]
            import trimesh

            solid = trimesh.Trimesh(mesh.vertices, mesh.triangles)
            assert solid.volume == pytest.approx(11 * 38 * sum(STEPS_MM), rel=1e-3)
            across = np.arange(4) * 11 - 16.5
            rays = np.stack([across, np.full(4, 19.0), np.full(4, 100.0)], axis=1)
            places, ray, _ = solid.ray.intersects_location(rays, np.tile([0.0, 0, -1], (4, 1)))
            thick = [np.ptp(places[ray == k, 2]) for k in range(4)]
            assert thick == pytest.approx(STEPS_MM[::-1], abs=1e-3)
    scene, _ = shape_scene(project, assets, "grey", project.sets[0], "part")  # which nothing wears
    assert scene.product.parts[0].material == "grey"


@pytest.mark.parametrize(
    ("sheet", "paper", "name", "words"),
    [
        (Sheet("grid", ("red",), ("gone",)), Paper(), "a.pdf", "no longer"),
        (Sheet("grid", (), ("side-window",)), Paper(), "a.pdf", "nothing on the sheet"),
        (Sheet("grid", ("red",), ("side-window",)), Paper(), "a.docx", ".pdf"),
        (Sheet("grid", ("red",), ("side-window",)), Paper(margin=80), "a.pdf", "margins"),
        (Sheet("grid", ("red",), ("side-window",), ("cube",)), Paper(), "a.pdf", "shape"),
        (Sheet("grid", ("red",) * 500, ("side-window",)), Paper(), "a.pdf", "500"),
        (Sheet("grid", ("red",), ("side-window",)), Paper(logo=b"no image"), "a.pdf", "logo"),
        (Sheet("grid", ("red",), ("side-window",)), Paper(), "gone/a.pdf", "folder"),
    ],
)
def test_what_cannot_be_printed_is_said_before_anything_is_rendered(
    dressed, tmp_path, monkeypatch, sheet, paper, name, words
):
    monkeypatch.setattr(pictures, "render_picture", lambda *_, **__: pytest.fail("it was rendered"))
    with pytest.raises(ImageError, match=words):
        make_sheet(*dressed, sheet, paper, tmp_path / name)
    assert not list(tmp_path.iterdir())


def test_cancelled_nothing_is_written(dressed, tmp_path):
    sheet = Sheet("grid", ("red",), (dressed[0].current_set,), samples=SAMPLES)
    for told in (lambda *_: False, lambda what, *_: what == "Measuring"):
        with pytest.raises(InterruptedError):
            make_sheet(*dressed, sheet, Paper(dpi=50), tmp_path / "a.pdf", told)
    with pytest.raises(InterruptedError):
        make_sheet(*dressed, sheet, Paper(dpi=50), tmp_path / "a.pdf", is_stopped=lambda: True)
    assert not list(tmp_path.iterdir())


@pytest.mark.long
def test_the_command_of_projects_and_swatches(dressed, tmp_path, capsys):
    project, assets = dressed
    save_project(tmp_path / "b.matshelf", project, assets)
    logo = io.BytesIO()
    Image.new("RGBA", (40, 20), (0, 90, 200, 255)).save(logo, "PNG")
    (tmp_path / "logo.png").write_bytes(logo.getvalue())
    out = tmp_path / "o.pdf"
    quick = ["-o", str(out), "--dpi", "50", "--samples", "2"]
    arguments = ["--material", "Red", "--shape", "sphere", "--title", "For the supplier"]
    assert main(["sheet", str(tmp_path / "b.matshelf"), *quick, *arguments, "--logo", str(tmp_path / "logo.png")]) == 0
    words = read(out)[0][0]
    assert "For the supplier" in words and "Red" in words and "Grained" not in words
    shown = np.asarray(pypdfium2.PdfDocument(out)[0].render(scale=1).to_pil().convert("RGB")).astype(int)
    assert ((shown[:80, -260:, 2] > shown[:80, -260:, 0] + 100).sum()) > 100
    assert main(["sheet", str(tmp_path / "b.matshelf"), *quick, "--kind", "variants", "--variants-of", "Red"]) == 0
    assert "Green" in read(out)[0][0] and "As it is" in read(out)[0][0]
    save_swatch(tmp_path / "one.swatch", Swatch(id="s", name="Blue", recipe=Recipe(base_color=(0.05, 0.1, 0.6))))
    assert main(["sheet", str(tmp_path / "one.swatch"), *quick]) == 0 and "Blue" in read(out)[0][0]
    capsys.readouterr()
    for wrong, said in (
        (["sheet", str(tmp_path / "one.swatch"), str(tmp_path / "b.matshelf"), *quick], "one project"),
        (["sheet", str(tmp_path / "b.matshelf"), *quick, "--material", "Gone"], "Gone"),
        (["sheet", str(tmp_path / "b.matshelf"), *quick, "--logo", str(tmp_path / "gone.png")], "gone.png"),
        (["sheet", str(tmp_path / "logo.png"), *quick], "logo.png"),
    ):
        assert main(wrong) == 2
        told = capsys.readouterr().err
        assert said in told and "Traceback" not in told and told.count("\n") == 1
