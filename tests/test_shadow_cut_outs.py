"""Products cut out with their shadows: on any ground they look as if they stood there."""

import numpy as np
import pytest
from PIL import Image
from test_rendering import ball

from mat_shelf.cli import main
from mat_shelf.document.light import Light
from mat_shelf.document.material import Material
from mat_shelf.document.product import Part
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.set import Backdrop, Plate
from mat_shelf.document.shot import Shot
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.exchange.project_file import save_project
from mat_shelf.exchange.shot_files import shot_settings
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.rendering.region import PictureRegion

SIZE = 90, 60


@pytest.fixture
def standing(small_project):
    """The block on a grey floor under one light from the left."""
    project, assets = small_project
    light = Light(position=(-220, 260, 60), width=60, height=60, luminance=30000)
    floor = Backdrop(form="floor", color=(0.4, 0.4, 0.4))
    return project.with_set(project.set.with_(lights=(light,), surround=40.0, ground=40.0, backdrop=floor)), assets


def over(rendered, ground) -> np.ndarray:
    return rendered.light + (1 - rendered.alpha) * np.asarray(ground, np.float32)


def test_over_a_colour_it_is_the_picture_on_a_photograph_of_it(standing):
    """The same samples, laid on three colours: the shadow takes its share of each (Debevec 1998)."""
    project, assets = standing
    cut = render_picture(project, assets, *SIZE, 32, denoise=False, cut_out=True, has_shadow=True)
    plain = render_picture(project, assets, *SIZE, 8, denoise=False, cut_out=True)
    for color in ((0.6, 0.6, 0.6), (0.5, 0.1, 0.1), (0.05, 0.2, 0.4)):
        plated = project.with_set(project.set.with_(plate=Plate(lower=color, upper=color), tone_curve="exact"))
        expected = render_picture(plated, assets, *SIZE, 32, denoise=False).light
        wrong = np.abs(over(cut, color) - expected)
        assert wrong.mean() < 0.003 and wrong.max() < 0.1  # colour of what throws it tints it where it stands
    assert cut.alpha.min() >= 0 and cut.alpha.max() <= 1
    shadow = cut.alpha[..., 0] * (plain.alpha[..., 0] == 0)
    assert shadow.max() > 0.6 and shadow[:, 60:].sum() > 3 * shadow[:, :30].sum()  # away from the light
    assert np.abs(cut.light[(plain.alpha[..., 0] == 0)]).mean() < 0.02  # a shadow is black


def test_far_from_it_nothing_hides_the_ground(standing):
    project, assets = standing
    for denoise in (False, True):
        cut = render_picture(project, assets, *SIZE, 16, denoise=denoise, cut_out=True, has_shadow=True)
        assert np.median(cut.alpha[:8]) < 0.02 and np.median(cut.light[:8]) < 0.02


def test_a_glossy_floor_keeps_its_reflection(standing):
    project, assets = standing
    glossy = project.set.backdrop.with_(gloss=1.0, roughness=0.0, color=(0.02, 0.02, 0.02))
    mirror = project.with_set(project.set.with_(backdrop=glossy))
    cuts = [
        render_picture(each, assets, *SIZE, 24, denoise=False, cut_out=True, has_shadow=True)
        for each in (project, mirror)
    ]
    alone = render_picture(mirror, assets, *SIZE, 8, denoise=False, cut_out=True)
    beside = alone.alpha[..., 0] == 0
    red = [(cut.light[..., 0] - cut.light[..., 2])[beside].mean() for cut in cuts]
    assert red[1] > 3 * max(red[0], 1e-5)


@pytest.mark.long
def test_clear_glass_and_its_shadow_let_the_ground_through(standing):
    project, assets = standing
    pane = Material(id="pane", name="Pane", recipe=Recipe(transmission_weight=1.0, specular_roughness=0.0))
    mesh = assets.add(NamedMesh("ball", ball(22, (0, 22, 0))))
    part = Part(id="ball", name="Ball", mesh=mesh, material="pane")
    glass = project.with_(product=project.product.with_(parts=(part,)), materials=(*project.materials, pane))
    cut = render_picture(glass, assets, *SIZE, 48, denoise=False, cut_out=True, has_shadow=True)
    color = (0.6, 0.6, 0.6)
    plated = glass.with_set(glass.set.with_(plate=Plate(lower=color, upper=color), tone_curve="exact"))
    expected = render_picture(plated, assets, *SIZE, 48, denoise=False).light
    seen = over(cut, color)
    assert np.abs(seen - expected).mean() < 0.003
    assert np.median(cut.alpha[25:40, 40:50]) < 0.7


def test_a_region_has_the_same_shadow(standing):
    project, assets = standing
    region = PictureRegion(40, 20, 40, 30)
    whole, part = (
        render_picture(project, assets, *SIZE, 8, denoise=False, cut_out=True, has_shadow=True, region=each)
        for each in (None, region)
    )
    inside = region.slices()
    assert part.alpha[inside] == pytest.approx(whole.alpha[inside], abs=1e-5)
    assert part.light[inside] == pytest.approx(whole.light[inside], abs=1e-5)


def test_the_command_and_the_shots_write_it(standing, tmp_path, capsys):
    project, assets = standing
    path = tmp_path / "block.matshelf"
    save_project(path, project, assets)
    asked = ["render", str(path), "--width", "90", "--height", "60", "--samples", "8"]
    assert main([*asked, "-o", str(tmp_path / "a.png"), "--cut-out", "--shadow"]) == 0
    assert main([*asked, "-o", str(tmp_path / "b.png"), "--white", "--shadow"]) == 0
    clear, white = (np.asarray(Image.open(tmp_path / name)).astype(int) for name in ("a.png", "b.png"))
    assert clear.shape[2] == 4 and white.shape[2] == 3
    laid = clear[..., :3] * (clear[..., 3:] / 255) + 255 - clear[..., 3:]
    assert np.abs(laid - white).mean() < 12  # laid as shown, and as light
    assert white[:5].min() > 240 and white[30:, 60:].min() < 150
    assert main([*asked, "-o", str(tmp_path / "c.png"), "--shadow"]) == 2
    assert "goes with --cut-out" in capsys.readouterr().err
    shot = Shot(id="s", name="S", view=project.current_view, set=project.current_set, background="white-shadow")
    settings = shot_settings(shot)
    assert settings.cut_out and settings.has_shadow and settings.form.on_white


def test_the_window_offers_it(open_window, standing, qtbot):
    window = open_window(*standing)
    window.stations.buttons()[5].click()
    work = window.hand_over_board.work
    work.add_shots()
    card = window.hand_over_board.shot_card
    for box, words in ((card.ground_box, "Transparent, with shadow"), (card.kind_box, "JPEG")):
        box.setCurrentText(words)
        box.activated.emit(box.currentIndex())
        if box is card.ground_box:
            assert work.shot.background == "transparent-shadow"
    assert work.shot.background == "white-shadow" and work.shot.kind == "jpg"
    assert card.ground_box.currentText() == "White, with shadow"
